"""Says what the columns of a table of layouts are, and how it numbers bits: by showing where one row lies."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import QComboBox, QTableWidget, QTableWidgetItem, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.parts import Choice, NoWheel, label
from ...widgets.theme import SMALL_PX, figure_font, look

_SHOWN_ROWS = 60


class TablePicker(QWidget):
    """The table's rows; above each column what it is, at the left of each row where its field lies.

    Writing the true place into one row makes the others follow.

    Events
    ------
    changed
        Another choice: what is read with it is another thing.
    """

    changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._no_wheel = NoWheel(self)
        self.sheet: laid.Sheet | None = None
        self.mapping: laid.TableMapping | None = None
        self._known: dict[int, laid.Known] = {}
        self._filling = False
        self.words = label("", "quiet", wrap=True)
        self.problem = label("", "wrong", wrap=True)
        self.table = QTableWidget()
        self.table.setAccessibleName("Rows of the table")
        self.table.itemChanged.connect(self._on_place_typed)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.words)
        column.addWidget(self.table, 1)
        column.addWidget(self.problem)

    def show_table(self, table: laid.OpenedTable) -> None:
        """Show a table that was opened."""
        self.sheet, self.mapping, self._known = table.sheet, table.mapping, {}
        self._show()

    @property
    def table_in_hand(self) -> laid.OpenedTable | None:
        """The table with its columns as they are chosen now."""
        if self.sheet is None or self.mapping is None:
            return None
        return laid.OpenedTable(self.sheet, self.mapping)

    def show_trouble(self, trouble: int) -> None:
        """Say how bits are numbered, and whether rows get into each other's way."""
        assert self.mapping is not None
        self.words.setText(
            f"Here {self.mapping.numbering.words()}."
            + (f" Rows that overlap or lie nowhere: {trouble}." if trouble else " No row overlaps another.")
            + " If a row lies elsewhere, write its true place, such as B1 B0: the others follow."
        )

    def _show(self) -> None:
        assert self.sheet is not None and self.mapping is not None
        self._filling = True
        headings, rows = self.mapping.headings, self.sheet.rows[1 : _SHOWN_ROWS + 1]
        self.table.setColumnCount(len(headings) + 1)
        self.table.setRowCount(len(rows) + 1)
        self.table.setHorizontalHeaderLabels(["lies at", *headings])
        self.table.setVerticalHeaderLabels(["is", *(str(line) for line in self.sheet.lines[1:])])
        first = QTableWidgetItem("type where a field lies")
        first.setFlags(Qt.ItemFlag.ItemIsEnabled)
        first.setForeground(QColor(look.theme.quiet))
        self.table.setItem(0, 0, first)
        for column, role in enumerate(self.mapping.roles):
            self.table.setCellWidget(0, column + 1, self._role_box(column, role))
        for number, cells in enumerate(rows):
            for column, cell in enumerate(cells[: len(headings)]):
                self.table.setItem(number + 1, column + 1, _fixed(cell))
        self._show_places()
        self.table.resizeColumnsToContents()
        self._filling = False

    def _role_box(self, column: int, role: str) -> QComboBox:
        box = Choice()
        box.setAccessibleName(f"meaning of {self.mapping.headings[column]}" if self.mapping else "")
        box.installEventFilter(self._no_wheel)
        box.addItems(laid.ROLES)
        box.setCurrentText(role)
        box.textActivated.connect(lambda text: self.set_role(column, text))
        return box

    def _show_places(self) -> None:
        """Show where each row's field lies as things are chosen now."""
        assert self.sheet is not None and self.mapping is not None
        self._filling = True
        for number, row in enumerate(laid.rows_of(self.sheet, self.mapping, _SHOWN_ROWS)):
            text, wrong = "", False
            if laid.is_field_row(row):
                try:
                    text = str(laid.place_of(row, self.mapping))
                except engine.AbacusError:
                    text, wrong = "nowhere", True
            item = QTableWidgetItem(text)
            item.setFont(figure_font(SMALL_PX, bold=number in self._known))
            item.setForeground(QColor(look.theme.wrong if wrong else look.theme.zest_text))
            self.table.setItem(number + 1, 0, item)
        self._filling = False

    def set_role(self, column: int, role: str) -> None:
        """Say what a column is; a role that another column had goes from it."""
        assert self.mapping is not None
        roles = ["ignore" if known == role and role != "ignore" else known for known in self.mapping.roles]
        roles[column] = role
        self._known = {}
        self._take(msgspec.structs.replace(self.mapping, roles=tuple(roles)))
        self._show()

    def _on_place_typed(self, item: QTableWidgetItem) -> None:
        if not self._filling and item.column() == 0 and item.row() > 0:
            self.set_example(item.row() - 1, item.text())

    def set_example(self, row: int, text: str) -> None:
        """Say where the field of a row lies; every way of numbering is tried on a thread."""
        assert self.sheet is not None and self.mapping is not None
        session, sheet, mapping = self._session, self.sheet, self.mapping
        before = self._known
        try:
            self._known = {**before, row: laid.Known(row, engine.parse_places(text))}
        except engine.AbacusError as error:
            self._refuse(before, str(error))
            return
        known = list(self._known.values())
        session.jobs.start(
            "numbering", "trying ways of numbering bits",
            lambda _progress: laid.mapping_by_example(sheet, mapping, known),
            self._numbered, lambda sentence: self._refuse(before, sentence),
        )  # fmt: skip

    def _refuse(self, known: dict[int, laid.Known], sentence: str) -> None:
        self._known = known
        self.problem.setText(sentence)
        self._show_places()

    def _numbered(self, found: list[laid.TableMapping]) -> None:
        self.problem.setText("" if len(found) == 1 else f"{len(found)} ways of numbering give this; "
                             "the one with the fewest overlaps is taken. Another row makes it sure.")  # fmt: skip
        self._take(found[0])
        self._show_places()

    def _take(self, mapping: laid.TableMapping) -> None:
        self.mapping = mapping
        self.changed.emit()


def _fixed(text: str) -> QTableWidgetItem:
    item = QTableWidgetItem(text)
    item.setFlags(Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
    item.setFont(figure_font(SMALL_PX))
    return item
