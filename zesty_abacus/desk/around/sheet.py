"""A sheet that lies over the window until it is closed, and gives the keys back to where they came from."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ..widgets.parts import button, hairline, label
from ..widgets.theme import look

_EDGE = 48
_LEAST_EDGE = 12


class Sheet(QWidget):
    """What such sheets share: a head with a title and *Close*, Escape, and where the keys go afterwards.

    Parameters
    ----------
    window
        What it lies over.
    back
        What *Close* goes back to, in words.
    widest
        In pixels; lines that are too long lose the eye.

    Attributes
    ----------
    title, head, close_button
    column
        Below the head.
    """

    def __init__(self, window: QWidget, back: str, widest: int) -> None:
        super().__init__(window)
        self._window, self._widest = window, widest
        self._before: QWidget | None = None
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.title = label("", "title")
        self.close_button = button("Close", f"Back to {back} (Esc)")
        self.head = QHBoxLayout()
        self.head.setContentsMargins(14, 8, 14, 8)
        self.head.addWidget(self.title, 1)
        self.head.addWidget(self.close_button)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(1, 1, 1, 1)
        self.column.setSpacing(0)
        self.column.addLayout(self.head)
        self.column.addWidget(hairline())
        self.close_button.clicked.connect(self.end)
        self.hide()

    def lie_over(self, before: QWidget | None) -> None:
        """Show it over the window; ``before`` gets the keys back when it is closed, unless it is shown already."""
        if not self.isVisible():
            self._before = before
        whole = self._window.rect()
        width = min(whole.width() - 2 * _LEAST_EDGE, self._widest)
        self.setGeometry((whole.width() - width) // 2, _EDGE, width, whole.height() - 2 * _EDGE)
        self.show()
        self.raise_()

    def end(self) -> None:
        """Go back to where it was called from, if it is shown."""
        if not self.isVisible():
            return
        self.hide()
        if self._before is not None and self._before.isVisible():
            self._before.setFocus()

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
