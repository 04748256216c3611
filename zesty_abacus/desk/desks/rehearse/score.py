"""What goes out as a score: each message with its fields over time, and above it, on the same axis, what comes."""

from __future__ import annotations

import time
from fractions import Fraction
from typing import Any, NamedTuple

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QPushButton, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.lately import Lately
from ...app.live import LiveHere
from ...widgets.paint import draw_text
from ...widgets.parts import button
from ...widgets.theme import SMALL_PX, TINY_PX, faded, look, text_font
from ...widgets.words import grouped
from .curve_hand import Curve, CurveHand

_PAST_S, _FUTURE_S = 4.0, 8.0
_NAMES, _WORDS = 196, 220
_LANE, _FIELD, _GAP = 18, 24, 6
_LEAVE = QRectF(98, 1, 88, _LANE - 2)
"""Where the button of a lane stands in its row, by which it is let send."""
_TOP = 22
_POINTS = 96
_MOST_FIELDS = 6
_HOW = (
    "Drag a corner to draw the curve otherwise, with Shift finely. A double-click puts one more, a right click takes "
    "one out. The entry below holds the same in words."
)


class _Moment(NamedTuple):
    """What is shown: a moment by both clocks, and what came and went until then."""

    time_ns: int
    monotonic_s: float
    lately: Lately

    def begins_s(self, lane: str, *, is_sent: bool) -> NDArray[np.float64]:
        """Return how long before the moment there were frames of a lane, as seconds below zero."""
        return (self.lately.begins_ns(lane, is_sent) - self.time_ns) / 1e9


