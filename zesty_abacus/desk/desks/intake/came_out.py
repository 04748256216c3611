"""What came out of a recipe, a frame a line, tied to the wave by the shared cursor."""

from __future__ import annotations

from collections import OrderedDict

from PyQt6.QtCore import QPoint, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QFontMetricsF,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
)

from ...app.asking import Asking
from ...app.doors import engine, lines
from ...app.payload_form import heading, joined_texts, payload_texts, shown_form
from ...widgets.paint import draw_text
from ...widgets.row_list import RowList
from ...widgets.theme import SMALL_PX, figure_font, look, text_font
from .bench import Bench

_ROW = 22
_HEAD = 22
_KEPT = 2000
_MOST_BYTES = 32


class CameOut(RowList):
    """The frames of the recipe being tried.

    Up and Down go frame by frame, Enter or a double click brings the whole frame into view.

    Events
    ------
    pointed
        (frame, where on the screen) somebody asks what may be asked of it.
    """

    pointed = pyqtSignal(int, QPoint)

    def __init__(self, bench: Bench, asking: Asking) -> None:
        super().__init__("What came out", _ROW, _HEAD)
        self._bench = bench
        self._asking = asking
        asking.changed.connect(self.repaint_rows)
        self._reader: lines.FrameReader | None = None
        self._says_something = self._is_text = False
        self._words: OrderedDict[int, lines.FrameWords] = OrderedDict()
        self._told_row = -2
        bench.outcome_changed.connect(self._on_outcome)
        bench.session.clock.cursor_changed.connect(self._on_cursor)
        bench.session.form.changed.connect(self.repaint_rows)
        bench.session.layouts_changed.connect(self._on_outcome)
        look.changed.connect(self.repaint_rows)

    def sizeHint(self) -> QSize:
        return QSize(600, 220)

    def count(self) -> int:
        """Return how many frames are listed."""
        outcome = self._bench.outcome
        return len(outcome.result.frames) if outcome is not None else 0

    def words(self, row: int) -> lines.FrameWords:
        """Return a frame in words."""
        if row not in self._words:
            assert self._reader is not None, "rows are asked for only while there are some"
            self._words[row] = self._reader.words(row)
            if len(self._words) > _KEPT:
                self._words.popitem(last=False)
        return self._words[row]

    def go(self, step: int) -> None:
        """Move the cursor by frames."""
        self._bench.frames.go(self._bench.frames.current() + step)

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme, bench = look.theme, self._bench
        painter = QPainter(self.viewport())
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        area = self.area()
        painter.fillRect(area, QColor(theme.paper))
        if self.count():
            current, times = bench.frames.current(), bench.frames.times()
            columns = self._columns(area.width())
            for row, top in self.rows_in_view():
                if row == current:
                    painter.fillRect(QRectF(4, top, area.width() - 8, self.row_height), QColor(theme.selected))
                self._draw_row(painter, columns, row, int(times[row]), top)
            self.draw_head(painter, columns, {"bytes": heading("bytes", bench.session.form.asked)}, {"time s"})
        else:
            draw_text(painter, area.adjusted(18, 8, -18, -8), self._empty_words(), text_font(SMALL_PX), theme.quiet)
        painter.end()

    def _empty_words(self) -> str:
        bench = self._bench
        if bench.problem:
            return bench.problem
        if bench.recipe is None or bench.outcome is None:
            return "Take an offer at right, or choose what the wires speak; what comes out stands here at once."
        return "Nothing came out. Look at the levels and at which wire is which."

    def _draw_row(self, painter: QPainter, columns: dict[str, QRectF], row: int, time_ns: int, top: float) -> None:
        theme, words = look.theme, self.words(row)
        if self._asking.holds(row):
            painter.fillRect(QRectF(0, top + 3, 3, self.row_height - 6), QColor(theme.zest))
        boxes = {name: QRectF(box.left(), top, box.width(), self.row_height) for name, box in columns.items()}
        seconds = self._bench.session.clock.words(time_ns)
        draw_text(painter, boxes["time s"], seconds, figure_font(SMALL_PX), theme.ink, Qt.AlignmentFlag.AlignRight)
        draw_text(painter, boxes["what"], words.address, text_font(SMALL_PX), theme.ink)
        form = self.form()
        texts = payload_texts(words.payload[:_MOST_BYTES], form)
        payload = joined_texts(texts, form) + (" …" if len(words.payload) > _MOST_BYTES else "")
        draw_text(painter, boxes["bytes"], payload, figure_font(SMALL_PX), theme.ink)
        # a row without a problem has that much more room for what it says
        says = boxes["says"] if words.problem or not boxes["says"].width() else boxes["says"].united(boxes["problem"])
        draw_text(painter, says, words.says, text_font(SMALL_PX), theme.quiet)
        draw_text(painter, boxes["problem"], words.problem, text_font(SMALL_PX), theme.wrong)

    def _columns(self, width: float) -> dict[str, QRectF]:
        clock = self._bench.session.clock
        step = QFontMetricsF(figure_font(SMALL_PX)).horizontalAdvance("0")
        time = max(16.0 + step * len(clock.words(clock.last_ns)), 84.0)
        widths = {"time s": time, "what": 190.0 if width > 760 else 150.0, "problem": 130.0}
        rest = max(width - sum(widths.values()) - 12 * 5, 240)
        # bytes take what the longest frame needs, and what they mean the rest
        bytes_of = min(self._bytes_width(step), rest - 120) if self._says_something else rest
        says = rest - bytes_of if self._says_something else 0.0
        boxes, x = {}, 10.0
        for name, size in (("time s", widths["time s"]), ("what", widths["what"]), ("bytes", bytes_of), ("says", says),
                           ("problem", widths["problem"])):  # fmt: skip
            boxes[name] = QRectF(x, 0, size, _ROW)
            x += size + 12
        if not says:
            boxes["says"] = QRectF(0, 0, 0, _ROW)
        return {name: box for name, box in boxes.items() if box.width() or name != "says"} | {"says": boxes["says"]}

    def _bytes_width(self, step: float) -> float:
        """Return how wide the bytes of the longest frame are, as far as they are shown."""
        outcome = self._bench.outcome
        longest = int(outcome.result.frames.size.max(initial=0)) if outcome is not None else 0
        letters = {"hex": 3, "dec": 4, "bin": 9, "text": 1}[self.form()]
        return max(step * letters * min(longest, _MOST_BYTES), 100.0)

    def form(self) -> str:
        """Return the form in which bytes are shown."""
        return shown_form(self._bench.session.form.asked, text=self._is_text)

    # scrolling and hands

    def _on_outcome(self) -> None:
        session, outcome = self._bench.session, self._bench.outcome
        layouts = session.edits.layouts()
        self._reader = lines.FrameReader(outcome, layouts) if outcome is not None else None
        # asked once here, not at every paint: a library has thousands of layouts
        self._says_something = any(self._bench.lane_name in one.applies.lanes for one in layouts)
        self._is_text = outcome is not None and _is_text(outcome)
        self._words.clear()
        self._told_row = -2
        self._on_cursor()

    def _on_cursor(self) -> None:
        if not self.isVisible():
            return
        row = self._bench.frames.current()
        first = self.first()
        if row != self._told_row and not first <= row < first + self.slots():
            first = row - self.slots() // 3
        self._told_row = row
        self.set_first(first)
        if 0 <= row < self.count():
            words = self.words(row)
            self.setAccessibleDescription(f"{words.address} {words.says} {words.problem}".strip())

    def showEvent(self, event) -> None:  # type: ignore[no-untyped-def]
        super().showEvent(event)
        self._on_cursor()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        super().resizeEvent(event)
        # whatever room is left, the frame at the cursor stays in it
        self._told_row = -2
        self._on_cursor()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is not None:
            self._bench.frames.go(row)

    def mouseDoubleClickEvent(self, event: QMouseEvent | None) -> None:
        row = self.row_at(event) if event is not None else None
        if row is not None:
            self._bench.frames.show_frame(row)

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        row = self.row_under(event.pos().y()) if event is not None else None
        if event is not None and row is not None:
            self.pointed.emit(row, event.globalPos())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self._bench.frames.show_frame(self._bench.frames.current())
        else:
            super().keyPressEvent(event)


def _is_text(outcome: lines.Outcome) -> bool:
    frames = outcome.result.frames
    return engine.is_text(outcome.recipe.protocol, map(frames.payload_of, range(len(frames))))
