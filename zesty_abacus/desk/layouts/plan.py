"""The plan of a message: beads at the left, cards at the right, threads between them."""

from __future__ import annotations

from typing import TYPE_CHECKING
from uuid import UUID

import msgspec
from PyQt6.QtCore import QEvent, QObject, QPoint, QPointF, QRectF, QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QScrollArea, QSizePolicy, QVBoxLayout, QWidget

from ..session import Session
from ..theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ..widgets.abacus import Abacus, AbacusState, Drawing
from ..widgets.paint import draw_text
from ..widgets.parts import label
from .field_form import FieldForm

if TYPE_CHECKING:
    from .. import engine as heavy

_THREAD_WIDTH = 76
_CARD_HEIGHT = 37


class FieldCard(QFrame):
    """One field: its name and reading; opened, its form.

    Events
    ------
    picked
        (field id) the card was clicked.
    """

    picked = pyqtSignal(object)

    def __init__(self, session: Session, field: heavy.Field, number: int) -> None:
        super().__init__()
        self._session = session
        self.field = field
        self.number = number
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName(f"Field {field.name}")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(10, _CARD_HEIGHT, 10, 8)
        self.column.setSpacing(0)
        self.close_form()

    def open_form(self, form: FieldForm) -> None:
        """Grow to hold the form."""
        self.column.addWidget(form)
        form.show()
        self.setMinimumHeight(0)
        self.setMaximumHeight(16_777_215)
        self.updateGeometry()

    def close_form(self) -> None:
        """Shrink to two lines."""
        self.setFixedHeight(_CARD_HEIGHT)
        self.update()

    def show_field(self, field: heavy.Field, number: int) -> None:
        """Show the field changed."""
        self.field, self.number = field, number
        self.setAccessibleName(f"Field {field.name}")
        self.update()

    @property
    def is_open(self) -> bool:
        """Whether the form is in this card."""
        return self.column.count() > 0

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        color = theme.field(self.number)
        box = QRectF(self.rect()).adjusted(0.8, 0.8, -0.8, -0.8)
        painter.setPen(QPen(QColor(theme.zest) if self.is_open else faded(color, 0.55), 1.6 if self.is_open else 1))
        painter.setBrush(QColor(theme.panel) if self.is_open else faded(color, 0.12))
        painter.drawRoundedRect(box, 7, 7)
        painter.fillRect(QRectF(1.5, 8, 3.5, _CARD_HEIGHT - 16), color)
        self._draw_words(painter)
        painter.end()

    def _draw_words(self, painter: QPainter) -> None:
        theme, field = look.theme, self.field
        left, right = self._sides()
        top = QRectF(12, 3, self.width() - 24, 16)
        draw_text(painter, top, right[0], figure_font(SMALL_PX), theme.ink, Qt.AlignmentFlag.AlignRight)
        used = painter.fontMetrics().horizontalAdvance(right[0]) + 10
        draw_text(painter, top.adjusted(0, 0, -used, 0), field.name, text_font(SMALL_PX, bold=True), theme.ink)
        below = top.translated(0, 15)
        draw_text(painter, below, right[1], text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        used = painter.fontMetrics().horizontalAdvance(right[1]) + 10
        words = f"{field.places}  {left}"
        draw_text(painter, below.adjusted(0, 0, -used, 0), words, text_font(TINY_PX), theme.quiet)

    def _sides(self) -> tuple[str, tuple[str, str]]:
        """Return the reading in words, and scale and range for the right side."""
        engine, field = self._session.engine, self.field
        words = engine.wording.places_words(field)
        if field.kind.value == "names":
            return words, (f"{len(field.names)} names", "")
        if field.kind.value in ("flag", "text", "bytes"):
            return words, ("", "")
        unit = f" {field.unit}" if field.unit else ""
        scale = f"{engine.format_exact(field.ratio)}{unit} a step"
        if field.ratio == 1 and not unit:
            scale = ""
        if field.kind.value == "float":
            return words, (unit.strip(), "")
        low, high = engine.wording.field_range(field)
        low = field.low if field.low is not None else low
        high = field.high if field.high is not None else high
        return words, (scale, engine.wording.range_text(float(low), float(high), field))

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit(self.field.id)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space) and not self.is_open:
            self.picked.emit(self.field.id)
        else:
            super().keyPressEvent(event)


