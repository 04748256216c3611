"""The plan of a message: beads at the left, cards at the right, threads between them."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import msgspec
import numpy as np
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QScrollArea, QStackedWidget, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.abacus import AbacusState
from ...widgets.parts import label, one_shot
from ...widgets.theme import faded, look
from .cards import CARD_HEIGHT, Card, FieldCard, ItemCard
from .field_form import FieldForm
from .flow import FlowStrip, RegisterLadder
from .item_form import ItemForm
from .plan_abacus import PlanAbacus
from .variant_tabs import VariantTabs

_THREAD_WIDTH = 76
_STUB = 22
"""Length of a thread whose other end has scrolled out of view."""


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

    for one in layout.parts:
        part(one, 0)
    made += [Entry(item, -1, 0, False) for item in (*layout.checks, *layout.computed)]
    return made


class PlanView(QWidget):
    """Beads, cards and threads of one layout. Beads and card are two hands on the same field.

    With a field open, dragging over beads moves it there; with none open, dragging marks bits for a new one.

    Events
    ------
    field_picked
        (field id or None) another card is open.
    edited
        (field or other item) something was changed on the beads or in its form.
    grown
        (layout) something was added inside a part.
    """

    field_picked = pyqtSignal(object)
    edited = pyqtSignal(object)
    grown = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: engine.Layout | None = None
        self.current: UUID | None = None
        self._whole: engine.Layout | None = None
        self.cards: dict[UUID, Card] = {}
        self.abacus = PlanAbacus()
        self.tabs = VariantTabs(session, self)
        self._state = AbacusState()
        self.flow = FlowStrip()
        self.ladder = RegisterLadder(session)
        self.form = FieldForm(session)
        self.form.hide()
        self.form.edited.connect(self.edited)
        self.item_form = ItemForm(session)
        self.item_form.setParent(self)
        self.item_form.hide()
        self.item_form.edited.connect(self.edited)
        self.item_form.grown.connect(self.grown)
        self.flow.byte_picked.connect(self._pick_number)
        self.abacus.clicked.connect(self._pick_number)
        self.tabs.chosen.connect(lambda: self.show_layout(self._layout, self._state, self._whole))
        self.ladder.rung_picked.connect(self.pick)
        self._soon_in_sight = one_shot(self, 0, self._bring_into_sight)
        self._build()
        self.abacus.selected.connect(self._on_beads)
        self.abacus.selecting.connect(lambda _bits: self.update())
        look.changed.connect(self.update)

    def _build(self) -> None:
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.holder = QWidget()
        self.column = QVBoxLayout(self.holder)
        self.column.setContentsMargins(0, 16, 10, 8)
        self.column.setSpacing(5)
        self.card_area = QScrollArea()
        self.card_area.setWidgetResizable(True)
        self.card_area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.card_area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.card_area.setWidget(self.holder)
        self.hint = label("", "quiet", wrap=True)
        self.hint.setMaximumWidth(230)
        left = QVBoxLayout()
        left.setContentsMargins(0, 0, 0, 6)
        self.pictures = QStackedWidget()
        for picture in (self.abacus, self.flow, self.ladder):
            area = QScrollArea()
            area.setWidgetResizable(True)
            area.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
            area.setWidget(picture)
            bar = area.verticalScrollBar()
            if bar is not None:
                bar.valueChanged.connect(self.update)
            self.pictures.addWidget(area)
        left.addWidget(self.pictures, 1)
        left.addWidget(self.hint)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(10, 4, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.tabs)
        row = QHBoxLayout()
        row.setSpacing(0)
        whole.addLayout(row, 1)
        row.addLayout(left)
        row.addSpacing(_THREAD_WIDTH)
        row.addWidget(self.card_area, 1)
        bar = self.card_area.verticalScrollBar()
        if bar is not None:
            bar.valueChanged.connect(self.update)
        self.holder.installEventFilter(self)

    def sizeHint(self) -> QSize:
        return QSize(700, 360)

    def show_layout(self, layout: engine.Layout | None, state: AbacusState, whole: engine.Layout | None = None) -> None:
        """Show a layout; cards of what stays are kept, so that the form keeps its focus.

        ``whole`` is the register map that ``layout`` is a window of.
        """
        self._layout, self._whole, self._state = layout, whole, state
        self.tabs.show_layout(layout if whole is None else None)
        self.abacus.show_state(self._of_variant(state))
        self.abacus.setMinimumHeight(self.abacus.sizeHint().height())
        shown = whole or layout
        entries = self._entries(shown) if shown is not None else []
        for gone in set(self.cards) - {entry.item.id for entry in entries}:
            self._drop_card(gone)
        for entry in entries:
            if entry.item.id not in self.cards:
                card = (FieldCard if entry.is_field else ItemCard)(self._session, entry.item, entry.number, entry.depth)
                card.picked.connect(self.pick)
                self.cards[entry.item.id] = card
            self.cards[entry.item.id].show_item(entry.item, entry.number, entry.depth, shown)
        self._arrange([self.cards[entry.item.id] for entry in entries])
        if self.current is not None and shown is not None:
            self._show_form(shown)
        self._choose_picture()
        self._show_places()

    def _entries(self, shown: engine.Layout) -> list[Entry]:
        """Return the cards of what the variant in hand holds."""
        variant = self.tabs.variant
        if variant is None:
            return entries_of(shown)
        there = laid.present_ids(shown, variant)
        gone = ({field.id for field in shown.fields} | {part.id for part in shown.parts}) - there
        entries = entries_of(shown)
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

    def _of_variant(self, state: AbacusState) -> AbacusState:
        """Return what the beads show with only the fields of the variant in hand."""
        variant = self.tabs.variant
        if variant is None or self._layout is None:
            return state
        there = laid.present_ids(self._layout, variant)
        owners = np.full(len(state.owners), -1, np.int16)
        for number, field in enumerate(self._layout.fields):
            if field.id in there:
                bits = [bit for bit in field.places if bit < len(owners)]
                owners[bits] = number
        # a bit that another variant explains is no riddle here
        moves = state.moves & ((state.owners[: len(state.moves)] < 0) | (owners[: len(state.moves)] >= 0))
        return replace(state, owners=owners, moves=moves)

    def _choose_picture(self) -> None:
        """Beads for fixed places, a flowing strip where parts move, a ladder for a device."""
        layout = self._layout
        number = 0 if layout is None else 2 if self._whole is not None else 1 if layout.moves else 0
        self.pictures.setCurrentIndex(number)
        widths = (self.abacus.sizeHint().width(), self.flow.sizeHint().width(), self.ladder.sizeHint().width())
        self.pictures.setFixedWidth(widths[number] + 14)
        self.show_frame()

    def show_frame(self) -> None:
        """Show the frame at the cursor in the strip, or the device's values there on the ladder."""
        session, layout = self._session, self._layout
        if layout is None or session.kind is None or self.pictures.currentIndex() == 0:
            return
        at = session.store.frame_at(session.kind, layout, session.clock.cursor_ns)
        if self._whole is not None:
            self.ladder.show_map(self._whole, layout, self._values_at_cursor(), self.current)
        elif at is not None:
            card = self.cards.get(self.current) if self.current is not None else None
            self.flow.show_frame(at.payload, at.owners, card.number if card is not None else -1)
        else:
            self.flow.show_frame(b"", np.zeros(0, np.int16), -1)

    def _values_at_cursor(self) -> dict[UUID, str]:
        """Return the last known value of every register of the map, from all exchanges that carry a part of it."""
        session = self._session
        assert self._whole is not None
        latest: dict[UUID, tuple[int, str]] = {}
        for kind, window in session.reading.shown_by(self._whole.id):
            at = session.store.frame_at(kind, window, session.clock.cursor_ns)
            if at is None or at.decoded is None:
                continue
            for key, column in at.decoded.columns.items():
                if column.has_value[0] and at.time_ns >= latest.get(key, (at.time_ns, ""))[0]:
                    latest[key] = at.time_ns, engine.wording.value_text(column, 0)
        return {key: text for key, (_, text) in latest.items()}

    def _pick_number(self, number: int) -> None:
        for key, card in self.cards.items():
            if card.number == number:
                self.pick(key)
                return

    def _show_form(self, layout: engine.Layout) -> None:
        assert self.current is not None
        if isinstance(self.cards[self.current], FieldCard):
            self.form.show_field(layout.any_field(self.current), layout)
        else:
            self.item_form.show_item(layout.item(self.current), layout)

    def pick(self, field_id: UUID | None) -> None:
        """Open a card, or close the open one."""
        if field_id == self.current:
            return
        self._take_form_out()
        self.current = field_id
        shown = self._whole or self._layout
        if field_id is not None and shown is not None and field_id in self.cards:
            self._show_form(shown)
            self.cards[field_id].open_form(self._form_of(field_id))
            self._soon_in_sight.start()
        self._show_places()
        self.field_picked.emit(field_id)
        self.update()

    def show_problem(self, attribute: str, sentence: str) -> None:
        """Say why an edit was not kept."""
        if self.current is None or isinstance(self.cards[self.current], FieldCard):
            self.form.show_problem(attribute, sentence)
        else:
            self.item_form.show_problem(attribute, sentence)
        self._show_places()

    def _form_of(self, item_id: UUID) -> QWidget:
        return self.form if isinstance(self.cards[item_id], FieldCard) else self.item_form

    def _bring_into_sight(self) -> None:
        if self.current is not None and self.current in self.cards:
            card = self.cards[self.current]
            self.card_area.ensureWidgetVisible(card, 0, 8)
            # of a card that is taller than the area, the name is what must stay in sight
            self.card_area.ensureVisible(0, card.y(), 0, 6)
            self.update()

    def _take_form_out(self) -> None:
        if self.current is not None and self.current in self.cards:
            card = self.cards[self.current]
            form = self._form_of(self.current)
            card.column.removeWidget(form)
            form.setParent(self)
            form.hide()
            card.close_form()

    def _drop_card(self, field_id: UUID) -> None:
        if field_id == self.current:
            self._take_form_out()
            self.current = None
        card = self.cards.pop(field_id)
        card.hide()
        self.column.removeWidget(card)
        card.deleteLater()

    def _arrange(self, cards: list[Card]) -> None:
        placed = [self.column.itemAt(n).widget() for n in range(self.column.count()) if self.column.itemAt(n).widget()]  # type: ignore[union-attr]
        if placed != cards:
            while self.column.count():
                self.column.takeAt(0)
            for card in cards:
                self.column.addWidget(card)
            self.column.addStretch(1)

    def _show_places(self) -> None:
        layout = self._layout
        bits: frozenset[int] = frozenset()
        fixed = self._fixed_field()
        if fixed is not None:
            bits = frozenset(fixed.places.bits)
        self.abacus.show_bits(bits)
        self.show_frame()
        if self._whole is not None:
            self.hint.setText(
                "Bright rungs are in this exchange. Click one to edit it; sweep free ones for a new field."
            )
        elif layout is not None and layout.moves:
            self.hint.setText("Colours say which field a byte belongs to in this frame. Click one to edit it.")
        elif self.current is not None:
            self.hint.setText(
                "Drag the field by a bead to move it, by its end to stretch it; Alt splits. Esc closes it."
            )
        else:
            self.hint.setText("Drag over free beads, then F makes a field. Drag a field by its beads; click opens it.")
        self.update()

    def _fixed_field(self) -> engine.Field | None:
        """Return the open field if it has a fixed place in what the beads show."""
        if self._layout is None or self.current is None:
            return None
        return next((field for field in self._layout.fields if field.id == self.current), None)

    def _on_beads(self, bits: frozenset[int]) -> None:
        """Move the open field to the beads, in the byte order it had."""
        field = self._fixed_field()
        if field is None or not bits:
            if self.current is not None:
                self._show_places()
            return
        if bits == frozenset(field.places.bits):
            return
        low_first = field.places.order_words() == "low byte first"
        places = engine.places_of(bits, low_byte_first=low_first)
        self.edited.emit(msgspec.structs.replace(field, places=places))

    # threads

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        if self._layout is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(look.theme.panel))
        visible = QRectF(self.card_area.geometry())
        by_number = {card.number: card for card in self.cards.values() if card.number >= 0}
        for number, start in self._thread_starts():
            card = by_number.get(number)
            if card is None:
                continue
            end = QPointF(card.mapTo(self, QPoint(card.level * 16, CARD_HEIGHT // 2)))
            if visible.top() - 4 <= end.y() <= visible.bottom() + 4:
                self._draw_thread(painter, card, start, end)
        painter.end()

    def _beyond(self, y: float) -> int:
        """Return -1 for what has scrolled out of the picture at its top, 1 at its bottom, 0 for what is in view."""
        area = self.pictures.currentWidget()
        assert area is not None
        top, bottom = area.mapTo(self, QPoint(0, 6)).y(), area.mapTo(self, QPoint(0, area.height() - 6)).y()
        return -1 if y < top else 1 if y > bottom else 0

    def _thread_starts(self) -> Iterator[tuple[int, QPointF]]:
        """Yield the number of each field and where its thread leaves the picture, or would if that were scrolled."""
        area = self.pictures.currentWidget()
        assert area is not None and self._layout is not None
        edge = float(area.mapTo(self, QPoint(area.width() - 8, 0)).x())
        if self._whole is not None:
            for number, rung in enumerate(self.ladder.rungs):
                if rung.field is not None:
                    y = self.ladder.mapTo(self, self.ladder.rung_rect(number).center().toPoint()).y()
                    yield self._whole.fields.index(rung.field), QPointF(edge, y)
        elif self._layout.moves:
            for number in range(len(list(self._layout.all_fields()))):
                box = self.flow.first_cell(number)
                if box is not None:
                    y = self.flow.mapTo(self, box.center().toPoint()).y()
                    yield number, QPointF(edge, y)
        else:
            for number, field in enumerate(self._layout.fields):
                numbers = field.places.byte_numbers()
                middle = sum(self.abacus.bead_center(byte * 8).y() for byte in numbers) / len(numbers)
                yield number, QPointF(self.abacus.mapTo(self, QPoint(int(self.abacus.rod_end()), int(middle))))

    def _draw_thread(self, painter: QPainter, card: Card, start: QPointF, end: QPointF) -> None:
        chosen = card.item.id == self.current
        color = QColor(look.theme.zest) if chosen else faded(look.theme.field(card.number), 0.7)
        beyond = self._beyond(start.y())
        if beyond:
            # all of them would meet in one corner, and tell nothing: a stub says which way the other end lies
            start = QPointF(end.x() - _STUB, end.y() + beyond * _STUB / 2)
        path = QPainterPath(start)
        half = (end.x() - start.x()) / 2
        path.cubicTo(QPointF(start.x() + half, start.y()), QPointF(end.x() - half, end.y()), end)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color, 2.0 if chosen else 1.2))
        painter.drawPath(path)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() in (QEvent.Type.Resize, QEvent.Type.LayoutRequest):
            self.update()
        return False

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.current is not None:
            self.pick(None)
        else:
            super().keyPressEvent(event)
