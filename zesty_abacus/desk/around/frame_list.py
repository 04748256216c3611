"""Frames, one sentence each; only what is on screen is ever decoded."""

from __future__ import annotations

import itertools
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QContextMenuEvent, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent

from ..app.doors import asked
from ..app.session import Session
from ..widgets.paint import byte_owners, draw_text
from ..widgets.row_list import RowList
from ..widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ..widgets.words import span_text
from .ask_menu import ask_menu
from .frame_lines import FrameLine, FrameLines
from .listed_frames import ListedFrames

if TYPE_CHECKING:
    from ...core.frames.order import RowsInOrder, TimeOrder

_ROW = 23
_HEAD = 24
_DETAIL = 40
_GAP = 10
_MOST_BYTES_SHOWN = 24


class FrameList(RowList):
    """All frames of the capture, or only those of the kind in hand, around the cursor.

    Up and Down go frame by frame; a click puts the cursor on a frame.
    """

    def __init__(self, session: Session) -> None:
        super().__init__("Frames", _ROW, _HEAD, _DETAIL)
        self._slots = 0
        self._session = session
        self._listed = ListedFrames(session)
        self._lines = FrameLines(session)
        self._digits = session.clock.digits
        session.opened.connect(self._on_opened)
        session.layouts_changed.connect(self._forget)
        session.reading.counts.changed.connect(self._forget)
        session.form_changed.connect(self.repaint_rows)
        session.kind_changed.connect(self._on_kind)
        session.asking.changed.connect(self._on_asked)
        session.clock.cursor_changed.connect(self._on_cursor)
        session.clock.view_changed.connect(self._on_view)
        look.changed.connect(self.repaint_rows)

    def sizeHint(self) -> QSize:
        return QSize(600, 240)

    def show_only_kind(self, only: bool) -> None:
        """List only frames of the kind in hand, or all."""
        self._listed.show_kind(only)
        self._on_rows_changed()

    def show_only_hits(self, only: bool) -> None:
        """List only frames in which the condition in hand holds, or all."""
        self._listed.show_hits(only)
        self._on_rows_changed()

    def show_only_lanes(self, lanes: frozenset[int] | None) -> None:
        """List only frames of these lane numbers, or of all lanes."""
        everything = lanes == frozenset(range(len(self._session.capture.lanes)))
        self._listed.show_lanes(None if everything else lanes)
        self._on_rows_changed()

    def _on_view(self) -> None:
        if self._digits != self._session.clock.digits:
            self._digits = self._session.clock.digits
            self._forget()

    def order(self) -> TimeOrder | RowsInOrder:
        """Return the frames that are listed, in order of time."""
        return self._listed.order()

    def count(self) -> int:
        """Return how many frames are listed."""
        return len(self.order()) if self._session.capture is not None else 0

    def current(self) -> int:
        """Return the place in the list of the last frame at or before the cursor, -1 before the first."""
        return self.order().count_until(self._session.clock.cursor_ns) - 1

    def line(self, place: int) -> FrameLine:
        """Return a listed frame in words."""
        return self._lines.of(self._listed.row(place))

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self.area()
        painter.fillRect(area, QColor(theme.paper))
        if self._session.capture is None:
            painter.end()
            return
        columns = self._columns(area.width())
        current = self.current()
        for place, top in self.rows_in_view():
            if place == current:
                painter.fillRect(QRectF(4, top, area.width() - 8, _ROW), QColor(theme.selected))
            self._draw_line(painter, columns, place, top)
        self.draw_head(painter, columns, {"payload": f"payload {self._session.form}"}, {"time s", "after"})
        self._draw_detail(painter, current)
        painter.end()

    def _draw_detail(self, painter: QPainter, current: int) -> None:
        """Say the frame at the cursor in full below the list."""
        line = self.line(current) if current >= 0 else None
        words = f"{line.message}: {line.says}" if line is not None else ""
        self.draw_foot(painter, words, look.theme.wrong if line is not None and line.wrong else look.theme.ink)

    def _draw_line(self, painter: QPainter, columns: dict[str, QRectF], place: int, top: float) -> None:
        theme = look.theme
        line = self.line(place)
        if not self._listed.follows_the_hits and self._session.asking.holds(self._listed.row(place)):
            painter.fillRect(QRectF(0, top + 3, 3, _ROW - 6), QColor(theme.zest))
        cells = {name: QRectF(box.left(), top, box.width(), _ROW) for name, box in columns.items()}
        right = Qt.AlignmentFlag.AlignRight
        draw_text(painter, cells["time s"], line.time, figure_font(SMALL_PX), theme.ink, right)
        draw_text(painter, cells["after"], self._after(place), figure_font(TINY_PX), theme.quiet, right)
        draw_text(painter, cells["lane"], line.lane, text_font(SMALL_PX), theme.quiet)
        font = text_font(SMALL_PX, italic=not line.named)
        color = theme.ink if line.named else theme.unexplained
        draw_text(painter, cells["message"], line.message, font, color, middle=True)
        draw_text(painter, cells["says"], line.says, text_font(SMALL_PX), theme.wrong if line.wrong else theme.ink)
        draw_payload(painter, cells["payload"], line, self._session.form)

    def _after(self, place: int) -> str:
        since = self._listed.time_since_last(place)
        return "" if since is None else f"+{span_text(since)}"

    def _columns(self, width: float) -> dict[str, QRectF]:
        step = QFontMetricsF(figure_font(SMALL_PX)).horizontalAdvance("0")
        payload = min(step * {"hex": 24, "dec": 32, "bin": 52, "text": 12}[self._session.form], width * 0.42)
        time = 20.0 + step * len(self._session.clock.words(self._session.clock.last_ns))
        widths = {"time s": max(time, 64.0), "after": 60.0, "lane": 52.0, "message": 130.0}
        says = max(width - sum(widths.values()) - payload - _GAP * 5 - 16, 80)
        boxes, x = {}, 8.0
        for name, size in {**widths, "says": says, "payload": payload}.items():
            boxes[name] = QRectF(x, 0, size, _ROW)
            x += size + _GAP
        return boxes

    # events

    def _on_opened(self) -> None:
        self._listed.show_lanes(None)
        self._on_rows_changed()

    def _on_rows_changed(self) -> None:
        self._forget()
        self._on_cursor()

    def _on_kind(self) -> None:
        if self._listed.follows_the_kind:
            self._listed.look_again()
            self._on_rows_changed()

    def _on_asked(self) -> None:
        if self._listed.follows_the_hits:
            self._listed.look_again()
            self._on_rows_changed()

    def _on_cursor(self) -> None:
        if self._session.capture is None:
            return
        place = self.current()
        first = self.first()
        self._slots = self.slots()
        if not first <= place < first + self._slots - 1:
            first = place - self.slots() // 3
        self.set_first(first)
        if place >= 0 and self.count():
            line = self.line(place)
            self.setAccessibleDescription(f"{line.time} {line.message}: {line.says}")

    def _forget(self) -> None:
        self._lines.forget()
        self.repaint_rows()

    def go(self, step: int) -> None:
        """Move the cursor by listed frames."""
        self._put_cursor(self.current() + step)

    def _put_cursor(self, place: int) -> None:
        place = min(max(place, 0), self.count() - 1)
        if place >= 0:
            self._session.clock.set_cursor(
                self._session.capture.frames.at(self._listed.row(place)).time_ns, follow=True
            )

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what may be asked of frames like the one under the mouse."""
        if event is None or self._session.capture is None:
            return
        place = self.row_under(event.pos().y())
        if place is not None:
            row = self._listed.row(place)
            layout = self._session.reading.layout_at(self._session.store.kind_of_row(row), row)
            message = layout.name if layout is not None else ""
            ask_menu(self, self._session, asked.of_frame(self._session.capture, row, message), event.globalPos())

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        if self._session.capture is None:
            return
        place, first = self.current(), self.first()
        was_in_view = first <= place < first + self._slots - 1
        self._slots = self.slots()
        self.set_first(first)
        if was_in_view:
            self._on_cursor()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        place = self.row_at(event) if event is not None else None
        if place is not None:
            self._put_cursor(place)
            self._session.select_kind(self._session.store.kind_of_row(self._listed.row(place)))


def payload_texts(payload: bytes, form: str) -> list[str]:
    """Return each byte in a form: hex, dec, bin or text."""
    if form == "dec":
        return [f"{byte:3d}" for byte in payload]
    if form == "bin":
        return [f"{byte:08b}" for byte in payload]
    if form == "text":
        return [chr(byte) if 32 <= byte < 127 else "·" for byte in payload]
    return [f"{byte:02X}" for byte in payload]


def draw_payload(painter: QPainter, box: QRectF, line: FrameLine, form: str) -> None:
    """Draw a payload, each byte in the colour of the field that owns most of it; unexplained bytes are quiet.

    Neighbours of one colour are drawn in one piece.
    """
    theme = look.theme
    painter.setFont(figure_font(TINY_PX if form == "bin" else SMALL_PX))
    step = painter.fontMetrics().horizontalAdvance("0")
    blank = "" if form == "text" else " "
    texts = payload_texts(line.payload[:_MOST_BYTES_SHOWN], form)
    owners = byte_owners(line.owners, len(texts))
    x = box.left()
    for owner, group in itertools.groupby(zip(owners, texts, strict=True), key=lambda item: item[0]):
        run = blank.join(text for _, text in group) + blank
        fits = int((box.right() + 2 - x) // step)
        color = QColor(theme.quiet)
        if owner >= 0:
            color = theme.field_text(owner)
        painter.setPen(color)
        shown = run if len(run.rstrip()) <= fits else run[: max(fits - 1, 0)] + "…"
        painter.drawText(QRectF(x, box.top(), step * len(run) + 4, box.height()), Qt.AlignmentFlag.AlignVCenter, shown)
        if shown is not run:
            return
        x += step * len(run)
