"""Wheel and keys that move through time, the same wherever time runs from left to right."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRectF, Qt
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPen, QWheelEvent

from ..app.clock import Clock
from ..app.session import Session
from ..widgets.theme import faded, look

_LEAST_DRAG = 4


def wheel_on_time(clock: Clock, event: QWheelEvent, at_ns: int) -> None:
    """Zoom the view at a time by the wheel, or move it with Shift."""
    up = (event.angleDelta().y() or event.angleDelta().x()) > 0
    if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        clock.pan((-1 if up else 1) * clock.view_span_ns // 10)
    else:
        clock.zoom(0.8 if up else 1.25, at_ns)
    event.accept()


def key_on_time(clock: Clock, event: QKeyEvent) -> bool:
    """Move the cursor by an arrow key, the view with Shift, zoom by plus and minus; return whether it was one."""
    step = {Qt.Key.Key_Left: -1, Qt.Key.Key_Right: 1}.get(Qt.Key(event.key()), 0)
    if step and event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
        clock.pan(step * clock.view_span_ns // 4)
    elif step:
        clock.set_cursor(clock.cursor_ns + step * clock.view_span_ns // 100, follow=True)
    elif event.key() in (Qt.Key.Key_Plus, Qt.Key.Key_Equal):
        clock.zoom(0.8, clock.cursor_ns)
    elif event.key() == Qt.Key.Key_Minus:
        clock.zoom(1.25, clock.cursor_ns)
    else:
        return False
    return True


def step_in_kind(session: Session, by: int) -> bool:
    """Move the cursor so many frames on among those of the message in hand; say whether there is one."""
    if session.in_hand.kind is None or session.capture is None:
        return False
    order, clock = session.capture.order_of_kind(session.in_hand.kind), session.clock
    number = order.count_until(clock.cursor_ns)
    if by < 0 and number:
        # frames of one instant are one place of the cursor: what is before them has another time
        here = session.capture.frames.at(order.row(number - 1)).time_ns
        number = order.count_until(here, inclusive=False) + 1
    place = number - 1 + by
    if 0 <= place < len(order):
        clock.set_cursor(session.capture.frames.at(order.row(place)).time_ns, follow=True)
    return True


class DragZoom:
    """A stretch of time that is dragged over, to be shown alone.

    Attributes
    ----------
    is_on
        Whether it is being dragged.
    """

    def __init__(self, clock: Clock, time_at: Callable[[float], int], x_of: Callable[[int], float]) -> None:
        self._clock, self._time_at, self._x_of = clock, time_at, x_of
        self.is_on = False
        self._first = self._last = 0.0

    def begin(self, x: float) -> None:
        """Begin at a place."""
        self.is_on, self._first, self._last = True, x, x

    def move(self, x: float) -> None:
        """Reach to another place."""
        self._last = x

    def end(self) -> None:
        """Show what was dragged over, if it is more than a click."""
        self.is_on = False
        if abs(self._last - self._first) >= _LEAST_DRAG:
            first, last = sorted((self._first, self._last))
            self._clock.set_view(self._time_at(first), self._time_at(last))

    def draw(self, painter: QPainter, height: float) -> None:
        """Paint the stretch while it is dragged."""
        if self.is_on:
            first, last = sorted((self._first, self._last))
            painter.fillRect(QRectF(first, 0, last - first, height), faded(look.theme.zest, 0.14))
            painter.setPen(QPen(QColor(look.theme.zest), 1))
            painter.drawRect(QRectF(first, 0, last - first, height - 1))
