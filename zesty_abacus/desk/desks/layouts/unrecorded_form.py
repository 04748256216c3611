"""What is asked before a layout is begun of a message that nobody recorded: what it is of, and its address."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...widgets.parts import Choice, button, label

_LINE_PX = 230


class UnrecordedForm(QWidget):
    """A choice, a line, a button; below it what is wrong with the line.

    Events
    ------
    begun
        (layout) an empty layout is to be kept.

    Attributes
    ----------
    sort, line, begin, problem
    """

    begun = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.sort, self.line = Choice(), QLineEdit()
        self.sort.setAccessibleName("What a message that was not recorded is of")
        self.line.setAccessibleName("Its address")
        self.line.setFixedWidth(_LINE_PX)
        self.begin = button("Begin it from papers", "Begin a layout of a message that was not recorded here")
        self.problem = label("", "wrong", wrap=True)
        self.problem.setAlignment(Qt.AlignmentFlag.AlignCenter)
        self.problem.hide()
        row = QHBoxLayout()
        row.setContentsMargins(0, 18, 0, 0)
        row.addWidget(label("not recorded yet:", "quiet"))
        for part in (self.sort, self.line, self.begin):
            row.addWidget(part)
        column = QVBoxLayout(self)
        column.addLayout(row)
        column.addWidget(self.problem)
        self.sort.currentIndexChanged.connect(self._on_sort)
        self.line.returnPressed.connect(self._begin)
        self.begin.clicked.connect(self._begin)

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        if not self.sort.count():
            for sort in laid.message_sorts():
                self.sort.addItem(sort.words, sort)

    def _on_sort(self) -> None:
        self.line.setPlaceholderText(self.sort.currentData().asked)
        self.problem.hide()

    def _begin(self) -> None:
        try:
            layout = self.sort.currentData().begun(self.line.text())
        except engine.AbacusError as error:
            # what was typed stays, to be mended
            self.problem.setText(str(error))
            self.problem.show()
            return
        self.line.clear()
        self.problem.hide()
        self.begun.emit(layout)
