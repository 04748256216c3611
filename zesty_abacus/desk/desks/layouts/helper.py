"""What stands in the place of a message's head while something is worked out for it."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...widgets.parts import button, label
from ...widgets.theme import text_font


class Helper(QWidget):
    """A panel with a title, closed by a button or Escape.

    Attributes
    ----------
    column
        Takes what is below the title.

    Events
    ------
    done
        The helper is not needed any more.
    """

    done = pyqtSignal()

    def __init__(self, words: str) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        title = label(words)
        title.setFont(text_font(bold=True))
        close = button("Close", "Back to the message's head (Esc)", link=True)
        close.clicked.connect(self.done)
        head = QHBoxLayout()
        head.addWidget(title)
        head.addStretch(1)
        head.addWidget(close)
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(14, 8, 14, 10)
        self.column.addLayout(head)

    def keyPressEvent(self, event: Any) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape:
            self.done.emit()
        else:
            super().keyPressEvent(event)
