"""What was done down the side, the bits that answer it across: what answers what, at one look."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QModelIndex, Qt, pyqtSignal
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...app.doors import found
from ...app.questions import Pair
from ...app.session import Session
from ...widgets.parts import EDGE, label
from ...widgets.theme import SMALL_PX, figure_font, text_font
from ...widgets.words import later_text

_ROW, _COLUMN = 20, 96


class MomentTable(QWidget):
    """Moments against bits; a cell is the value that the bits take, and how long after.

    Attributes
    ----------
    grid

    Events
    ------
    chosen
        (kind and finding) a cell with an answer was chosen.
    """

    chosen = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._pairs: list[list[Pair | None]] = []
        self._texts: list[str] = []
        self._shown: object = None
        self.grid = QTableWidget()
        self.grid.setAccessibleName("Moments against the bits that answer them")
        self.grid.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        self.grid.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.grid.currentCellChanged.connect(lambda row, column, *_before: self._choose(row, column))
        head = label("Moments against bits")
        head.setFont(text_font(bold=True))
        self.hint = label("", "quiet")
        column = QVBoxLayout(self)
        column.setContentsMargins(EDGE, 6, EDGE, 4)
        line = QHBoxLayout()
        line.addWidget(head)
        line.addWidget(self.hint, 1)
        column.addLayout(line)
        column.addWidget(self.grid, 1)

    def show_answers(self, pairs: list[Pair], done: list[str]) -> None:
        """Show which bits answer which of the actions, in the order in which these were done."""
        table = found.answer_table(pairs, done)
        if table == self._shown:
            return
        self._shown = table
        self._texts = [text for text, _ in table.actions]
        self._pairs = [[self._pair(table, text, place) for place in table.places] for text, _ in table.actions]
        self.hint.setText(
            "what the bits become, and how long after; choose a cell to look at it"
            if table.places else "nothing that is not explained answers a moment yet"
        )  # fmt: skip
        self.grid.blockSignals(True)
        self.grid.clear()
        self.grid.setRowCount(len(table.actions))
        self.grid.setColumnCount(len(table.places))
        self.grid.setVerticalHeaderLabels([_row_title(*action) for action in table.actions])
        self.grid.setHorizontalHeaderLabels([self._title(place) for place in table.places])
        for row, pairs_of_row in enumerate(self._pairs):
            self.grid.setRowHeight(row, _ROW)
            for place, pair in enumerate(pairs_of_row):
                if pair is not None:
                    self.grid.setItem(row, place, _cell(pair[1]))
        for place in range(len(table.places)):
            self.grid.setColumnWidth(place, _COLUMN)
        self.grid.setCurrentIndex(QModelIndex())
        self.grid.blockSignals(False)

    def show_moment(self, text: str) -> None:
        """Bring the row of an action into sight."""
        bar = self.grid.verticalScrollBar()
        if text in self._texts and bar is not None:
            bar.setValue(self._texts.index(text))

    def _title(self, place: Any) -> str:
        kinds = self._session.kinds
        pages = "".join(f" · {when.values}" for when in place.when)
        return f"{kinds.name(place.kind) or kinds.address(place.kind)}\n{place.places}{pages}"

    def _pair(self, table: Any, text: str, place: Any) -> Pair | None:
        finding = table.cells.get((text, place))
        return None if finding is None else (place.kind, finding)

    def _choose(self, row: int, column: int) -> None:
        pair = self._pairs[row][column] if 0 <= row < len(self._pairs) and column >= 0 else None
        if pair is not None:
            self.chosen.emit(pair)


def _row_title(text: str, count: int) -> str:
    return f"{text} ({count}×)" if count > 1 else text


def _cell(finding: Any) -> QTableWidgetItem:
    delay = float(finding.parameters["delay_s"])
    late = later_text(delay * 1e9)
    item = QTableWidgetItem(f"→ {finding.parameters['value']}, {late}")
    item.setFont(figure_font(SMALL_PX))
    item.setTextAlignment(Qt.AlignmentFlag.AlignCenter)
    item.setToolTip(finding.reason)
    return item
