"""L: what the part in hand shows, as a plain list that keys and screen readers go through."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QListWidget, QWidget

from ..widgets.told import ToldLine, surface_of, told_lines
from ..widgets.words import counted
from .sheet import Sheet

_WIDEST = 620


class InWords(Sheet):
    """A list over the window. Return does what a click on that line of the picture does; Escape goes back to it.

    Parameters
    ----------
    window
        What it lies over.
    home
        Gives the part that is listed where what has the keys paints nothing itself.

    Attributes
    ----------
    list
    """

    def __init__(self, window: QWidget, home: Callable[[], QWidget]) -> None:
        super().__init__(window, "the picture", _WIDEST)
        self._home = home
        self._part: QWidget | None = None
        self._lines: list[ToldLine] = []
        self.list = QListWidget()
        self.list.setAccessibleName("In words")
        self.list.setWordWrap(True)
        self.list.setSpacing(3)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        # a bar that comes and goes would change what is wrapped while it is laid out
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        inside = QHBoxLayout()
        inside.setContentsMargins(10, 4, 4, 8)
        inside.addWidget(self.list)
        self.column.addLayout(inside, 1)
        self.list.itemActivated.connect(lambda _item: self.choose())

    def begin(self) -> bool:
        """List what the part with the keys shows, or that of the desk; return whether there was anything."""
        if self.isVisible():
            self.end()
            return True
        focused = QApplication.focusWidget()
        for part in (focused, self._home()):
            lines = told_lines(part) if part is not None and self._window.isAncestorOf(part) else []
            if part is not None and lines:
                self._show(part, lines)
                return True
        return False

    def _show(self, part: QWidget, lines: list[ToldLine]) -> None:
        self._part, self._lines = part, lines
        self.title.setText(f"{part.accessibleName() or 'Picture'}: {counted(len(lines), 'line')}")
        self.list.clear()
        self.list.addItems([line.words for line in lines])
        self.list.setCurrentRow(0)
        self.lie_over(part)
        self._fit()
        self.list.setFocus()

    def _fit(self) -> None:
        """Be no higher than what is listed, so that the picture stays in sight."""
        last = self.list.item(self.list.count() - 1)
        self.column.activate()
        if last is not None:
            needed = self.list.visualItemRect(last).bottom() + 2 * self.list.spacing()
            self.resize(self.width(), self.height() - max(self.list.height() - needed, 0))

    def choose(self) -> None:
        """Do what a click on the line in hand does."""
        row, part = self.list.currentRow(), self._part
        self.end()
        if part is None or not 0 <= row < len(self._lines):
            return
        surface, at = surface_of(part), self._lines[row].at
        none, left = Qt.MouseButton.NoButton, Qt.MouseButton.LeftButton
        for kind, held in ((QEvent.Type.MouseButtonPress, left), (QEvent.Type.MouseButtonRelease, none)):
            where = surface.mapToGlobal(at)
            QApplication.sendEvent(surface, QMouseEvent(kind, at, where, left, held, Qt.KeyboardModifier.NoModifier))
