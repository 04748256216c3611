"""What the layout gives on the open capture, field by field, while it is edited."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import QLineF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetricsF, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_curve, draw_text, padded_range
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ...widgets.words import counted, grouped, share_text

_HEAD = 50
_ROW = 25
_REMARK = 19
_GAP, _SHAPE, _WIDEST_CELL = 12, 56, 150


class TriedTable(QWidget):
    """What the checks say; then the range seen, values outside limits and the shape of every field.

    Events
    ------
    wrong_wanted
        (time in ns) a check that disagrees was clicked: show the first such frame.
    """

    wrong_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._tried: engine.Tried | None = None
        self._before: dict[UUID, engine.Curve] = {}
        self._layout_id: UUID | None = None
        self._explained_at_first: dict[tuple[UUID, int], int] = {}
        self._explained_words = ""
        self._past_end = 0
        self.setAccessibleName("Tried on the open capture")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(420, _HEAD + max(len(self._tried_fields()), 2) * _ROW + len(self.remarks()) * _REMARK + 14)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, self.sizeHint().height())

    @property
    def tried(self) -> list[engine.TriedField]:
        """What the last try gave, field by field."""
        return self._tried_fields()

    def _tried_fields(self) -> list[engine.TriedField]:
        return list(self._tried.fields) if self._tried is not None else []

    def remarks(self) -> list[tuple[str, bool, int | None]]:
        """Return the lines above the fields: words, whether something is wrong, and where it is seen first."""
        tried = self._tried
        if tried is None:
            return []
        said: list[tuple[str, bool, int | None]] = []
        if self._explained_words:
            said.append((self._explained_words, False, None))
        if self._past_end:
            many = counted(self._past_end, "register")
            said.append((f"this exchange goes {many} past the end of the map", True, None))
        for check in tried.checks:
            asked = check.agrees + check.disagrees
            text = f"{check.check.name} agrees in {grouped(check.agrees)} of {counted(asked, 'frame')}"
            if check.disagrees:
                text += "; show the first that does not"
            said.append((text if asked else f"{check.check.name} could not be checked", bool(check.disagrees),
                         check.first_wrong_ns))  # fmt: skip
        for array in tried.arrays:
            span = str(array.fewest) if array.fewest == array.most else f"{array.fewest} to {array.most}"
            words = f", {array.words}" if array.words else ""
            said.append((f"{array.name}: {span} in {counted(array.frames, 'frame')}{words}", False, None))
        if tried.cut:
            said.append((f"{counted(tried.cut, 'frame', 'ends', 'end')} before the layout does", True, None))
        if tried.others:
            said.append((f"{counted(tried.others, 'frame')} of another size or beginning not read", False, None))
        return said

    def try_layout(self, layout: engine.Layout | None, kind: int | None) -> None:
        """Decode the kind with the layout on a thread; the newest try wins."""
        session = self._session
        if layout is None or kind is None:
            self._show(None)
            return
        data = session.store.data(kind)
        plan = session.store.plan(layout)
        if data is None or plan is None:
            return
        if layout.id != self._layout_id:
            self._layout_id, self._before = layout.id, {}
        capture = session.capture
        session.jobs.start(
            "tried",
            "trying on the capture",
            lambda progress: engine.try_layout(capture, plan, data.frames, progress),
            self._show,
        )

    def show_explained(self, layout: engine.Layout | None, kind: int | None, past_end: int = 0) -> None:
        """Say how many moving bits of the kind are explained, and what the edits since it was opened gained."""
        session = self._session
        self._explained_words, self._past_end = "", past_end
        now = session.reading.counts.explained_of(kind) if kind is not None else None
        if layout is not None and kind is not None and now is not None and now.moving:
            whole = engine.whole_bits
            claimed = whole(now.claimed)
            gained = claimed - self._explained_at_first.setdefault((layout.id, kind), claimed)
            self._explained_words = (
                f"claims {claimed} of {now.moving} moving bits ({now.share_text()}), {whole(now.proved)} proved"
            )
            if gained:
                self._explained_words += f", {abs(gained)} {'more' if gained > 0 else 'fewer'} by these edits"
        self.updateGeometry()
        self.update()

    def _show(self, tried: engine.Tried | None) -> None:
        if self._tried is not None and tried is not None:
            now = {item.field.id: item for item in tried.fields}
            for item in self._tried.fields:
                # what a field looked like before the edit stays behind its new shape
                if item.field.id in now and now[item.field.id].field != item.field:
                    self._before[item.field.id] = item.curve
        self._tried = tried
        self.updateGeometry()
        self.update()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        for number, (_, _, time_ns) in enumerate(self.remarks()):
            if time_ns is not None and self.remark_rect(number).contains(event.position()):
                self.wrong_wanted.emit(time_ns)

    def remark_rect(self, number: int) -> QRectF:
        """Return where a remark is drawn."""
        return QRectF(14, 27 + number * _REMARK, self.width() - 28, _REMARK)

    @property
    def _head(self) -> float:
        """Where the rows of fields begin: behind the remarks, which say first whether the layout can be believed."""
        return _HEAD + len(self.remarks()) * _REMARK

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_text(painter, QRectF(14, 6, 300, 18), "Tried on the open capture", text_font(bold=True), theme.ink)
        columns = self._columns()
        for name, box in columns.items():
            head = QRectF(box.left(), self._head - 23, box.width(), 16)
            align = Qt.AlignmentFlag.AlignRight if name == "seen" else Qt.AlignmentFlag.AlignLeft
            draw_text(painter, head, name, text_font(TINY_PX), theme.quiet, align)
        painter.setPen(QColor(theme.line))
        painter.drawLine(QLineF(14, self._head - 4, self.width() - 14, self._head - 4))
        span = self.shape_span()
        for number, item in enumerate(self._tried_fields()):
            self._draw_row(painter, number, item, columns, span)
        if not self._tried_fields():
            hint = QRectF(14, self._head, self.width() - 28, 22)
            words = (
                "No field to try yet."
                if self._session.in_hand.kind is not None
                else "No frame of it was recorded here."
            )
            draw_text(painter, hint, words, text_font(SMALL_PX), theme.quiet)
        for number, (words, wrong, _) in enumerate(self.remarks()):
            color = theme.wrong if wrong else theme.quiet
            mark = "✗ " if wrong else "✓ " if "agrees" in words else "· "
            draw_text(painter, self.remark_rect(number), mark + words, text_font(TINY_PX), color)
        painter.end()

    def _draw_row(
        self, painter: QPainter, number: int, item: engine.TriedField, columns: dict[str, QRectF],
        span: tuple[int, int],
    ) -> None:  # fmt: skip
        theme, wording = look.theme, engine.wording
        top = self._head + number * _ROW
        cells = {name: QRectF(box.left(), top, box.width(), _ROW - 2) for name, box in columns.items()}
        draw_text(painter, cells["field"], item.field.name, text_font(SMALL_PX), theme.ink)
        seen = self._seen(item, wording)
        draw_text(painter, cells["seen"], seen, figure_font(TINY_PX), theme.ink, Qt.AlignmentFlag.AlignRight)
        words, wrong = self._judged(item)
        draw_text(painter, cells["judged"], words, text_font(TINY_PX), theme.wrong if wrong else theme.quiet)
        plot = cells["shape"].adjusted(0, 4, 0, -4)
        shown = padded_range(item.low, item.high)
        before = self._before.get(item.field.id)
        if before is not None:
            draw_curve(painter, before, plot, span, padded_range(*before.value_range()), QColor(theme.line), 1.1)
        draw_curve(painter, item.curve, plot, span, shown, theme.field(number), 1.1)

    def shape_span(self) -> tuple[int, int]:
        """Return the time that shapes are drawn over: that of the message's own frames, which may be a short one."""
        times = [item.curve.time_ns for item in self._tried_fields() if len(item.curve.time_ns)]
        if not times:
            return self._session.clock.first_ns, self._session.clock.last_ns
        return min(int(one[0]) for one in times), max(int(one[-1]) for one in times) + 1

    def _seen(self, item: engine.TriedField, wording) -> str:  # type: ignore[no-untyped-def]
        field = item.field
        if item.text:
            return item.text
        if not field.raw_is_number or item.low != item.low:
            return ""
        if field.called:
            return _named_values(field, int(item.low), int(item.high))
        text: str = wording.range_text(item.low, item.high, field)
        return f"always {text}" if item.low == item.high else text

    def _judged(self, item: engine.TriedField) -> tuple[str, bool]:
        if item.outside:
            return f"{grouped(item.outside)} outside limits", True
        if item.unnamed:
            return f"{grouped(item.unnamed)} without a name", True
        if not item.present:
            return "never present", True
        if item.silent:
            return f"{share_text(item.silent, item.frames)} not available", False
        if item.present < item.frames:
            return f"in {share_text(item.present, item.frames)} of frames", False
        return "in every frame", False

    def _columns(self) -> dict[str, QRectF]:
        """Return where the columns stand, each as wide as what it says; names give way first, then curves."""
        words, figures = QFontMetricsF(text_font(TINY_PX)), QFontMetricsF(figure_font(TINY_PX))
        fields = self._tried_fields()
        seen = _widest(figures, [self._seen(item, engine.wording) for item in fields] + ["seen"])
        judged = _widest(words, [self._judged(item)[0] for item in fields] + ["judged"])
        names = _widest(QFontMetricsF(text_font(SMALL_PX)), [item.field.name for item in fields] + ["field"])
        left = self.width() - 28 - seen - judged - 3 * _GAP
        shape = min(max(left - names, _SHAPE), max(left * 0.5, _SHAPE))
        boxes, x = {}, 14.0
        for name, width in (("field", left - shape), ("seen", seen), ("judged", judged), ("shape", shape)):
            boxes[name] = QRectF(x, 0, max(width, 0), _ROW)
            x += width + _GAP
        return boxes


def _named_values(field: Any, low: int, high: int) -> str:
    """Say which values were seen of a field whose values have names: the only one, both of a flag, or a range."""
    if low == high:
        return f"always {field.label_of(low) or low}"
    if field.kind.value == "flag":
        return f"{field.label_of(low)}, {field.label_of(high)}"
    return f"{low} … {high}"


def _widest(metrics: QFontMetricsF, words: list[str]) -> float:
    return min(max(metrics.horizontalAdvance(one) for one in words) + 2, _WIDEST_CELL)
