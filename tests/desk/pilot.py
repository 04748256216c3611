"""Drives the real window with mouse and keys, and waits for what it set off."""

from __future__ import annotations

import time
import weakref
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QAbstractEventDispatcher, QEventLoop, QPoint, QPointF, Qt, QTimer
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from zesty_abacus.desk.desks.layouts.desk import LayoutsDesk
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.widgets import parts
from zesty_abacus.desk.window import Window

PATIENCE_S = 120.0
"""Kernels that were changed are compiled on first use, which takes a while on a busy machine."""


_SOON_MS = 60
"""What is put off by no longer than this belongs to what was done last."""


class _NotedTimer(QTimer):
    """A timer that whoever waits for it can find."""

    noted: weakref.WeakSet[QTimer] = weakref.WeakSet()

    def __init__(self, parent=None):  # type: ignore[no-untyped-def]
        super().__init__(parent)
        self.noted.add(self)


# all that the program puts off goes through one function, which takes its timer from here
parts.QTimer = _NotedTimer  # type: ignore[misc]


def _put_off_ms() -> int:
    """Return how long the nearest of what is put off for a moment still takes, -1 if there is nothing."""
    left = []
    for timer in list(_NotedTimer.noted):
        try:
            if timer.isActive() and timer.interval() <= _SOON_MS:
                left.append(timer.remainingTime())
        except RuntimeError:
            continue  # its window is gone
    return max(min(left), 0) if left else -1


def _show_all() -> None:
    """Let the window answer all events there are, and those that come of them."""
    dispatcher = QAbstractEventDispatcher.instance()
    for _ in range(100):
        if not dispatcher.processEvents(QEventLoop.ProcessEventsFlag.AllEvents):
            return


class Pilot:
    """Hands on a window."""

    def __init__(self, window: Window) -> None:
        self.window = window
        self.session = window.session

    def wait(self, holds: Callable[[], object], what: str = "") -> None:
        """Let the window live until something holds."""
        application = make_application()
        end = time.monotonic() + PATIENCE_S
        while time.monotonic() < end:
            application.processEvents()
            if holds():
                return
            time.sleep(0.002)
        raise AssertionError(f"waited in vain for {what or holds}")

    def settle(self) -> None:
        """Wait until no work is left, its answers are shown, and nothing is put off for a moment."""
        for _ in range(100):
            self.wait(self.session.jobs.is_idle, "the end of all work")
            _show_all()
            wait_ms = _put_off_ms()
            if wait_ms < 0 and self.session.jobs.is_idle():
                return
            time.sleep(max(wait_ms, 0) / 1000)
        raise AssertionError("there is always something put off")

    def wait_open(self) -> None:
        """Wait until a trial is open and its bits are counted."""
        self.wait(lambda: self.session.capture is not None and self.session.reading.counts.explained, "an open trial")
        self.settle()

    def begin_layout(self, path: Path) -> LayoutsDesk:
        """Open a recording in a trial of its own, and begin a layout of its first message."""
        self.session.trials.open_paths([path])
        self.wait_open()
        self.key("4")
        self.session.in_hand.take_kind(0)
        self.settle()
        self.click(self.window.layouts.start.begin)
        return self.window.layouts

    def key(self, key: Qt.Key | str, modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key where the focus is."""
        target = self.window.focusWidget() or self.window
        QTest.keyClick(target, key, modifiers)
        self.settle()

    def type(self, widget: QWidget, text: str, *, enter: bool = False) -> None:
        """Replace the text of a line."""
        widget.setFocus()
        widget.selectAll()  # type: ignore[attr-defined]
        QTest.keyClick(widget, Qt.Key.Key_Delete)
        QTest.keyClicks(widget, text)
        if enter:
            QTest.keyClick(widget, Qt.Key.Key_Return)
        self.settle()

    def click(self, widget: QWidget, at: QPointF | QPoint | None = None,
              modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:  # fmt: skip
        """Click on a widget."""
        point = widget.rect().center() if at is None else at if isinstance(at, QPoint) else at.toPoint()
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, modifiers, point)
        self.settle()

    def drag(self, widget: QWidget, first: QPointF, last: QPointF,
             modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:  # fmt: skip
        """Press, move in steps, release."""
        button = Qt.MouseButton.LeftButton
        QTest.mousePress(widget, button, modifiers, first.toPoint())
        for step in range(1, 6):
            point = first + (last - first) * (step / 5)
            self._move(widget, point, modifiers)
        QTest.mouseRelease(widget, button, modifiers, last.toPoint())
        self.settle()

    def _move(self, widget: QWidget, point: QPointF, modifiers: Qt.KeyboardModifier) -> None:
        # QTest's own mouseMove carries no button, so it would be a hover
        from PyQt6.QtCore import QEvent
        from PyQt6.QtGui import QMouseEvent

        event = QMouseEvent(
            QEvent.Type.MouseMove, point, QPointF(widget.mapToGlobal(point.toPoint())), Qt.MouseButton.NoButton,
            Qt.MouseButton.LeftButton, modifiers,
        )  # fmt: skip
        make_application().sendEvent(widget, event)

    def drag_beads(self, first: int, last: int, *, desk: str = "unravel",
                   modifiers: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:  # fmt: skip
        """Drag from one bead to another on the abacus of a desk."""
        abacus = self.window.unravel.abacus if desk == "unravel" else self.window.layouts.plan.pictures.abacus
        self.drag(abacus, abacus.rods.bead_center(first), abacus.rods.bead_center(last), modifiers)

    def kind(self, address: int) -> int:
        """Return the number of the kind with an address."""
        return next(n for n, key in enumerate(self.session.capture.kinds.keys) if key.address == address)

    def pick_kind(self, address: int) -> None:
        """Click a kind in the roster."""
        view = self.window.roster.view
        index = self.window.roster.show_entry(self.kind(address))
        view.scrollTo(index)
        self.click(view.viewport(), view.visualRect(index).center())


def place_of(frames, row):
    """Return the place in a frame list of a row of the capture."""
    return frames.order().rows().tolist().index(row)
