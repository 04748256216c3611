"""Frames, one sentence each; only what is on screen is ever decoded."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QColor, QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent

from ..app.doors import asked
from ..app.payload_form import heading
from ..app.session import Session
from ..widgets.row_list import RowList
from ..widgets.theme import look
from .ask_menu import ask_menu
from .frame_lines import FrameLine
from .frame_painter import ROW, FramePainter
from .listed_frames import ListedFrames

if TYPE_CHECKING:
    from ...core.frames.order import RowsInOrder, TimeOrder

_HEAD = 24
_DETAIL = 40


class FrameList(RowList):
    """All frames of the capture, or only those of the kind in hand, around the cursor.

    Up and Down go frame by frame; a click puts the cursor on a frame.

    Attributes
    ----------
    listed
        Which frames are listed.
    """

    def __init__(self, session: Session) -> None:
        super().__init__("Frames", ROW, _HEAD, _DETAIL)
        self._slots = 0
        self._session = session
        self.listed = ListedFrames(session)
        self.listed.changed.connect(self._on_rows_changed)
        self._rows = FramePainter(session, self.listed)
        self._digits = session.clock.digits
        session.grown.connect(self._on_grown)
        session.layouts_changed.connect(self._forget)
        session.reading.counts.changed.connect(self._forget)
        session.form.changed.connect(self.repaint_rows)
        session.clock.cursor_changed.connect(self._on_cursor)
        session.clock.view_changed.connect(self._on_view)
        look.changed.connect(self.repaint_rows)

    def sizeHint(self) -> QSize:
        return QSize(600, 240)

    def _on_view(self) -> None:
        if self._digits != self._session.clock.digits:
            self._digits = self._session.clock.digits
            self._forget()

    def order(self) -> TimeOrder | RowsInOrder:
        """Return the frames that are listed, in order of time."""
        return self.listed.order()

    def count(self) -> int:
        """Return how many frames are listed."""
        return len(self.order()) if self._session.capture is not None else 0

    def current(self) -> int:
        """Return the place in the list of the last frame at or before the cursor, -1 before the first."""
        return self.listed.current()

    def line(self, place: int) -> FrameLine:
        """Return a listed frame in words."""
        return self._rows.line(place)

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
        columns = self._rows.columns(area.width())
        current = self.current()
        for place, top in self.rows_in_view():
            if place == current:
                painter.fillRect(QRectF(4, top, area.width() - 8, self.row_height), QColor(theme.selected))
            self._rows.draw(painter, columns, place, top, self.row_height)
        self.draw_head(painter, columns, {"payload": heading("payload", self._session.form.asked)}, {"time s", "after"})
        self._draw_detail(painter, current)
        painter.end()

    def _draw_detail(self, painter: QPainter, current: int) -> None:
        """Say the frame at the cursor in full below the list."""
        line = self.line(current) if current >= 0 else None
        words = f"{line.message}: {line.says}" if line is not None else ""
        self.draw_foot(painter, words, look.theme.wrong if line is not None and line.wrong else look.theme.ink)

    # events

    def _on_rows_changed(self) -> None:
        self._forget()
        self._on_cursor()

    def _on_grown(self) -> None:
        # whoever reads further up is not moved; what follows the newest goes by the cursor
        self.set_first(self.first())

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
        self._rows.forget()
        self.repaint_rows()

    def go(self, step: int) -> None:
        """Move the cursor by listed frames."""
        self._put_cursor(self.current() + step)

    def _put_cursor(self, place: int) -> None:
        place = min(max(place, 0), self.count() - 1)
        if place < 0:
            return
        self.listed.choose(place)
        clock, before = self._session.clock, self._session.clock.cursor_ns
        clock.set_cursor(self._session.capture.frames.at(self.listed.row(place)).time_ns, follow=True)
        if clock.cursor_ns == before:
            self._on_cursor()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what may be asked of frames like the one under the mouse."""
        if event is None or self._session.capture is None:
            return
        place = self.row_under(event.pos().y())
        if place is not None:
            row = self.listed.row(place)
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
            self._session.in_hand.take_kind(self._session.store.kind_of_row(self.listed.row(place)))
