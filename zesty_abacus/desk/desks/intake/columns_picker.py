"""Chooses what the columns of a text table are, with a preview that follows at once."""

from __future__ import annotations

import msgspec
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLineEdit, QScrollArea, QVBoxLayout, QWidget

from ...app.doors import engine, lines
from ...widgets.parts import Choice, NoWheel, button, clear_layout, label
from ...widgets.theme import SMALL_PX, figure_font, look
from .bench import Bench

_PREVIEW_LINES = 8
_BASES = ((16, "hex"), (10, "decimal"))
_SEPARATORS = ((",", "comma"), (";", "semicolon"), ("\t", "tab"), (" ", "blanks"), ("|", "bar"))


class ColumnsPicker(QWidget):
    """The first lines of the file under a choice a column.

    Events
    ------
    done
        The user is finished with it.
    """

    done = pyqtSignal()

    def __init__(self, bench: Bench) -> None:
        super().__init__()
        self._bench = bench
        self._no_wheel = NoWheel(self)
        self.columns: lines.Columns | None = None
        self._lines: list[str] = []
        self.setAccessibleName("Columns")
        self._head, self._below = QHBoxLayout(), QHBoxLayout()
        self._grid_holder = QWidget()
        self._grid = QGridLayout(self._grid_holder)
        self._grid.setContentsMargins(0, 0, 0, 0)
        self._grid.setHorizontalSpacing(14)
        self._grid.setVerticalSpacing(2)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self._grid_holder)
        self.problem = label("", "wrong", wrap=True)
        column = QVBoxLayout(self)
        column.setContentsMargins(18, 10, 18, 8)
        column.addLayout(self._head)
        column.addLayout(self._below)
        column.addWidget(area, 1)
        column.addWidget(self.problem)

    def begin(self) -> None:
        """Show the table of the source in hand."""
        assert self._bench.opened is not None
        text = lines.head_of(self._bench.opened.request.path)
        self._lines = [line for line in text.splitlines() if line.strip()]
        recipe = self._bench.recipe
        chosen = recipe.columns if recipe is not None else None
        self.columns = chosen or lines.guess_columns(text) or lines.Columns()
        self._show()

    def _show(self) -> None:
        self._show_head()
        self._show_grid()

    def _show_head(self) -> None:
        clear_layout(self._head)
        columns = self.columns
        assert columns is not None
        self._head.addWidget(label("separated by", "quiet"))
        self._head.addWidget(self._choice("separator", _SEPARATORS, columns.separator))
        self._head.addWidget(label("decimal sign", "quiet"))
        self._head.addWidget(self._choice("decimal", ((".", "point"), (",", "comma")), columns.decimal))
        if columns.of_role("time"):
            self._head.addWidget(label("time in", "quiet"))
            units = tuple((unit, unit) for unit in lines.TIME_UNITS)
            self._head.addWidget(self._choice("time_unit", units, columns.time_unit))
        else:
            self._head.addWidget(label("rows a second", "quiet"))
            rate = QLineEdit(f"{columns.rate_hz:.15g}" if columns.rate_hz else "")
            rate.setAccessibleName("rows a second")
            rate.setMaximumWidth(90)
            rate.editingFinished.connect(lambda: self._set_rate(rate.text()))
            self._head.addWidget(rate)
        self._head.addStretch(1)
        self._show_below(columns)

    def _show_below(self, columns: lines.Columns) -> None:
        clear_layout(self._below)
        for role, words, name in (("address", "addresses are", "base"), ("byte", "bytes are", "byte_base")):
            if columns.of_role(role):
                self._below.addWidget(label(words, "quiet"))
                self._below.addWidget(self._choice(name, _BASES, getattr(columns, name)))
        use = button("Read it this way", main=True)
        use.clicked.connect(self._use)
        leave = button("Leave as it was")
        leave.clicked.connect(self.done)
        self._below.addStretch(1)
        self._below.addWidget(use)
        self._below.addWidget(leave)

    def _choice(self, name: str, choices, value: object) -> QComboBox:  # type: ignore[no-untyped-def]
        box = Choice()
        box.setAccessibleName(name.replace("_", " "))
        box.installEventFilter(self._no_wheel)
        for known, words in choices:
            box.addItem(words, known)
        box.setCurrentIndex(max(box.findData(value), 0))
        box.activated.connect(lambda _index: self._set(name, box.currentData()))
        return box

    def _set(self, name: str, value: object) -> None:
        assert self.columns is not None
        self.columns = msgspec.structs.replace(self.columns, **{name: value})
        if name == "separator":
            # other cells: names and roles are guessed anew for them
            width = len(lines.split_line(self._lines[-1], str(value))) if self._lines else 1
            names = tuple(f"column {number + 1}" for number in range(width))
            roles = ("time", *("channel",) * (width - 1)) if width > 1 else ("channel",)
            self.columns = msgspec.structs.replace(self.columns, names=names, roles=roles, tail=False)
        self._show()

    def _set_rate(self, text: str) -> None:
        try:
            rate = float(text) if text.strip() else None
        except ValueError:
            self.problem.setText(f"{text!r} is no number of rows a second.")
            return
        assert self.columns is not None
        self.columns = msgspec.structs.replace(self.columns, rate_hz=rate)

    def _set_role(self, number: int, role: str) -> None:
        assert self.columns is not None
        roles = list(self.columns.roles)
        if role == "time":
            roles = ["ignore" if known == "time" else known for known in roles]
        roles[number] = role
        self.columns = msgspec.structs.replace(self.columns, roles=tuple(roles))
        self._show()

    def _show_grid(self) -> None:
        while self._grid.count():
            item = self._grid.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                widget.hide()
                widget.deleteLater()
        columns = self.columns
        assert columns is not None
        for number, (name, role) in enumerate(zip(columns.names, columns.roles, strict=False)):
            box = Choice()
            box.setAccessibleName(f"meaning of {name}")
            box.installEventFilter(self._no_wheel)
            box.addItems(lines.ROLES)
            box.setCurrentText(role)
            box.textActivated.connect(lambda role, number=number: self._set_role(number, role))
            self._grid.addWidget(box, 0, number)
            heading = label(name, "quiet")
            self._grid.addWidget(heading, 1, number)
        for row, text in enumerate(self._lines[columns.head_lines :][:_PREVIEW_LINES], 2):
            for number, cell in enumerate(columns.cells(text)[: len(columns.roles)]):
                shown = label(cell)
                shown.setFont(figure_font(SMALL_PX))
                if columns.roles[number] == "ignore":
                    shown.setStyleSheet(f"color: {look.theme.quiet};")
                self._grid.addWidget(shown, row, number)
        self._grid.setRowStretch(_PREVIEW_LINES + 3, 1)
        self._grid.setColumnStretch(len(columns.roles), 1)
        self._grid.setAlignment(Qt.AlignmentFlag.AlignTop)

    def _use(self) -> None:
        assert self.columns is not None
        try:
            self.columns.check()
        except engine.AbacusError as error:
            self.problem.setText(str(error))
            return
        recipe = self._bench.recipe or lines.new_recipe(self._bench.opened.request.path.stem)  # type: ignore[union-attr]
        self._bench.take(msgspec.structs.replace(recipe, columns=self.columns))
        self.done.emit()
