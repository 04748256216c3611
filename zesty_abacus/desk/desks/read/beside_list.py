"""One message on several lanes, or several messages, side by side: what differs at the cursor is lit."""

from __future__ import annotations

from PyQt6.QtCore import QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QContextMenuEvent, QMouseEvent, QPainter, QPaintEvent, QPen

from ...app.doors import engine
from ...app.kind_store import FrameAt
from ...app.payload_form import blank_between, joined_texts, payload_texts, shown_form
from ...app.session import Session
from ...widgets.paint import draw_text
from ...widgets.parts import menu_of
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ...widgets.told import tell
from ...widgets.words import counted, grouped, span_text

_ROW = 66
_EDGE = 14
_DETAIL = 64
_MOST_BYTES = 32
_MOST_VALUES = 4


class BesideList(RowList):
    """A row a stream, the first one on top. A click goes to the next place where it parts from the first.

    Events
    ------
    changed_hand
        Another stream is in hand.
    """

    changed_hand = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__("Side by side", _ROW, 0, _DETAIL)
        self._session = session
        self._beside = session.beside
        self.row_in_hand = 1
        session.beside.changed.connect(self._on_changed)
        session.clock.cursor_changed.connect(self.repaint_rows)
        session.form.changed.connect(self.repaint_rows)
        look.changed.connect(self.repaint_rows)
        self.setToolTip("Click a stream to go to the next place where it parts from the first; right click for more")

    def sizeHint(self) -> QSize:
        return QSize(600, 240)

    def count(self) -> int:
        return len(self._beside.sides)

    def frame(self, row: int) -> FrameAt | None:
        """Return the frame of a stream at the cursor: of the first the newest, of others the one that matches it."""
        session, side = self._session, self._beside.sides[row]
        first = self._beside.sides[0]
        layout = session.reading.layout_of(first.kind)
        newest = session.store.frame_at(first.kind, layout, session.clock.cursor_ns)
        if row == 0 or newest is None:
            return newest
        own = session.reading.layout_of(side.kind)
        place = side.matched.first.searchsorted(newest.number)
        if place < len(side.matched) and side.matched.first[place] == newest.number:
            order = session.capture.order_of_kind(side.kind)
            return session.store.frame(order.row(int(side.matched.second[place])), own)
        if len(side.matched):
            return None
        return session.store.frame_at(side.kind, own, session.clock.cursor_ns)

    def unlike(self, row: int) -> set[int]:
        """Return the bytes that a stream holds otherwise than the first at the cursor."""
        first, own = self.frame(0), self.frame(row)
        if first is None or own is None or row == 0:
            return set()
        shorter = min(len(first.payload), len(own.payload))
        differs = {n for n in range(shorter) if first.payload[n] != own.payload[n]}
        return differs | set(range(shorter, len(own.payload)))

    def values(self, row: int) -> list[str]:
        """Say the values that differ at the cursor, physical, decimal and raw; first and this stream."""
        first, own = self.frame(0), self.frame(row)
        if first is None or own is None or first.decoded is None or own.decoded is None:
            return []
        theirs = {column.field.name: column for column in own.decoded.columns.values()}
        said = []
        for column in first.decoded.columns.values():
            other = theirs.get(column.field.name)
            if other is None or column.raw is None or other.raw is None or column.raw[0] == other.raw[0]:
                continue
            both = [_value_words(one, int(raw[0])) for one, raw in ((column, column.raw), (other, other.raw))]
            said.append(f"{column.field.name}: {' | '.join(both)}")
        return said

    def title(self, row: int) -> str:
        """Return what a stream is called: lane and message."""
        kinds, kind = self._session.kinds, self._beside.sides[row].kind
        lane = self._session.capture.lanes[kinds.key(kind).lane].name
        name = kinds.name(kind)
        return f"{lane} · {name} {kinds.address(kind)}" if name else f"{lane} · {kinds.address(kind)}"

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, area = look.theme, self.area()
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(area, QColor(theme.paper))
        if not self.count():
            draw_text(painter, area, self._hint(), text_font(), theme.quiet, Qt.AlignmentFlag.AlignHCenter)
            painter.end()
            return
        height = self.row_height
        for row, top in self.rows_in_view():
            if row == self.row_in_hand:
                painter.fillRect(QRectF(4, top, area.width() - 8, height - 2), QColor(theme.selected))
            self._draw_row(painter, row, QRectF(_EDGE, top + 4, area.width() - 2 * _EDGE, height - 10))
            painter.setPen(QColor(theme.line))
            below = int(top + height) - 1
            painter.drawLine(_EDGE, below, int(area.width()) - _EDGE, below)
        self._draw_detail(painter)
        painter.end()

    def _hint(self) -> str:
        if len(self._beside.numbers) > 1:
            return "Comparing…"
        return "Seen on one lane only. Choose another message in the roster, then press Add."

    def _draw_row(self, painter: QPainter, row: int, box: QRectF) -> None:
        theme, third = look.theme, box.height() / 3
        side = self._beside.sides[row]
        every = f", every {span_text(side.period_ns)}" if side.period_ns else ""
        first = QRectF(box.left(), box.top(), box.width(), third)
        counts = f"{counted(side.frames, 'frame')}{every}"
        draw_text(painter, first, counts, text_font(TINY_PX), theme.quiet, Qt.AlignmentFlag.AlignRight)
        draw_text(painter, first.adjusted(0, 0, -170, 0), self.title(row), text_font(SMALL_PX, bold=True), theme.ink,
                  middle=True)  # fmt: skip
        self._draw_payload(painter, row, first.translated(0, third))
        words = "the others are compared with this one" if row == 0 else side.words(self._beside.sides[0])
        draw_text(painter, first.translated(0, 2 * third), words, text_font(TINY_PX), theme.quiet)

    def _draw_payload(self, painter: QPainter, row: int, box: QRectF) -> None:
        """Draw the bytes at the cursor; those that differ stand on a ground of their own, underlined."""
        theme = look.theme
        frame = self.frame(row)
        if frame is None:
            missing = "lacks the frame at the cursor" if row else "no frame yet at the cursor"
            draw_text(painter, box, missing, text_font(SMALL_PX), theme.wrong)
            return
        unlike = self.unlike(row)
        painter.setFont(figure_font(SMALL_PX))
        step = painter.fontMetrics().horizontalAdvance("0")
        x = box.left()
        form = shown_form(self._session.form.asked, text=self._session.kinds.is_text(self._beside.sides[row].kind))
        texts = payload_texts(frame.payload[:_MOST_BYTES], form)
        tell(painter, box, lambda: joined_texts(texts, form))
        for number, text in enumerate(texts):
            cell = QRectF(x, box.top(), step * len(text), box.height())
            if cell.right() > box.right():
                break
            painter.setPen(QColor(theme.zest_text if number in unlike else theme.ink))
            painter.drawText(cell, Qt.AlignmentFlag.AlignVCenter, text)
            if number in unlike:
                painter.setPen(QPen(QColor(theme.zest), 1.6))
                painter.drawLine(cell.bottomLeft(), cell.bottomRight())
            x += step * len(text + blank_between(form))

    def _draw_detail(self, painter: QPainter) -> None:
        """Say what differs at the cursor below the list, the first beside the one in hand."""
        row = min(self.row_in_hand, self.count() - 1)
        said = self.values(row) if row > 0 else []
        words = "\n".join(said[:_MOST_VALUES]) or "At the cursor both say the same."
        self.draw_foot(painter, words, look.theme.ink if said else look.theme.quiet)

    # events and hands

    def _on_changed(self) -> None:
        self.row_in_hand = min(max(self.row_in_hand, 1), max(self.count() - 1, 1))
        self.set_first(self.first())
        self.changed_hand.emit()

    def go(self, step: int) -> None:
        self.row_in_hand = min(max(self.row_in_hand + step, 0), self.count() - 1)
        self.repaint_rows()
        self.changed_hand.emit()

    def go_to_difference(self, by: int) -> bool:
        """Go to the next place, or with -1 the one before, where the stream in hand parts from the first or lacks a
        frame; say whether there is one."""
        if not 0 < self.row_in_hand < self.count():
            return False
        side, cursor = self._beside.sides[self.row_in_hand], self._session.clock.cursor_ns
        # where they part is told by its own times; what it lacks by those of the first
        places = sorted({*(side.parts_ns - side.matched.lag_ns).tolist(), *side.missing.tolist()})
        later = [time for time in places if (time > cursor if by > 0 else time < cursor)]
        if later:
            self._session.clock.set_cursor(later[0] if by > 0 else later[-1], follow=True)
        return bool(later)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is None:
            return
        again, self.row_in_hand = row == self.row_in_hand, row
        self._session.in_hand.take_kind(self._beside.sides[row].kind)
        if again and not self.go_to_difference(1):
            self._session.told.emit("", "There is no further difference.")
        self.repaint_rows()
        self.changed_hand.emit()

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        row = self.row_under(event.pos().y()) if event is not None else None
        if event is None or row is None:
            return
        kind = self._beside.sides[row].kind
        menu = menu_of(self)
        for words, act in (("Compare the others with this one", self._beside.begin_with),
                           ("Leave it out", self._beside.leave_out)):  # fmt: skip
            action = menu.addAction(words)
            if action is not None:
                action.triggered.connect(lambda _on=False, act=act: act(kind))
        menu.popup(event.globalPos())

    def resizeEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().resizeEvent(event)
        self.set_first(self.first())


def _value_words(column: engine.FieldColumn, raw: int) -> str:
    """Return a value of one frame with its raw value, decimal where it is another number, and as its bits in hex."""
    # what has no places of its own, as a value in columns of text, has no bits to show but those of the number
    bits = raw & (1 << (len(column.field.places) or 64)) - 1
    value = engine.wording.value_text(column, 0)
    parts = [part for part in (grouped(raw), f"0x{bits:X}") if part != value]
    return f"{value} ({', '.join(parts)})"
