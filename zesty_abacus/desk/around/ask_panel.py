"""A small panel below the header that asks for a line or two."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import QCheckBox, QFrame, QGridLayout, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout, QWidget

from ..widgets.parts import button, label
from ..widgets.theme import text_font

_WIDTH = 420


class AskPanel(QFrame):
    """Asks in a panel that stays open while something is wrong with what is typed.

    Attributes
    ----------
    lines
        The entries by what they are.
    problem
        What is wrong.

    Events
    ------
    closed
    """

    closed = pyqtSignal()

    def __init__(self, parent: QWidget, title: str, hint: str, entries: tuple[tuple[str, str], ...], do: str) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("card")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self.lines: dict[str, QLineEdit] = {}
        self.problem = label("", "wrong", wrap=True)
        self.go = button(do, main=True)
        heading = label(title)
        heading.setFont(text_font(bold=True))
        grid = QGridLayout()
        for row, (words, placeholder) in enumerate(entries):
            line = QLineEdit()
            line.setPlaceholderText(placeholder)
            line.setAccessibleName(words)
            if words == "password":
                line.setEchoMode(QLineEdit.EchoMode.Password)
            line.returnPressed.connect(self.go.click)
            grid.addWidget(label(words, "section"), row, 0)
            grid.addWidget(line, row, 1)
            self.lines[words] = line
        self._choices = QVBoxLayout()
        column = QVBoxLayout(self)
        column.addWidget(heading)
        column.addWidget(label(hint, "quiet", wrap=True))
        column.addLayout(grid)
        column.addLayout(self._choices)
        column.addWidget(self.problem)
        self._buttons = QHBoxLayout()
        self._buttons.addStretch(1)
        self._buttons.addWidget(self.go)
        column.addLayout(self._buttons)
        self.setFixedWidth(_WIDTH)

    def add_choice(self, words: str) -> QCheckBox:
        """Offer something to choose below the lines."""
        made = QCheckBox(words)
        self._choices.addWidget(made)
        return made

    def add_button(self, words: str) -> QPushButton:
        """Offer something else to do."""
        made = button(words)
        self._buttons.insertWidget(1, made)
        return made

    def closeEvent(self, event: QCloseEvent | None) -> None:
        super().closeEvent(event)
        self.closed.emit()

    def show_below(self, anchor: QWidget) -> None:
        """Open with its right edge below a widget."""
        self.adjustSize()
        corner = anchor.mapToGlobal(anchor.rect().bottomRight())
        self.move(corner.x() - self.width(), corner.y() + 8)
        self.show()
        next(iter(self.lines.values()), self.go).setFocus()
