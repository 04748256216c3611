"""A part, check or computed value as a form: a line for each thing that can be set."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QGridLayout, QLineEdit, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.parts import Choice, button, is_in_hand, label
from ...widgets.theme import figure_font
from .field_form import mark_wrong

_WIDE = {"note", "selected", "axis", "expression"}
_PLAIN_TYPE = {"name", "note", "repeat", "carry", "negated", "reflect_in", "reflect_out", "field", "of"}


class ItemForm(QWidget):
    """Edits one item. Every finished entry makes a changed item; a wrong one stays and says why.

    Events
    ------
    edited
        (item) the item with the entry taken over.
    grown
        (layout) something was added inside the item.
    """

    edited = pyqtSignal(object)
    grown = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._item: Any = None
        self._layout: engine.Layout | None = None
        self.entries: dict[str, QLineEdit | QComboBox] = {}
        self._name_fields: set[str] = set()
        self.problem = label("", "wrong", wrap=True)
        self.grow = button("", "")
        self.grow.clicked.connect(self._grow)
        self._grid = QGridLayout(self)
        self._grid.setContentsMargins(0, 4, 0, 0)
        self._grid.setHorizontalSpacing(8)
        self._grid.setVerticalSpacing(5)
        self._grid.setColumnStretch(1, 1)
        self._grid.setColumnStretch(3, 1)
        # they belong here from the start: shown without a parent, either would be a window of its own
        self._grid.addWidget(self.grow, 30, 1)
        self._grid.addWidget(self.problem, 31, 0, 1, 4)

    def show_item(self, item: Any, layout: engine.Layout) -> None:
        """Show another item, or the same one changed."""
        if self._item is None or type(item) is not type(self._item) or item.id != self._item.id:
            self._item, self._layout = item, layout
            self._build()
        self._item, self._layout = item, layout
        for name, entry in self.entries.items():
            text = engine.attribute_text(item, name, layout)
            if isinstance(entry, QComboBox):
                choices = self._field_names() if name in self._name_fields else None
                if choices is not None and choices != [entry.itemText(place) for place in range(entry.count())]:
                    entry.clear()
                    _offer(entry, choices, {})
                entry.setCurrentIndex(entry.findData(text))
            elif entry.text() != text and not is_in_hand(entry):
                entry.setText(text)
                mark_wrong(entry, wrong=False)
        if not any(isinstance(entry, QLineEdit) and is_in_hand(entry) for entry in self.entries.values()):
            self.problem.hide()

    def show_problem(self, attribute: str, sentence: str) -> None:
        """Say what is wrong, beside the entry it is about."""
        entry = self.entries.get(attribute)
        if isinstance(entry, QLineEdit):
            mark_wrong(entry, wrong=True)
            entry.setModified(True)
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))

    def _build(self) -> None:
        while self._grid.count():
            taken = self._grid.takeAt(0)
            widget = taken.widget() if taken is not None else None
            if widget is not None and widget not in (self.problem, self.grow):
                widget.hide()
                widget.deleteLater()
        self.entries = {}
        self._name_fields.clear()
        place = 0
        for attribute in engine.attributes_of(self._item):
            wide = attribute.name in _WIDE
            place += place % 2 if wide else 0
            row, column = divmod(place, 2)
            words = label(attribute.words, "section")
            words.setAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            entry = self._entry(attribute)
            self.entries[attribute.name] = entry
            self._grid.addWidget(words, row, column * 2)
            self._grid.addWidget(entry, row, column * 2 + 1, 1, 3 if wide else 1)
            place += 2 if wide else 1
        inside = "" if self._item is None else self._item.fits_inside
        self.grow.setText(f"Add {inside}")
        self.grow.setVisible(bool(inside))
        self._grid.addWidget(self.grow, 30, 1)
        self._grid.addWidget(self.problem, 31, 0, 1, 4)

    def _field_names(self) -> list[str]:
        return [field.name for field in self._layout.once_a_frame() if field.raw_is_number] if self._layout else []

    def _entry(self, attribute: engine.Attribute) -> QLineEdit | QComboBox:
        name = attribute.name
        choices = attribute.choices
        if attribute.names_a_field and self._layout is not None:
            choices = tuple(self._field_names())
            self._name_fields.add(name)
        if choices:
            box = Choice()
            _offer(box, choices, attribute.choice_words)
            box.setAccessibleName(attribute.words)
            box.activated.connect(lambda _index, name=name: self._take(name))
            return box
        line = QLineEdit()
        line.setPlaceholderText(attribute.hint)
        line.setAccessibleName(attribute.words)
        if name not in _PLAIN_TYPE:
            line.setFont(figure_font())
        line.editingFinished.connect(lambda name=name: self._take(name))
        return line

    def _take(self, name: str) -> None:
        if self._item is None or self._layout is None or name not in self.entries:
            return
        entry = self.entries[name]
        text = entry.currentData() if isinstance(entry, QComboBox) else entry.text()
        try:
            changed = engine.with_attribute(self._item, name, text, self._layout)
        except (engine.AbacusError, ValueError) as error:
            self.show_problem(name, str(error))
            return
        if changed != self._item:
            if isinstance(entry, QLineEdit):
                entry.setModified(False)
            self.edited.emit(changed)

    def _grow(self) -> None:
        if self._item is not None and self._layout is not None:
            self.grown.emit(engine.with_one_more_inside(self._layout, self._item))


def _offer(box: QComboBox, choices: Iterable[str], words: Mapping[str, str]) -> None:
    for choice in choices:
        box.addItem(words.get(choice, choice), choice)
