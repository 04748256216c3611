"""Requests and what came back, one line each; only what is on screen is ever decoded."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent

from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from .exchange_lines import ExchangeLines

_ROW = 23
_HEAD = 24
_DETAIL = 56
_GAP = 10


class ExchangeList(RowList):
    """What was asked, what came back, how long it took. A click goes to the request, one on the answer there.

    Attributes
    ----------
    lines
        What the exchanges are, in words.
    """

    def __init__(self, session: Session) -> None:
        super().__init__("Exchanges", _ROW, _HEAD, _DETAIL)
        self._session = session
        self.lines = ExchangeLines(session)
        self._chosen: int | None = None
        session.exchanges.changed.connect(self._on_changed)
        session.layouts_changed.connect(self.lines.forget)
        session.clock.cursor_changed.connect(self._on_cursor)
        session.in_hand.changed.connect(self._on_cursor)
        look.changed.connect(self.repaint_rows)

    def sizeHint(self) -> QSize:
        return QSize(600, 240)

    def count(self) -> int:
        order = self._session.exchanges.order
        return len(order) if order is not None else 0

    def number(self, place: int) -> int:
        """Return the number of the exchange at a place of the list."""
        return int(self._session.exchanges.order[place])

    def current(self) -> int:
        """Return the place of the exchange in hand, -1 if none is."""
        if self._chosen is None or self._session.exchanges.order is None:
            return -1
        found = (self._session.exchanges.order == self._chosen).nonzero()[0]
        return int(found[0]) if len(found) else -1

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, area = look.theme, self.area()
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area, QColor(theme.paper))
        columns, current = self._columns(area.width()), self.current()
        for place, top in self.rows_in_view():
            if place == current:
                painter.fillRect(QRectF(4, top, area.width() - 8, self.row_height), QColor(theme.selected))
            self._draw_line(painter, columns, self.number(place), top)
        self.draw_head(painter, columns, {}, {"time s", "took"})
        if self.count():
            self._draw_detail(painter, current)
        else:
            self._draw_hint(painter, area)
        painter.end()

    def _draw_hint(self, painter: QPainter, area: QRectF) -> None:
        known = self._session.exchanges.found is not None
        hint = "Nobody asks anything here. A layout can say which message answers it." if known else "Looking…"
        draw_text(painter, area, hint, text_font(), look.theme.quiet, Qt.AlignmentFlag.AlignHCenter)

    def _draw_line(self, painter: QPainter, columns: dict[str, QRectF], number: int, top: float) -> None:
        theme, right = look.theme, Qt.AlignmentFlag.AlignRight
        cells = {name: QRectF(box.left(), top, box.width(), self.row_height) for name, box in columns.items()}
        asked, state = self.lines.asked(number), self.lines.state(number)
        draw_text(painter, cells["time s"], asked.time, figure_font(SMALL_PX), theme.ink, right)
        draw_text(painter, cells["took"], self.lines.took(number), figure_font(TINY_PX), theme.quiet, right)
        draw_text(painter, cells["lane"], asked.lane, text_font(SMALL_PX), theme.quiet)
        draw_text(painter, cells["asked"], self.lines.question(number), text_font(SMALL_PX), theme.ink)
        well = state == "answered"
        words = self.lines.outcome(number)
        color = theme.ink if well else theme.quiet if state == "not yet answered" else theme.wrong
        draw_text(painter, cells["came back"], words, text_font(SMALL_PX), color)

    def _draw_detail(self, painter: QPainter, current: int) -> None:
        """Say the one in hand in full below the list."""
        said = self.lines.whole(self.number(current)) if current >= 0 else ""
        self.draw_foot(painter, said, look.theme.ink)

    def _columns(self, width: float) -> dict[str, QRectF]:
        step = QFontMetricsF(figure_font(SMALL_PX)).horizontalAdvance("0")
        time = 20.0 + step * len(self._session.clock.words(self._session.clock.last_ns))
        widths = {"time s": max(time, 64.0), "took": 58.0, "lane": 52.0}
        rest = max(width - sum(widths.values()) - _GAP * 4 - 16, 160)
        # what was asked has the room that no answer in view needs, as where nothing was answered
        metrics = QFontMetricsF(text_font(SMALL_PX))
        said = [metrics.horizontalAdvance(self.lines.outcome(self.number(place))) for place, _ in self.rows_in_view()]
        came = min(max([*said, rest * 0.2]) + 2, rest * 0.58)
        boxes, x = {}, 8.0
        for name, size in {**widths, "asked": rest - came, "came back": came}.items():
            boxes[name] = QRectF(x, 0, size, _ROW)
            x += size + _GAP
        return boxes

    # events and hands

    def _on_changed(self) -> None:
        if self._session.exchanges.found is None:
            self._chosen = None
        self.lines.forget()
        self.set_first(self.first())
        self._show_current()

    def _on_cursor(self) -> None:
        """Take what the cursor is in by the hand of somebody else: of the message in hand, else the newest asked."""
        exchanges = self._session.exchanges
        if exchanges.found is None or not self.isVisible() or not len(exchanges.found):
            return
        here = self._of_message_in_hand()
        if self._chosen is not None and (self._chosen in here if here else self._goes_with(self._chosen)):
            return
        newest = int(exchanges.times.searchsorted(self._session.clock.cursor_ns, side="right")) - 1
        self._chosen = here[0] if here else max(newest, 0)
        self._show_current()

    def _of_message_in_hand(self) -> list[int]:
        """Return the exchanges whose request or answer is the frame of the message in hand that the cursor is on."""
        kind, cursor_ns = self._session.in_hand.kind, self._session.clock.cursor_ns
        found, capture = self._session.exchanges.found, self._session.capture
        row = capture.order_of_kind(kind).last_row(cursor_ns) if kind is not None else None
        if found is None or row is None or capture.frames.at(row).time_ns != cursor_ns:
            return []
        return found.with_row(row)

    def _goes_with(self, number: int) -> bool:
        """Return whether the cursor is on the request or the answer of an exchange."""
        found = self._session.exchanges.found
        assert found is not None
        rows = [row for row in (int(found.request[number]), int(found.answer[number])) if row >= 0]
        return self._session.clock.cursor_ns in [self._session.capture.frames.at(row).time_ns for row in rows]

    def _show_current(self) -> None:
        place, first = self.current(), self.first()
        if place >= 0 and not first <= place < first + self.slots():
            self.set_first(place - self.slots() // 3)
        self.repaint_rows()

    def go(self, step: int) -> None:
        if self.count():
            self._take(min(max(self.current() + step, 0), self.count() - 1), answer=False)

    def _take(self, place: int, *, answer: bool) -> None:
        found = self._session.exchanges.found
        assert found is not None
        self._chosen = self.number(place)
        row = int(found.answer[self._chosen]) if answer else int(found.request[self._chosen])
        if row < 0:
            row = int(found.request[self._chosen])
        self._session.in_hand.take_kind(self._session.store.kind_of_row(row))
        self._session.clock.set_cursor(self._session.capture.frames.at(row).time_ns, follow=True)
        self._show_current()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.row_at(event) if event is not None else None
        if event is not None and place is not None:
            answer = event.position().x() >= self._columns(self.area().width())["came back"].left()
            self._take(place, answer=answer)

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.set_first(self.first())
