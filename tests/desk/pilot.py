"""Drives the real window with mouse and keys, and waits for what it set off."""

from __future__ import annotations

import time
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QWidget

from zesty_abacus.desk.desks.layouts.desk import LayoutsDesk
from zesty_abacus.desk.launch import make_application
from zesty_abacus.desk.window import Window

PATIENCE_S = 120.0
"""Kernels that were changed are compiled on first use, which takes a while on a busy machine."""


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
        """Wait until no work is left and its answers are shown."""
        self.wait(self.session.jobs.is_idle, "the end of all work")
        for _ in range(8):
            make_application().processEvents()
            time.sleep(0.005)
        self.wait(self.session.jobs.is_idle, "the end of all work")

    def wait_open(self) -> None:
        """Wait until a trial is open and its bits are counted."""
        self.wait(lambda: self.session.capture is not None and self.session.reading.counts.explained, "an open trial")
        self.settle()

    def begin_layout(self, path: Path) -> LayoutsDesk:
        """Open a recording in a trial of its own, and begin a layout of its first message."""
        self.session.trials.open_paths([path])
        self.wait_open()
        self.key("4")
        self.session.select_kind(0)
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
