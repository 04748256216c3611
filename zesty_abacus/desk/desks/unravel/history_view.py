"""Beside each rod, its bits over the visible time."""

from __future__ import annotations

from functools import partial

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QWheelEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.session import Session
from ...around.time_hands import wheel_on_time
from ...widgets.abacus import Abacus
from ...widgets.beads import AbacusState
from ...widgets.bit_history import history_image
from ...widgets.paint import draw_text
from ...widgets.theme import TINY_PX, look, text_font
from ...widgets.told import tell
from ...widgets.words import counted, span_text


class HistoryView(QWidget):
    """The bit history of the kind in hand, in rows that line up with the abacus beside it.

    Click or drag moves the cursor, the wheel zooms at the pointer, with Shift it pans.
    """

    def __init__(self, session: Session, abacus: Abacus) -> None:
        super().__init__()
        self._session = session
        self._abacus = abacus
        self._state = AbacusState()
        self._image: QImage | None = None
        self._image_key: object = None
        self._hint = ""
        self.setAccessibleName("Bit history")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        for event in (session.clock.view_changed, session.clock.cursor_changed, session.in_hand.bits_changed):
            event.connect(self.update)
        session.store.kind_loaded.connect(self.update)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(500, 300)

    def show_state(self, state: AbacusState) -> None:
        """Take over what the abacus shows."""
        self._state = state
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        theme, session = look.theme, self._session
        head = QRectF(0, 0, self.width(), 16)
        draw_text(
            painter, head, "bit history, newest right; one line a bit, strong is 1", text_font(TINY_PX), theme.quiet
        )
        if session.in_hand.kind is None or not self._state.size:
            painter.end()
            return
        image = self._picture()
        hint = "summing bits…" if image is None else self._hint
        if hint or image is None:
            said = QRectF(0, self._abacus.rods.top(0), self.width(), 30)
            draw_text(painter, said, hint, text_font(), theme.quiet)
        else:
            height = self._abacus.rods.height * self._state.size
            target = QRectF(0, self._abacus.rods.top(0), self.width(), height)
            painter.drawImage(target, image)
            self._tell_bytes(painter)
        self._draw_cursor(painter)
        painter.end()

    def _where_its_frames_are(self) -> str:
        """Return where to look where nothing of the kind is in view; empty if something is."""
        session, clock = self._session, self._session.clock
        order = session.capture.order_of_kind(session.in_hand.kind)
        before = order.count_until(clock.view_first_ns, inclusive=False)
        if order.count_until(clock.view_last_ns) > before or not len(order):
            return ""
        is_ahead = before < len(order)
        time_ns = session.capture.frames.at(order.row(before if is_ahead else before - 1)).time_ns
        where = "The next one is at" if is_ahead else "The last one is at"
        return f"No frame of it in this stretch. {where} {clock.words(time_ns)} s: press {'.' if is_ahead else ','}"

    def _tell_bytes(self, painter: QPainter) -> None:
        rods = self._abacus.rods
        for byte in range(self._state.size):
            tell(painter, QRectF(0, rods.top(byte), self.width(), rods.height), partial(self._said, byte))

    def _said(self, byte: int) -> str:
        moving = [str(bit) for bit in range(7, -1, -1) if self._state.moves[byte * 8 + bit]]
        return f"B{byte}: bits {' '.join(moving)} change" if moving else f"B{byte}: never changes"

    def _picture(self) -> QImage | None:
        """Return the image for this view, painted again only when something in it changed."""
        session = self._session
        assert session.in_hand.kind is not None
        data = session.store.data(session.in_hand.kind)
        if data is None:
            return None
        clock = session.clock
        rod = int(self._abacus.rods.height)
        lit = session.in_hand.bits | session.findings.lit
        key = (
            id(data), clock.view_first_ns, clock.view_last_ns, self.width(), rod, lit, look.theme.name,
            self._state.size, self._state.owners.tobytes(), self._state.moves.tobytes(),
        )  # fmt: skip
        if key != self._image_key:
            columns = max(self.width(), 2)
            self._hint = self._where_its_frames_are()
            picture = data.history.picture(clock.view_first_ns, clock.view_last_ns, columns, self._state.size)
            self._image = history_image(picture, self._state.owners, lit, self._state.moves, rod)
            self._image_key = key
        return self._image

    def _draw_cursor(self, painter: QPainter) -> None:
        clock = self._session.clock
        share = (clock.cursor_ns - clock.view_first_ns) / clock.view_span_ns
        if 0 <= share <= 1:
            x = share * self.width()
            painter.setRenderHint(QPainter.RenderHint.Antialiasing)
            painter.setPen(QPen(QColor(look.theme.ink), 1.3))
            bottom = self._abacus.rods.top(self._state.size)
            painter.drawLine(QPointF(x, self._abacus.rods.top(0) - 4), QPointF(x, bottom))
            painter.setBrush(QColor(look.theme.ink))
            painter.drawEllipse(QPointF(x, self._abacus.rods.top(0) - 4), 2.6, 2.6)

    def _time_at(self, x: float) -> int:
        clock = self._session.clock
        return clock.view_first_ns + int(x / max(self.width(), 1) * clock.view_span_ns)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is not None:
            self._session.clock.set_cursor(self._time_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is not None and event.buttons() & Qt.MouseButton.LeftButton:
            self._session.clock.set_cursor(self._time_at(event.position().x()))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._session.capture is not None:
            wheel_on_time(self._session.clock, event, self._time_at(event.position().x()))


_LEAST_SPREAD = 0.001
"""Less of a period is no spread that three digits of it would show."""


def cycle_words(times_ns: np.ndarray) -> str:
    """Return how often frames come: ``every 10 ms ±270 µs``, or how many if that says little."""
    if len(times_ns) < 3:
        return f"{len(times_ns)} frame{'s' if len(times_ns) != 1 else ''}"
    gaps = np.diff(times_ns[:200_000])
    middle = float(np.median(gaps))
    spread = float(np.percentile(np.abs(gaps - middle), 90))
    if middle <= 0 or spread > middle * 0.6:
        return f"on events, {counted(len(times_ns), 'frame')}"
    give_or_take = f" ±{span_text(spread)}" if spread >= middle * _LEAST_SPREAD else ""
    return f"every {span_text(middle)}{give_or_take}"
