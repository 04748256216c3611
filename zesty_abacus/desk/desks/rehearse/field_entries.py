"""The entries of a message that is composed: a value or a feed for each field that a person gives."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from fractions import Fraction
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPaintEvent
from PyQt6.QtWidgets import QGridLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine, going
from ...widgets.parts import clear_grid, label
from ...widgets.theme import look
from ...widgets.words import counted
from .hand_slider import HandSlider

_SWATCH_PX = 9


class Swatch(QWidget):
    """The colour that the bits of a field have, so that one sees which bytes an entry is."""

    def __init__(self, number: int) -> None:
        super().__init__()
        self._number = number
        self.setFixedSize(_SWATCH_PX, _SWATCH_PX)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(look.theme.field(self._number))
        painter.drawEllipse(self.rect())
        painter.end()


class FieldEntries(QWidget):
    """A line a field, with a slider beside what is a number on equal steps.

    Attributes
    ----------
    lines
        The entries, by the field's name.
    sliders
        By the field's name; only of numbers on equal steps.

    Events
    ------
    typed
        A person gave something.
    """

    typed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.lines: dict[str, QLineEdit] = {}
        self.sliders: dict[str, HandSlider] = {}
        self._fields: Sequence[Any] = ()
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(3)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 6, 0)
        column.addLayout(self._grid)
        column.addStretch(1)

    def show_fields(
        self, fields: Sequence[tuple[int, Any]], lists: Sequence[Any], feeds: Mapping[str, Any]
    ) -> None:  # fmt: skip
        """Show entries for other fields and lists.

        Parameters
        ----------
        fields
            Each with the number by which its bits are coloured.
        lists
            Arrays and lists of elements, which are typed as JSON.
        feeds
            What some of them are fed by already.
        """
        clear_grid(self._grid)
        self.lines, self.sliders, self._fields = {}, {}, [field for _, field in fields]
        for row, (number, field) in enumerate(fields):
            line = self._add_line(row, field.name, _hint(field), feeds)
            self._grid.addWidget(Swatch(number), row, 0)
            self._grid.addWidget(label(field.unit, "quiet"), row, 3)
            self._add_slider(field, line, row)
        for row, part in enumerate(lists, len(fields)):
            self._add_line(row, part.name, part.example(), feeds)

    def _add_line(self, row: int, name: str, hint: str, feeds: Mapping[str, Any]) -> QLineEdit:
        line = QLineEdit(feeds[name].words if name in feeds else "")
        line.setAccessibleName(name)
        line.setPlaceholderText(hint)
        line.editingFinished.connect(lambda: self._finish(line))
        self._grid.addWidget(label(name, "quiet"), row, 1)
        self._grid.addWidget(line, row, 2)
        self.lines[name] = line
        return line

    def _add_slider(self, field: Any, line: QLineEdit, row: int) -> None:
        stops = going.stops_of(field)
        if stops is None:
            return
        slider = HandSlider(field.name, stops)
        slider.follow(line.text())
        slider.moved.connect(lambda text: self.give(field.name, text))
        line.textChanged.connect(slider.follow)
        self._grid.addWidget(slider, row, 4)
        self.sliders[field.name] = slider

    def give(self, name: str, text: str) -> None:
        """Take a value or a feed as if it had been typed."""
        line = self.lines[name]
        line.setText(text)
        line.setModified(True)
        self._finish(line)

    def _finish(self, line: QLineEdit) -> None:
        # an entry that is only left says that it is finished, too
        if line.isModified():
            line.setModified(False)
            self.typed.emit()

    def feeds(self) -> dict[str, Any]:
        """Return what is typed, by the field's name; empty entries are left out.

        Raises
        ------
        MisuseError
            If something typed is no value and feeds nothing.
        """
        return {name: going.parse_feed(text) for name, line in self.lines.items() if (text := line.text().strip())}

    def follow(self, payload: bytes) -> None:
        """Show what a payload says; fields that it is too short for keep what was typed."""
        for field in self._fields:
            if field.places.bits and field.places.size_needed <= len(payload) and field.raw_is_number:
                raw, value = going.get_value(payload, field)
                self.lines[field.name].setText(_entry(field, raw, value))


def _hint(field: Any) -> str:
    """Return what may be given for a field, as an example."""
    if field.called:
        return ", ".join(one.label for one in field.called[:4])
    if field.raw_is_number:
        return "0, or sine 0 to 10 in 5 s"
    if field.kind.value == "bytes":
        return "bytes, such as A5 01"
    size = len(field.places) // 8
    return f"a text of {counted(size, 'byte')}" if size and field.code is None else "a text"


def _entry(field: Any, raw: int | None, value: Fraction | None) -> str:
    """Return what would be typed for a value; a name that stands for several only where it is the one that is sent."""
    name = field.label_of(raw) if field.called and raw is not None else None
    if name is not None and field.raw_called(name) == raw:
        return str(name)
    return "" if value is None else engine.format_exact(value)
