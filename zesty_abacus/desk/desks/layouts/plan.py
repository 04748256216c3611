"""The plan of a message: its picture at the left, cards at the right, threads between them."""

from __future__ import annotations

from dataclasses import replace
from uuid import UUID

import msgspec
import numpy as np
from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QSpacerItem, QVBoxLayout, QWidget

from ...app.doors import engine, laid
from ...app.session import Session
from ...widgets.beads import AbacusState
from ...widgets.theme import faded, look
from .card_column import CardColumn
from .cards import Card
from .plan_pictures import PlanPictures
from .variant_tabs import VariantTabs

_THREAD_WIDTH, _THREAD_WIDTH_OF_MAPS = 76, 34
"""From picture to cards; the ladder of a map is broader than beads are, and an open card wants as much room."""
_STUB = 22
"""Length of a thread whose other end has scrolled out of view."""


class PlanView(QWidget):
    """Picture, cards and threads of one layout. Picture and card are two hands on the same field.

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
        self._layout: engine.Layout | None = None
        self._whole: engine.Layout | None = None
        self._state = AbacusState()
        self.tabs = VariantTabs(session, self)
        self.pictures = PlanPictures(session)
        self.column = CardColumn(session)
        self._build()
        self._connect()

    def _build(self) -> None:
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(10, 4, 0, 0)
        whole.setSpacing(0)
        whole.addWidget(self.tabs)
        row = QHBoxLayout()
        row.setSpacing(0)
        whole.addLayout(row, 1)
        row.addWidget(self.pictures)
        self._between = QSpacerItem(_THREAD_WIDTH, 0)
        row.addItem(self._between)
        row.addWidget(self.column, 1)
        self._row = row

    def _connect(self) -> None:
        pictures, column = self.pictures, self.column
        self.tabs.chosen.connect(lambda: self.show_layout(self._layout, self._state, self._whole))
        column.picked.connect(self._on_picked)
        column.edited.connect(self.edited)
        column.grown.connect(self.grown)
        column.moved.connect(self.update)
        pictures.scrolled.connect(self.update)
        pictures.flow.byte_picked.connect(column.pick_number)
        pictures.ladder.rung_picked.connect(column.pick)
        pictures.abacus.clicked.connect(column.pick_number)
        pictures.abacus.selected.connect(self._on_beads)
        pictures.abacus.selecting.connect(lambda _bits: self.update())
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(700, 360)

    @property
    def current(self) -> UUID | None:
        """What is open: a field, a part, a check or a computed value."""
        return self.column.current

    def show_layout(self, layout: engine.Layout | None, state: AbacusState, whole: engine.Layout | None = None) -> None:
        """Show a layout.

        ``whole`` is the register map that ``layout`` is a window of.
        """
        self._layout, self._whole, self._state = layout, whole, state
        self.tabs.show_layout(layout if whole is None else None)
        abacus = self.pictures.abacus
        abacus.show_state(self._of_variant(state))
        abacus.setMinimumHeight(abacus.sizeHint().height())
        self.column.show_layout(whole or layout, self.tabs.variant)
        self.pictures.show_layout(layout, whole)
        self._between.changeSize(_THREAD_WIDTH if whole is None else _THREAD_WIDTH_OF_MAPS, 0)
        self._row.invalidate()
        self._show_places()

    def show_frame(self) -> None:
        """Show the frame at the cursor in the picture, where that depends on it."""
        self.pictures.show_frame(self.column.current, self.column.number_of_current())

    def pick(self, field_id: UUID | None) -> None:
        """Open a card, or close the open one."""
        self.column.pick(field_id)

    def show_problem(self, attribute: str, sentence: str) -> None:
        """Say why an edit was not kept."""
        self.column.show_problem(attribute, sentence)
        self._show_places()

    def _on_picked(self, field_id: UUID | None) -> None:
        self._show_places()
        self.field_picked.emit(field_id)

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

    def _show_places(self) -> None:
        fixed = self._fixed_field()
        self.pictures.abacus.show_bits(frozenset(fixed.places.bits) if fixed is not None else frozenset())
        self.show_frame()
        self.pictures.say_hint(self.current is not None)
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
        ends = self.column.threads_end(self)
        for number, start in self.pictures.threads_start(self):
            if number in ends:
                self._draw_thread(painter, ends[number][0], start, ends[number][1])
        painter.end()

    def _draw_thread(self, painter: QPainter, card: Card, start: QPointF, end: QPointF) -> None:
        chosen = card.item.id == self.current
        color = QColor(look.theme.zest) if chosen else faded(look.theme.field(card.number), 0.7)
        beyond = self.pictures.beyond(start.y(), self)
        if beyond:
            # all of them would meet in one corner, and tell nothing: a stub says which way the other end lies
            start = QPointF(end.x() - _STUB, end.y() + beyond * _STUB / 2)
        path = QPainterPath(start)
        half = (end.x() - start.x()) / 2
        path.cubicTo(QPointF(start.x() + half, start.y()), QPointF(end.x() - half, end.y()), end)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(color, 2.0 if chosen else 1.2))
        painter.drawPath(path)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() == Qt.Key.Key_Escape and self.current is not None:
            self.pick(None)
        else:
            super().keyPressEvent(event)
