"""L: what the part in hand shows, as a plain list that keys and screen readers go through."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QEvent, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QApplication, QHBoxLayout, QListWidget, QVBoxLayout, QWidget

from ..widgets.parts import button, hairline, label
from ..widgets.theme import look
from ..widgets.told import ToldLine, surface_of, told_lines
from ..widgets.words import counted

_EDGE, _WIDEST = 48, 620


class InWords(QWidget):
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
        super().__init__(window)
        self._window, self._home = window, home
        self._part: QWidget | None = None
        self._lines: list[ToldLine] = []
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title = label("", "title")
        self.close_button = button("Close", "Back to the picture (Esc)")
        self.list = QListWidget()
        self.list.setAccessibleName("In words")
        self.list.setWordWrap(True)
        self.list.setSpacing(3)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        # a bar that comes and goes would change what is wrapped while it is laid out
        self.list.setVerticalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOn)
        self.list.setFrameShape(QListWidget.Shape.NoFrame)
        head = QHBoxLayout()
        head.setContentsMargins(14, 8, 14, 8)
        head.addWidget(self.title, 1)
        head.addWidget(self.close_button)
        column = QVBoxLayout(self)
        column.setContentsMargins(1, 1, 1, 1)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(hairline())
        inside = QHBoxLayout()
        inside.setContentsMargins(10, 4, 4, 8)
        inside.addWidget(self.list)
        column.addLayout(inside, 1)
        self.list.itemActivated.connect(lambda _item: self.choose())
        self.close_button.clicked.connect(self.end)
        self.hide()

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
        whole = self._window.rect()
        width = min(whole.width() - 2 * _EDGE, _WIDEST)
        self.setGeometry((whole.width() - width) // 2, _EDGE, width, whole.height() - 2 * _EDGE)
        self.show()
        self._fit(width)
        self.raise_()
        self.list.setFocus()

    def _fit(self, width: int) -> None:
        """Be no higher than what is listed, so that the picture stays in sight."""
        column, last = self.layout(), self.list.item(self.list.count() - 1)
        if column is None or last is None:
            return
        column.activate()
        needed = self.list.visualItemRect(last).bottom() + 2 * self.list.spacing()
        self.resize(width, self.height() - max(self.list.height() - needed, 0))

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

    def end(self) -> None:
        """Go back to the picture."""
        part = self._part
        self.hide()
        if part is not None and part.isVisible():
            part.setFocus()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setPen(QColor(look.theme.rod))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        painter.end()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.end()
        else:
            super().keyPressEvent(event)
