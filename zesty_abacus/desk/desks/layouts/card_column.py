"""The column of cards at the right of a plan: every field, part, check and computed value; one of them open."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtWidgets import QScrollArea, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.one_stop import OneStop
from ...widgets.parts import one_shot
from .cards import CARD_HEIGHT, Card, FieldCard, ItemCard
from .field_form import FieldForm
from .item_form import ItemForm


@dataclass(frozen=True, slots=True)
class Entry:
    """A card to show: what it is about, its number among all fields, how deep it lies."""

    item: Any
    number: int
    depth: int
    is_field: bool


def entries_of(layout: engine.Layout) -> list[Entry]:
    """Return the cards of a layout in reading order: fields, parts with what they hold, checks, computed values."""
    numbers = {field.id: number for number, field in enumerate(layout.all_fields())}
    made = [Entry(field, numbers[field.id], 0, True) for field in layout.fields]

    def fields(items: Any, depth: int) -> None:
        made.extend(Entry(field, numbers[field.id], depth, True) for field in items)

    def part(one: Any, depth: int) -> None:
        made.append(Entry(one, -1, depth, False))
        for name in ("type", "length", "field"):
            inner = getattr(one, name, None)
            if inner is not None and getattr(inner, "id", None) in numbers:
                fields((inner,), depth + 1)
        fields(getattr(one, "fields", ()), depth + 1)
        fields(getattr(one, "columns", ()), depth + 1)
        for inner in (*getattr(one, "parts", ()), *getattr(one, "cases", ())):
            part(inner, depth + 1)
        for inner in (*getattr(one, "checks", ()), *getattr(one, "computed", ())):
            made.append(Entry(inner, -1, depth + 1, False))

    for one in layout.parts:
        part(one, 0)
    made += [Entry(item, -1, 0, False) for item in (*layout.checks, *layout.computed)]
    return made


def entries_of_variant(layout: engine.Layout, variant: laid.Variant | None) -> list[Entry]:
    """Return the cards of what a variant holds; None is the whole layout."""
    entries = entries_of(layout)
    if variant is None:
        return entries
    there = laid.present_ids(layout, variant)
    gone = ({field.id for field in layout.fields} | {part.id for part in layout.parts}) - there
    depth_gone: int | None = None
    kept = []
    for entry in entries:
        # what a part holds goes with it
        if depth_gone is not None and entry.depth > depth_gone:
            continue
        depth_gone = entry.depth if entry.item.id in gone else None
        if depth_gone is None:
            kept.append(entry)
    return kept


class CardColumn(QScrollArea):
    """The cards of one layout; at most one is open and holds its form.

    Attributes
    ----------
    cards
        By the identity of what they are about.
    current
        Which is open.

    Events
    ------
    picked
        (item id or None) another card is open.
    edited
        (field or other item) something was changed in its form.
    grown
        (layout) something was added inside a part.
    moved
        The cards stand elsewhere on the screen.
    """

    picked = pyqtSignal(object)
    edited = pyqtSignal(object)
    grown = pyqtSignal(object)
    moved = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._shown: engine.Layout | None = None
        self.cards: dict[UUID, Card] = {}
        self.current: UUID | None = None
        self.form = FieldForm(session)
        self.item_form = ItemForm(session)
        for form in (self.form, self.item_form):
            form.setParent(self)
            form.hide()
            form.edited.connect(self.edited)
        self.item_form.grown.connect(self.grown)
        self._soon_in_sight = one_shot(self, 0, self._bring_into_sight)
        self._stop = OneStop(self)
        self._holder = QWidget()
        self._column = QVBoxLayout(self._holder)
        self._column.setContentsMargins(0, 16, 10, 8)
        self._column.setSpacing(5)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setWidget(self._holder)
        self._holder.installEventFilter(self)
        bar = self.verticalScrollBar()
        if bar is not None:
            bar.valueChanged.connect(self.moved)

    def show_layout(self, shown: engine.Layout | None, variant: laid.Variant | None) -> None:
        """Show what a variant of a layout holds; cards of what stays are kept, so that the form keeps its focus."""
        self._shown = shown
        entries = entries_of_variant(shown, variant) if shown is not None else []
        for gone in set(self.cards) - {entry.item.id for entry in entries}:
            self._drop_card(gone)
        for entry in entries:
            if entry.item.id not in self.cards:
                card = (FieldCard if entry.is_field else ItemCard)(self._session, entry.item, entry.number, entry.depth)
                card.picked.connect(self.pick)
                self.cards[entry.item.id] = card
            self.cards[entry.item.id].show_item(entry.item, entry.number, entry.depth, shown)
        in_order = [self.cards[entry.item.id] for entry in entries]
        self._arrange(in_order)
        self._stop.hold(in_order)
        if self.current is not None:
            self._show_form()

    def pick(self, item_id: UUID | None) -> None:
        """Open a card, or close the open one."""
        if item_id == self.current:
            return
        self._take_form_out()
        self.current = item_id
        if item_id in self.cards:
            self._show_form()
            self.cards[item_id].open_form(self._form_of(item_id))
            self._soon_in_sight.start()
        self.picked.emit(item_id)

    def pick_number(self, number: int) -> None:
        """Open the card of a field by its number."""
        for key, card in self.cards.items():
            if card.number == number:
                self.pick(key)
                return

    def number_of_current(self) -> int:
        """Return the number of the field whose card is open; -1 if none is, or it is not of a field."""
        return self.cards[self.current].number if self.current in self.cards else -1

    def show_problem(self, attribute: str, sentence: str) -> None:
        """Say in the open form why an edit was not kept."""
        form = self.form if self.current is None else self._form_of(self.current)
        form.show_problem(attribute, sentence)

    def threads_end(self, target: QWidget) -> dict[int, tuple[Card, QPointF]]:
        """Return the card of each field's number that is in view, and where its thread ends on another widget."""
        area = self.viewport()
        assert area is not None
        top = area.mapTo(target, QPoint(0, 0)).y()
        found = {}
        for card in self.cards.values():
            end = QPointF(card.mapTo(target, QPoint(card.level * 16, CARD_HEIGHT // 2)))
            if card.number >= 0 and top - 4 <= end.y() <= top + area.height() + 4:
                found[card.number] = card, end
        return found

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self.moved.emit()
        return False

    def _show_form(self) -> None:
        assert self.current is not None and self._shown is not None
        if isinstance(self.cards[self.current], FieldCard):
            self.form.show_field(self._shown.any_field(self.current), self._shown)
        else:
            self.item_form.show_item(self._shown.item(self.current), self._shown)

    def _form_of(self, item_id: UUID) -> FieldForm | ItemForm:
        return self.form if isinstance(self.cards[item_id], FieldCard) else self.item_form

    def _bring_into_sight(self) -> None:
        if self.current in self.cards:
            card = self.cards[self.current]
            self.ensureWidgetVisible(card, 0, 8)
            # of a card that is taller than the area, the name is what must stay in sight
            self.ensureVisible(0, card.y(), 0, 6)
            self.moved.emit()

    def _take_form_out(self) -> None:
        if self.current in self.cards:
            card, form = self.cards[self.current], self._form_of(self.current)
            card.column.removeWidget(form)
            form.setParent(self)
            form.hide()
            card.close_form()

    def _drop_card(self, item_id: UUID) -> None:
        if item_id == self.current:
            self._take_form_out()
            self.current = None
        card = self.cards.pop(item_id)
        card.hide()
        self._column.removeWidget(card)
        card.deleteLater()

    def _arrange(self, cards: list[Card]) -> None:
        items = [self._column.itemAt(n) for n in range(self._column.count())]
        placed = [item.widget() for item in items if item is not None and item.widget() is not None]
        if placed != cards:
            while self._column.count():
                self._column.takeAt(0)
            for card in cards:
                self._column.addWidget(card)
            self._column.addStretch(1)
