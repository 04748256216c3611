"""The reckoner: the selection read every way as live curves, the smoothest first."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_curve, draw_reference, draw_text, padded_range
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ...widgets.words import figure_text

_HEAD = 30
_CARD, _TALLEST = 88, 170
"""Heights of a card: where readings are few, their curves take the room there is."""
_GAP = 8
_WIDEST = 220
_CANDIDATE = 76
"""Least height at which a reference is laid over the chosen reading."""


class Reckoner(QWidget):
    """Cards, one a reading. Click or arrow keys choose, Enter keeps.

    Events
    ------
    chosen
        (reading with curve, or None) another card is chosen.
    keep_wanted
        Enter or a double click.
    """

    chosen = pyqtSignal(object)
    keep_wanted = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._readings: list[engine.ReadingCurve] = []
        self._current = -1
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Reckoner")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Preferred)
        session.in_hand.bits_changed.connect(self._on_bits)
        session.store.kind_loaded.connect(self._on_bits)
        self._followed: engine.Curve | None = None
        self._followed_name = ""
        session.findings.hand_changed.connect(self._on_finding)
        for event in (session.clock.view_changed, session.clock.cursor_changed):
            event.connect(self.update)
        look.changed.connect(self.update)
        self._on_bits()
        self._on_finding()

    def sizeHint(self) -> QSize:
        return QSize(600, _HEAD + 2 * (_CARD + _GAP) + 6)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, _HEAD + _CARD + _GAP)

    @property
    def readings(self) -> list[engine.ReadingCurve]:
        """The readings of the selection, smoothest first; empty while they are worked out."""
        return self._readings

    @property
    def current(self) -> engine.ReadingCurve | None:
        """The chosen reading."""
        return self._readings[self._current] if 0 <= self._current < len(self._readings) else None

    @property
    def followed(self) -> tuple[engine.Curve | None, str]:
        """The reference that is laid over the chosen reading, and its name; None and empty for none."""
        return self._followed, self._followed_name

    @property
    def current_number(self) -> int:
        """Number of the chosen card, -1 for none."""
        return self._current

    def choose(self, number: int) -> None:
        """Choose a card."""
        if 0 <= number < len(self._readings) and number != self._current:
            self._current = number
            self.setAccessibleDescription(self._readings[number].reading.words)
            self.chosen.emit(self.current)
            self.update()

    def _on_bits(self, *_: object) -> None:
        session = self._session
        bits, kind = session.in_hand.bits, session.in_hand.kind
        if kind is None or not bits:
            self._show([])
            return
        data = session.store.data(kind)
        if data is None:
            return  # it comes again when the kind is loaded
        frames = data.frames
        session.jobs.start(
            "reckon", "reading the selection", lambda progress: engine.reckon(bits, frames, progress), self._show
        )

    def _show(self, readings: list[engine.ReadingCurve]) -> None:
        self._readings = readings
        self._current = 0 if readings else -1
        self.setAccessibleDescription(readings[0].reading.words if readings else "nothing selected")
        self.chosen.emit(self.current)
        self.updateGeometry()
        self.update()

    def _on_finding(self) -> None:
        """Lay the reference that the finding in hand follows over the candidate."""
        in_hand = self._session.findings.in_hand
        followed = self._session.overlays.followed_by(in_hand[1]) if in_hand is not None else None
        self._followed, self._followed_name = None, ""
        if followed is not None:
            self._followed, self._followed_name = engine.Curve.build(followed[0], followed[1]), followed[2]
        self.update()

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, session = look.theme, self._session
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        head = QRectF(14, 6, self.width() - 28, 18)
        draw_text(painter, head, "Reckoner", text_font(bold=True), theme.ink)
        if not session.in_hand.bits:
            where = QRectF(14, _HEAD + 6, self.width() - 28, 20)
            hint = "Drag over beads to select bits; every way to read them appears here. Shift drags a rectangle."
            draw_text(painter, where, hint, text_font(), theme.quiet)
            painter.end()
            return
        words = engine.bits_in_words(session.in_hand.bits)
        after = "smoothest over the whole capture first · Enter keeps it as a field"
        draw_text(painter, head.adjusted(74, 0, 0, 0), f"{words} · {after}", text_font(SMALL_PX), theme.quiet)
        covered = self.candidate_rect()
        for number in range(len(self._readings)):
            if not self.card_rect(number).intersects(covered):
                self._draw_card(painter, number)
        self._draw_candidate(painter)
        painter.end()

    def _draw_card(self, painter: QPainter, number: int) -> None:
        theme, session = look.theme, self._session
        card = self.card_rect(number)
        item = self._readings[number]
        chosen = number == self._current
        painter.setPen(QPen(QColor(theme.zest if chosen else theme.line), 1.4 if chosen else 1))
        painter.setBrush(QColor(theme.selected if chosen else theme.panel))
        painter.drawRoundedRect(card, 8, 8)
        text = card.adjusted(10, 5, -10, 0)
        draw_text(
            painter,
            QRectF(text.left(), text.top(), text.width(), 15),
            item.reading.words,
            text_font(TINY_PX),
            theme.ink,
        )
        value_box = QRectF(text.left(), text.top() + 15, text.width(), 16)
        draw_text(painter, value_box, self._value(item), figure_font(SMALL_PX, bold=True), theme.ink)
        reason = reason_words(item.reading.smoothness.largest_step)
        used = painter.fontMetrics().horizontalAdvance(self._value(item)) + 8
        beside = value_box.adjusted(min(used, value_box.width()), 0, 0, 0)
        font = text_font(10)
        if QFontMetricsF(font).horizontalAdvance(reason) > beside.width():
            # beside a long value the share alone says it, as the cards around spell it out
            reason = reason.rpartition(" ")[2]
        draw_text(painter, beside, reason, font, theme.quiet, Qt.AlignmentFlag.AlignRight)
        if item.reading.column.value is None:
            return
        plot = QRectF(text.left(), card.top() + 41, text.width(), card.height() - 50)
        clock = session.clock
        color = QColor(theme.zest if chosen else theme.quiet)
        painter.save()
        painter.setClipRect(plot.adjusted(-1, -2, 1, 2))
        span = (clock.view_first_ns, clock.view_last_ns)
        draw_curve(painter, item.curve, plot, span, _visible_range(item.curve, span), color, 1.2)
        painter.restore()

    def candidate_rect(self) -> QRectF:
        """Return where the chosen reading is drawn with the reference over it; empty where that has no room."""
        if self._followed is None or self.current is None:
            return QRectF()
        top = self.card_rect(len(self._readings) - 1).bottom() + _GAP
        room = self.height() - top - 8
        if room >= _CANDIDATE:
            return QRectF(14, top, self.width() - 28, room)
        # where readings take all the room the chosen one and its reference stand before them
        first = self.card_rect(0)
        return QRectF(14, first.bottom() + _GAP, self.width() - 28, self.height() - first.bottom() - _GAP - 8)

    def _draw_candidate(self, painter: QPainter) -> None:
        """Draw the chosen reading in full width, and over it what it would be if it followed the reference exactly."""
        box, item, theme = self.candidate_rect(), self.current, look.theme
        if box.height() < _CANDIDATE / 2 or item is None or self._followed is None or item.reading.column.value is None:
            return
        painter.setPen(QPen(QColor(theme.line), 1))
        painter.setBrush(QColor(theme.panel))
        painter.drawRoundedRect(box, 8, 8)
        words = f"{item.reading.words} · broken line: {self._followed_name}, laid over"
        draw_text(painter, QRectF(box.left() + 10, box.top() + 4, box.width() - 20, 15), words, text_font(TINY_PX),
                  theme.ink)  # fmt: skip
        plot = box.adjusted(10, 24, -10, -10)
        clock = self._session.clock
        span = (clock.view_first_ns, clock.view_last_ns)
        shown = _visible_range(item.curve, span)
        painter.save()
        painter.setClipRect(plot.adjusted(-1, -3, 1, 3))
        draw_curve(painter, item.curve, plot, span, shown, QColor(theme.zest), 1.4)
        draw_reference(painter, self._followed, plot, span, shown, QColor(theme.ink))
        painter.restore()

    def _value(self, item: engine.ReadingCurve) -> str:
        """Return the value at the cursor, as the reading says it without a scale."""
        column = item.reading.column
        times = item.curve.time_ns
        row = int(times.searchsorted(self._session.clock.cursor_ns, side="right")) - 1
        if row < 0:
            return "–"
        if column.value is None:
            return repr(column.text_of(row))[1:-1]
        value = column.value[row].item()
        if isinstance(value, float):
            return figure_text(value)
        return engine.wording.number_text(value, 0)

    @property
    def _columns(self) -> int:
        fitting = max(int((self.width() - 28 + _GAP) // 170), 1)
        return min(fitting, max(len(self._readings), 1), 4)

    @property
    def _card_height(self) -> float:
        if self._followed is not None:
            return _CARD  # the room below is for the reference
        rows = -(-max(len(self._readings), 1) // self._columns)
        return min(max((self.height() - _HEAD - 8) / rows - _GAP, _CARD), _TALLEST)

    def card_rect(self, number: int) -> QRectF:
        """Return where a card is."""
        columns, height = self._columns, self._card_height
        width = min((self.width() - 28 - (columns - 1) * _GAP) / columns, _WIDEST)
        row, column = divmod(number, columns)
        return QRectF(14 + column * (width + _GAP), _HEAD + row * (height + _GAP), width, height)

    # mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            for number in range(len(self._readings)):
                if self.card_rect(number).contains(event.position()):
                    self.choose(number)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        if self.current is not None:
            self.keep_wanted.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None:
            return
        row = self._columns
        step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1, Qt.Key.Key_Up: -row, Qt.Key.Key_Down: row}.get(
            Qt.Key(event.key()), 0
        )
        if step:
            self.choose(min(max(self._current + step, 0), len(self._readings) - 1))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.current is not None:
            self.keep_wanted.emit()
        else:
            super().keyPressEvent(event)


def reason_words(largest_step: float) -> str:
    """Say why a reading stands where it does: the largest step between two frames, as a share of its range."""
    if largest_step != largest_step:
        return "not judged"
    return f"steps up to {largest_step:.0%}" if largest_step >= 0.01 else "steps below 1%"


def _visible_range(curve: engine.Curve, span: tuple[int, int]) -> tuple[float, float]:
    """Return the range of a curve within the visible time, so that a small movement still shows its shape."""
    first = int(curve.time_ns.searchsorted(span[0]))
    last = int(curve.time_ns.searchsorted(span[1], side="right"))
    values = curve.values[max(first - 1, 0) : last]
    values = values[values == values]
    if not len(values) or len(values) > 200_000:
        return padded_range(*curve.value_range())
    return padded_range(float(values.min()), float(values.max()))
