"""A field as a form: every attribute in place, each wrong entry with its sentence."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from uuid import UUID

import msgspec
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QLineEdit, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import Choice, button, is_in_hand, label
from ...widgets.theme import figure_font

_WIDE = {"names", "symbols", "table", "polynomial", "note"}
_RARE = ("symbols", "table", "polynomial", "inverted", "encoding", "padding", "base", "digits")
_FIGURES = {"places", "ratio", "offset", "low", "high", "unavailable", "errors"}
_LINES = (
    ("name", "name", "what the value is"),
    ("places", "places", "B1 B0"),
    ("unit", "unit", ""),
    ("ratio", "step", "1"),
    ("offset", "offset", "0"),
    ("low", "low limit", "open"),
    ("high", "high limit", "open"),
    ("unavailable", "not available", "raw 255, 250..254"),
    ("errors", "fault at", "raw values"),
    ("names", "named values", "0 off, 1 on, 2 fault"),
    ("symbols", "code table", "bits and text: 0 e, 10 t, 11 end"),
    ("table", "table", "read: means, such as 0: -5, 364: 12"),
    ("polynomial", "polynomial", "from the constant on, such as 1, 0.5"),
    ("inverted", "bits turned", "no"),
    ("encoding", "encoding", "ascii"),
    ("padding", "filled up with", "nothing"),
    ("base", "number base", "10"),
    ("digits", "digits in text", "as many as it takes"),
    ("note", "note", ""),
)
_KINDS = (
    "unsigned", "signed", "float", "flag", "names", "bits", "text", "bytes", "sign-magnitude", "ones-complement", "bcd",
    "bcd-bytes", "gray",
)  # fmt: skip


class FieldForm(QWidget):
    """Edits one field. Every finished entry makes a changed field; a wrong one stays and says why.

    Events
    ------
    edited
        (field) the field with the entry taken over.
    """

    edited = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._field: engine.Field | None = None
        self._layout: engine.Layout | None = None
        self.lines: dict[str, QLineEdit] = {}
        self.kind = Choice()
        self.kind.setAccessibleName("kind")
        self.selector = Choice()
        self.selector.setAccessibleName("present when")
        # the longest kind is no reason for the entries beside it to be narrow
        for box in (self.kind, self.selector):
            box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            box.setMinimumContentsLength(8)
        self.selector_values = QLineEdit()
        self.selector_values.setAccessibleName("selector values")
        self.selector_values.setPlaceholderText("values")
        self.problem = label("", "wrong", wrap=True)
        self.more = button("More ways to read it", "A table, a polynomial, bits turned round, the encoding", link=True)
        self._labels: dict[QWidget, QLabel] = {}
        self._build()

    def _build(self) -> None:
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 4, 0, 0)
        grid.setHorizontalSpacing(8)
        grid.setVerticalSpacing(5)
        grid.setColumnStretch(1, 1)
        grid.setColumnStretch(3, 1)
        place = 0

        def put(words: str, widget: QWidget, *, wide: bool = False) -> None:
            nonlocal place
            if wide and place % 2:
                place += 1
            row, column = divmod(place, 2)
            self._labels[widget] = _small(words)
            grid.addWidget(self._labels[widget], row, column * 2)
            grid.addWidget(widget, row, column * 2 + 1, 1, 3 if wide else 1)
            place += 2 if wide else 1

        for attribute, words, hint in _LINES:
            line = QLineEdit()
            line.setPlaceholderText(hint)
            line.setAccessibleName(words)
            if attribute in _FIGURES:
                line.setFont(figure_font())
            line.editingFinished.connect(lambda attribute=attribute: self._take(attribute))
            self.lines[attribute] = line
            put(words, line, wide=attribute in _WIDE)
            if attribute == "places":
                put("kind", self.kind)
            elif attribute == "errors":
                put("present when", self._selector_row(), wide=True)
        grid.addWidget(self.more, 20, 1, 1, 3)
        grid.addWidget(self.problem, 21, 0, 1, 4)
        self.more.clicked.connect(self._show_more)
        self.problem.hide()
        self.kind.activated.connect(lambda _index: self._take("kind"))
        self.selector.activated.connect(lambda _index: self._take("selected"))
        self.selector_values.editingFinished.connect(lambda: self._take("selected"))

    def _selector_row(self) -> QWidget:
        holder = QWidget()
        row = QHBoxLayout(holder)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.selector, 2)
        row.addWidget(label("is", "section"))
        row.addWidget(self.selector_values, 1)
        return holder

    def show_field(self, field: engine.Field, layout: engine.Layout) -> None:
        """Show another field, or the same one changed elsewhere."""
        same = self._field is not None and self._field.id == field.id
        self._field, self._layout = field, layout
        if not self.kind.count():
            for word in _KINDS:
                self.kind.addItem(engine.FieldKind(word).words, word)
        in_hand = False
        for attribute, line in self.lines.items():
            if same and is_in_hand(line):
                in_hand = True
                continue
            text = self._text_of(attribute)
            if line.text() != text:
                line.setText(text)
            mark_wrong(line, wrong=False)
        self.kind.setCurrentIndex(self.kind.findData(field.kind.value))
        if not (same and is_in_hand(self.selector_values)):
            self._fill_selectors()
        if not in_hand:
            self.problem.hide()
        is_number = field.kind.is_number
        self._show_rare(everything=False)
        for attribute in ("encoding", "padding"):
            self.lines[attribute].setEnabled(field.kind.value == "text")
        for attribute in ("ratio", "offset", "unit", "low", "high", "table", "polynomial"):
            self.lines[attribute].setEnabled(is_number)
        self.lines["names"].setEnabled(field.raw_is_number and field.kind.value != "float")

    def _show_more(self) -> None:
        self._show_rare(everything=True)

    def _show_rare(self, *, everything: bool) -> None:
        """Show what few fields need only where it is set or asked for, so that a card stays in sight."""
        assert self._field is not None
        plain = engine.new_field("", engine.places_of((), low_byte_first=False))
        for attribute in _RARE:
            line = self.lines[attribute]
            needed = everything or getattr(self._field, attribute) != getattr(plain, attribute)
            needed |= attribute == "encoding" and self._field.kind.value == "text"
            line.setVisible(needed)
            self._labels[line].setVisible(needed)
        self.more.setVisible(not everything)

    def show_problem(self, attribute: str, sentence: str) -> None:
        """Say what is wrong, beside the entry it is about."""
        line = self.lines.get(attribute)
        if line is not None:
            mark_wrong(line, wrong=bool(sentence))
            line.setModified(bool(sentence))
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    def _fill_selectors(self) -> None:
        assert self._field is not None and self._layout is not None
        self.selector.clear()
        self.selector.addItem("always", None)
        for other in self._layout.fields:
            if other.id != self._field.id and other.raw_is_number and other.kind.value != "float":
                self.selector.addItem(other.name, str(other.id))
        selected = self._field.selected
        self.selector.setCurrentIndex(
            max(self.selector.findData(str(selected.field)), 0) if selected is not None else 0
        )
        self.selector_values.setText(str(selected.values) if selected is not None else "")
        self.selector_values.setEnabled(selected is not None)

    def _text_of(self, attribute: str) -> str:
        assert self._field is not None
        value = getattr(self._field, attribute)
        if value is None:
            return ""
        if attribute in ("ratio", "offset", "low", "high"):
            return engine.format_exact(value)
        if attribute == "table":
            return engine.format_table(value)
        if attribute == "polynomial":
            return ", ".join(map(engine.format_exact, value))
        if attribute == "inverted":
            return "yes" if value else ""
        if attribute == "padding":
            return engine.escaped_text(value)
        if attribute == "symbols":
            return engine.symbols_text(value)
        if attribute in ("base", "digits"):
            return "" if value == {"base": 10, "digits": 0}[attribute] else str(value)
        if attribute == "names":
            return engine.names_text(value, in_text=not len(self._field.places))
        if attribute == "places" and self._layout is not None:
            return self._layout.places_text(value)
        return str(value)

    def _take(self, attribute: str) -> None:
        """Read one entry and pass the changed field on."""
        if self._field is None:
            return
        try:
            changed = self._with_entry(attribute)
        except (engine.AbacusError, ValueError) as error:
            self.show_problem(attribute, str(error))
            return
        if changed == self._field:
            self.show_problem(attribute, "")
        else:
            # a finished entry may be shown anew, in the form the layout keeps it
            line = self.lines.get(attribute)
            if line is not None:
                line.setModified(False)
            self.edited.emit(changed)

    def _with_entry(self, attribute: str) -> engine.Field:
        assert self._field is not None
        if attribute == "kind":
            return engine.of_kind(self._field, engine.FieldKind(self.kind.currentData()))
        if attribute == "selected":
            return msgspec.structs.replace(self._field, selected=self._selected())
        text = self.lines[attribute].text().strip()
        readers: dict[str, Callable[[str], Any]] = {
            "places": engine.parse_places,
            "ratio": lambda t: engine.parse_exact(t or "1"),
            "offset": lambda t: engine.parse_exact(t or "0"),
            "low": lambda t: engine.parse_exact(t) if t else None,
            "high": lambda t: engine.parse_exact(t) if t else None,
            "unavailable": engine.parse_raw_set,
            "errors": engine.parse_raw_set,
            "names": engine.parse_names,
            "table": engine.parse_table,
            "polynomial": engine.parse_polynomial,
            "inverted": _yes,
            "encoding": lambda t: t or "ascii",
            "padding": engine.read_escapes,
            "symbols": engine.parse_symbols,
            "base": lambda t: int(t or "10"),
            "digits": lambda t: int(t or "0"),
        }
        value = readers.get(attribute, str)(text)
        if attribute == "places":
            return self._at_places(value)
        if attribute == "symbols" and value:
            return engine.read_by(self._field, value)
        return msgspec.structs.replace(self._field, **{attribute: value})

    def _at_places(self, places: Any) -> engine.Field:
        """Move the field; a plain number of one bit is a flag, a flag of more bits a plain number."""
        field, kinds = self._field, engine.FieldKind
        assert field is not None
        plain = field.kind is kinds.UNSIGNED and field.ratio == 1 and not (field.offset or field.unit or field.names)
        kind = kinds.FLAG if len(places) == 1 and plain else field.kind
        kind = kinds.UNSIGNED if len(places) > 1 and kind is kinds.FLAG else kind
        return msgspec.structs.replace(field, places=places, kind=kind)

    def _selected(self) -> engine.Selected | None:
        field_id = self.selector.currentData()
        if field_id is None:
            return None
        return engine.Selected(UUID(field_id), engine.parse_raw_set(self.selector_values.text() or "0"))


def _yes(text: str) -> bool:
    if text.lower() not in ("", "no", "yes"):
        raise ValueError(f"{text!r} is neither yes nor no.")
    return text.lower() == "yes"


def _small(words: str) -> QLabel:
    made = label(words, "section")
    made.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
    return made


def mark_wrong(line: QLineEdit, *, wrong: bool) -> None:
    """Mark an entry as wrong, or not."""
    if bool(line.property("wrong")) != wrong:
        line.setProperty("wrong", wrong)
        style = line.style()
        if style is not None:
            style.unpolish(line)
            style.polish(line)