class Score(QWidget):
    """Paints what goes out and what comes on one axis of time; now is the line in it.

    Attributes
    ----------
    leaves
        By lane, the button that lets it send.

    Events
    ------
    picked
        (name of a message) somebody clicked on a message that goes out.
    drawn
        (name of a message, field, words of a feed) somebody drew a curve otherwise.
    """

    picked = pyqtSignal(str)
    drawn = pyqtSignal(str, str, str)

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self._rows: list[tuple[float, float, str]] = []
        self._held: _Moment | None = None
        self._curves: list[Curve] = []
        self._hand: CurveHand | None = None
        self._over: tuple[str, str] | None = None
        self.leaves: dict[str, QPushButton] = {}
        self.setMouseTracking(True)
        self.setAccessibleName("What goes out")
        live.changed.connect(self._resize)
        look.changed.connect(self.update)
        self._resize()

    def sizeHint(self) -> QSize:
        return QSize(600, int(self._height()))

    def hold(self, is_held: bool) -> None:
        """Stand still at this moment, or go on with now."""
        self._held = self._now() if is_held else None
        self.update()

    def _now(self) -> _Moment:
        """Return the moment that is shown."""
        if self._held is not None:
            return self._held
        return _Moment(self._live.now_ns, time.monotonic(), self._live.hearing.lately.as_it_is())

    def _height(self) -> float:
        lanes = len(self._live.lanes) * _LANE
        entries = sum(_rows_of(entry) * _FIELD + _GAP + 8 for entry in self._live.sending.entries.values())
        return float(_TOP + lanes + max(entries, 46) + _GAP)

    def _resize(self) -> None:
        self._place_leaves()
        self.setMinimumHeight(int(self._height()))
        self.setAccessibleDescription(", ".join(self._live.sending.entries) or "nothing goes out")
        self.updateGeometry()
        self.update()

    def _place_leaves(self) -> None:
        live = self._live
        for name in [name for name in self.leaves if name not in live.lanes]:
            self.leaves.pop(name).deleteLater()
        for place, name in enumerate(live.lanes):
            if name not in self.leaves:
                made = button("", f"Let {name} send, or listen only")
                made.setParent(self)
                made.setCheckable(True)
                made.setObjectName("leave")
                made.setFont(text_font(TINY_PX))
                made.setAccessibleName(f"{name} may send")
                made.clicked.connect(lambda on, name=name: live.sending.allow(name, on))
                made.show()
                self.leaves[name] = made
            leave, may = self.leaves[name], live.sending.may_send(name)
            leave.setChecked(may)
            leave.setText("may send" if may else "listens")
            leave.setGeometry(_LEAVE.translated(0, _TOP + place * _LANE).toRect())

    def _x(self, seconds: float) -> float:
        left = float(_NAMES + 8)
        return left + (seconds + _PAST_S) / (_PAST_S + _FUTURE_S) * (self.width() - left - 12)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        at = event.position()
        for top, bottom, name in self._rows:
            if top <= at.y() < bottom:
                self.picked.emit(name)
        curve = self.curve_at(at)
        number = curve.corner_at(at) if curve is not None else None
        if curve is None or number is None:
            return
        if event.button() == Qt.MouseButton.RightButton:
            self._draw(curve, going.without_corner(curve.feed, number))
        else:
            self._hand = CurveHand(curve, number, at)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        hand = self._hand
        if hand is not None:
            is_fine = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            self._draw(hand.curve, hand.moved(event.position(), is_fine=is_fine))
            return
        curve = self.curve_at(event.position())
        self._over = (curve.message, curve.field) if curve is not None else None
        can_be_drawn = curve is not None and curve.corner_at(event.position()) is not None
        self.setCursor(Qt.CursorShape.PointingHandCursor if can_be_drawn else Qt.CursorShape.ArrowCursor)
        self.setToolTip(_HOW if curve is not None and going.corners(curve.feed) else "")
        self.update()

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._hand = None
        self.update()

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        curve = self.curve_at(event.position()) if event is not None else None
        if event is None or curve is None:
            return
        time_s = round(curve.time_at(event.position().x(), curve.since_s), 2)
        now = _number_of(curve.feed, max(time_s, 0.0), 0)
        if now is not None:
            self._draw(curve, going.with_corner(curve.feed, time_s, round(now, 6)))

    def leaveEvent(self, event: QEvent | None) -> None:
        self._over = None
        self.update()

    def curve_at(self, at: QPointF) -> Curve | None:
        """Return the curve at a place."""
        return next((one for one in self._curves if one.row.contains(at)), None)

    def _draw(self, curve: Curve, feed: Any) -> None:
        if feed != curve.feed or self._hand is not None:
            self.drawn.emit(curve.message, curve.field, feed.words)
            self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), QColor(look.theme.paper))
        self._axis(painter)
        # one moment for all of the picture
        moment = self._now()
        y = self._lanes(painter, float(_TOP), moment)
        self._rows, self._curves = [], []
        hint_y = y + 12
        for name, entry in self._live.sending.entries.items():
            y = self._entry(painter, y + _GAP, name, entry, moment.monotonic_s)
        now = self._x(0.0)
        painter.setPen(QPen(QColor(look.theme.ink), 1))
        painter.drawLine(QPointF(now, _TOP - 4), QPointF(now, self.height()))
        if not self._live.sending.entries:
            self._hint(painter, QRectF(14, hint_y, self.width() - 28, 20))
        painter.end()

    def _hint(self, painter: QPainter, place: QRectF) -> None:
        words, font = "Compose a message below and repeat it: it stands here as a score.", text_font(SMALL_PX)
        # on a ground of its own: the lines of time would go through it
        width = min(QFontMetricsF(font).horizontalAdvance(words) + 8, place.width())
        painter.fillRect(QRectF(place.left() - 2, place.top(), width, place.height()), QColor(look.theme.paper))
        draw_text(painter, place, words, font, look.theme.quiet)

    def _axis(self, painter: QPainter) -> None:
        theme = look.theme
        for second in range(-int(_PAST_S), int(_FUTURE_S) + 1, 2):
            x = self._x(float(second))
            painter.setPen(QPen(QColor(theme.line), 1))
            painter.drawLine(QPointF(x, _TOP - 2), QPointF(x, self.height()))
            now = "now" if self._held is None else "held"
            words = now if second == 0 else f"{abs(second)} s ago" if second < 0 else f"in {second} s"
            align = Qt.AlignmentFlag.AlignHCenter
            if x + 30 < self.width():
                draw_text(painter, QRectF(x - 40, 2, 80, 16), words, text_font(TINY_PX), theme.quiet, align)

    def _lanes(self, painter: QPainter, y: float, now: _Moment) -> float:
        theme = look.theme
        for name, state in list(self._live.lanes.items()):
            draw_text(painter, QRectF(14, y, _LEAVE.left() - 18, _LANE), name, text_font(SMALL_PX), theme.ink)
            load = state.load(now.lately.bits_a_second(name, now.time_ns))
            said = f"{grouped(now.lately.frames_a_second(name, now.time_ns))}/s"
            said += f", {load:.0%} full" if load is not None else ""
            said += f", {grouped(state.lost)} lost" if state.lost else ""
            colour = theme.wrong if state.lost else theme.quiet
            draw_text(
                painter, QRectF(self._x(0.0) + 8, y, 200, _LANE), f"{state.note}  {said}", text_font(TINY_PX), colour
            )
            # heard above, sent below: place tells them apart as well as colour
            half = _LANE / 2 - 2
            self._strokes(painter, y + 2, half, now.begins_s(name, is_sent=False), theme.field(0))
            self._strokes(painter, y + _LANE / 2, half, now.begins_s(name, is_sent=True), QColor(theme.zest))
            y += _LANE
        return y

    def _strokes(
        self, painter: QPainter, y: float, height: float, seconds: NDArray[np.float64], colour: QColor
    ) -> None:
        """Draw when there were frames: a pixel's column each, all of them in one picture."""
        left, right = int(self._x(-_PAST_S)), int(self._x(0.0))
        begin, scale = self._x(0.0) - left, self._x(1.0) - self._x(0.0)
        places = (begin + seconds * scale).astype(np.int64)
        width = right - left + 1
        places = places[(places >= 0) & (places < width)]
        if width > 0 and len(places):
            columns = np.zeros((1, width), np.uint32)
            columns[0, places] = colour.rgba()
            image = QImage(columns.tobytes(), width, 1, 4 * width, QImage.Format.Format_ARGB32)
            painter.drawImage(QRectF(left, y, width, height), image)

    def _entry(self, painter: QPainter, y: float, name: str, entry: Any, now_s: float) -> float:
        theme = look.theme
        top = y
        draw_text(painter, QRectF(14, y, _NAMES - 24, 18), name, text_font(SMALL_PX, bold=True), theme.ink)
        when = entry.occasion.words + (", done" if entry.is_over else "")
        colour = theme.wrong if entry.trouble else theme.quiet
        for line, said in enumerate((entry.lane, entry.trouble or when)):
            place = QRectF(14, y + 17 + line * 14, _NAMES - 24, 14)
            draw_text(painter, place, said, text_font(TINY_PX), colour)
        fields = list(entry.message.feeds.items())[:_MOST_FIELDS]
        since = now_s - entry.begin_s
        for number, (field, feed) in enumerate(fields):
            row = QRectF(_NAMES, y, self.width() - _NAMES - 12, _FIELD - 3)
            painter.setPen(Qt.PenStyle.NoPen)
            painter.setBrush(faded(theme.field(number), 0.10))
            painter.drawRoundedRect(row, 5, 5)
            self._curve(painter, row, name, field, feed, since, theme.field(number))
            self._say(painter, row, f"{field}  {feed.words}")
            y += _FIELD
        y = max(y, top + _rows_of(entry) * _FIELD)
        self._beats(painter, y, entry, since)
        y += 8
        self._rows.append((top, y, name))
        return y

    def _say(self, painter: QPainter, row: QRectF, words: str) -> None:
        """Write what a row is on a ground of its own, since the curve goes on below it."""
        font = text_font(TINY_PX)
        width = min(QFontMetricsF(font).horizontalAdvance(words) + 12, _WORDS)
        box = QRectF(row.left(), row.top(), width, row.height())
        painter.setPen(Qt.PenStyle.NoPen)
        painter.setBrush(QColor(look.theme.chip))
        painter.drawRoundedRect(box, 5, 5)
        draw_text(painter, box.adjusted(6, 0, -4, 0), words, font, look.theme.ink)

    def _curve(
        self, painter: QPainter, row: QRectF, name: str, field: str, feed: Any, since: float, colour: QColor
    ) -> None:  # fmt: skip
        values = []
        for place in range(_POINTS):
            seconds = -_PAST_S + (_PAST_S + _FUTURE_S) * place / (_POINTS - 1)
            values.append((seconds, _number_of(feed, max(since + seconds, 0.0), place)))
        known = [value for _, value in values if value is not None]
        if not known:
            return
        now = self._x(0.0)
        curve = Curve(name, field, feed, row, since, min(known), max(known), 1.0 / (self._x(1.0) - now), now)
        self._curves.append(curve)
        line = QPolygonF()
        for seconds, value in values:
            x = self._x(seconds)
            if value is not None and x >= row.left():
                line.append(QPointF(x, curve.y(value)))
        painter.setPen(QPen(colour, 1.4))
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.drawPolyline(line)
        held = self._hand.curve if self._hand is not None else None
        if (name, field) == ((held.message, held.field) if held is not None else self._over):
            painter.setBrush(QColor(look.theme.paper))
            for corner in curve.places():
                if row.left() <= corner.x() <= row.right():
                    painter.drawEllipse(QRectF(corner.x() - 4, corner.y() - 4, 8, 8))

    def _beats(self, painter: QPainter, y: float, entry: Any, since: float) -> None:
        """Draw when frames go out: a stroke each, or a band where they are closer than strokes."""
        if not isinstance(entry.occasion, going.Planned):
            return
        painter.setPen(QPen(QColor(look.theme.zest), 1))
        first, behind = (
            entry.occasion.number_at(round(max(since + seconds, 0.0) * 1e9)) for seconds in (-_PAST_S, _FUTURE_S)
        )
        # of frames closer than strokes one in so many is enough for a band
        strokes = {
            int(self._x((entry.occasion.planned_ns(number) or 0) / 1e9 - since))
            for number in range(first, behind, max((behind - first) // self.width(), 1))
        }
        for x in strokes:
            painter.drawLine(QPointF(x, y), QPointF(x, y + 5))


def _rows_of(entry: Any) -> int:
    return max(min(len(entry.message.feeds), _MOST_FIELDS), 2)


def _number_of(feed: Any, seconds: float, number: int) -> float | None:
    """Return what a feed gives at a time, None where that is no number, or follows from other fields."""
    try:
        return float(Fraction(str(feed.value(seconds, number, {}))))
    except (ValueError, TypeError, AbacusError):
        return None