class PlanView(QWidget):
    """Beads, cards and threads of one layout. Beads and card are two hands on the same field.

    With a field open, dragging over beads moves it there; with none open, dragging marks bits for a new one.

    Events
    ------
    field_picked
        (field id or None) another card is open.
    edited
        (field) a field was changed on the beads or in its form.
    """

    field_picked = pyqtSignal(object)
    edited = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: heavy.Layout | None = None
        self.current: UUID | None = None
        self.cards: dict[UUID, FieldCard] = {}
        self.abacus = Abacus(Drawing.PLACES)
        self.form = FieldForm(session)
        self.form.hide()
        self.form.edited.connect(self.edited)
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
        left.addWidget(self.abacus, 1)
        left.addWidget(self.hint)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 0, 0)
        row.setSpacing(0)
        row.addLayout(left)
        row.addSpacing(_THREAD_WIDTH)
        row.addWidget(self.card_area, 1)
        bar = self.card_area.verticalScrollBar()
        if bar is not None:
            bar.valueChanged.connect(self.update)
        self.holder.installEventFilter(self)

    def sizeHint(self) -> QSize:
        return QSize(700, 360)

    def show_layout(self, layout: heavy.Layout | None, state: AbacusState) -> None:
        """Show a layout; cards of fields that stay are kept, so that the form keeps its focus."""
        self._layout = layout
        self.abacus.show_state(state)
        self.abacus.setMinimumHeight(self.abacus.sizeHint().height())
        fields = list(layout.fields) if layout is not None else []
        wanted = {field.id for field in fields}
        for gone in set(self.cards) - wanted:
            self._drop_card(gone)
        for number, field in enumerate(fields):
            if field.id not in self.cards:
                card = FieldCard(self._session, field, number)
                card.picked.connect(self.pick)
                self.cards[field.id] = card
            self.cards[field.id].show_field(field, number)
        self._arrange([self.cards[field.id] for field in fields])
        if self.current is not None and layout is not None:
            self.form.show_field(layout.field(self.current), layout)
        self._show_places()

    def pick(self, field_id: UUID | None) -> None:
        """Open a card, or close the open one."""
        if field_id == self.current:
            return
        self._take_form_out()
        self.current = field_id
        if field_id is not None and self._layout is not None and field_id in self.cards:
            self.form.show_field(self._layout.field(field_id), self._layout)
            self.cards[field_id].open_form(self.form)
            QTimer.singleShot(0, lambda: self._bring_into_sight(field_id))
        self._show_places()
        self.field_picked.emit(field_id)
        self.update()

    def show_problem(self, attribute: str, sentence: str) -> None:
        """Say why an edit was not kept."""
        self.form.show_problem(attribute, sentence)
        self._show_places()

    def _bring_into_sight(self, field_id: UUID) -> None:
        if field_id in self.cards:
            self.card_area.ensureWidgetVisible(self.cards[field_id], 0, 8)
            self.update()

    def _take_form_out(self) -> None:
        if self.current is not None and self.current in self.cards:
            card = self.cards[self.current]
            card.column.removeWidget(self.form)
            self.form.setParent(self)
            self.form.hide()
            card.close_form()

    def _drop_card(self, field_id: UUID) -> None:
        if field_id == self.current:
            self._take_form_out()
            self.current = None
        card = self.cards.pop(field_id)
        card.hide()
        self.column.removeWidget(card)
        card.deleteLater()

    def _arrange(self, cards: list[FieldCard]) -> None:
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
        if layout is not None and self.current is not None:
            bits = frozenset(layout.field(self.current).places.bits)
        self.abacus.show_bits(bits)
        if self.current is not None:
            self.hint.setText("Drag over beads to move the open field. Esc closes it.")
        else:
            self.hint.setText("Click a card to edit its field. Drag over free beads, then F makes a new one.")
        self.update()

    def _on_beads(self, bits: frozenset[int]) -> None:
        """Move the open field to the beads, in the byte order it had."""
        if self._layout is None or self.current is None or not bits:
            if self.current is not None:
                self._show_places()
            return
        field = self._layout.field(self.current)
        if bits == frozenset(field.places.bits):
            return
        low_first = field.places.order_words() == "low byte first"
        places = self._session.engine.places_of(bits, low_byte_first=low_first)
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
        for number, field in enumerate(self._layout.fields):
            card = self.cards.get(field.id)
            if card is None:
                continue
            end = QPointF(card.mapTo(self, QPoint(0, _CARD_HEIGHT // 2)))
            if not visible.top() - 4 <= end.y() <= visible.bottom() + 4:
                continue
            self._draw_thread(painter, field, number, end)
        painter.end()

    def _draw_thread(self, painter: QPainter, field: heavy.Field, number: int, end: QPointF) -> None:
        numbers = field.places.byte_numbers()
        middle = sum(self.abacus.bead_center(byte * 8).y() for byte in numbers) / len(numbers)
        start = QPointF(self.abacus.mapTo(self, QPoint(int(self.abacus.rod_end()), int(middle))))
        chosen = field.id == self.current
        color = QColor(look.theme.zest) if chosen else faded(look.theme.field(number), 0.7)
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
