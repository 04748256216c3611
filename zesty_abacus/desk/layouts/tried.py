"""What the layout gives on the open capture, field by field, while it is edited."""

from __future__ import annotations

from typing import TYPE_CHECKING

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ..clock import grouped
from ..session import Session
from ..theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ..widgets.paint import draw_curve, draw_text, padded_range

if TYPE_CHECKING:
    from .. import engine as heavy

_HEAD = 50
_ROW = 25


class TriedTable(QWidget):
    """Range seen, values outside limits, and the shape of every field over the whole capture."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._tried: list[heavy.TriedField] = []
        self._problem = ""
        self.setAccessibleName("Tried on the open capture")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Minimum)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(420, _HEAD + max(len(self._tried), 2) * _ROW + 8)

    def minimumSizeHint(self) -> QSize:
        return QSize(320, self.sizeHint().height())

    @property
    def tried(self) -> list[heavy.TriedField]:
        """What the last try gave."""
        return self._tried

    def try_layout(self, layout: heavy.Layout | None, kind: int | None) -> None:
        """Decode the kind with the layout on a thread; the newest try wins."""
        session = self._session
        if layout is None or kind is None:
            self._show([])
            return
        data = session.store.data(kind)
        if data is None or session.store.plan(layout) is None:
            return
        engine = session.engine
        session.jobs.start(
            "tried",
            "trying on the capture",
            lambda progress: engine.try_layout(layout, data.frames, progress),
            self._show,
        )

    def _show(self, tried: list[heavy.TriedField]) -> None:
        self._tried = tried
        self.updateGeometry()
        self.update()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        theme = look.theme
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        draw_text(painter, QRectF(14, 6, 300, 18), "Tried on the open capture", text_font(bold=True), theme.ink)
        columns = self._columns()
        for name, box in columns.items():
            head = QRectF(box.left(), 27, box.width(), 16)
            align = Qt.AlignmentFlag.AlignRight if name == "seen" else Qt.AlignmentFlag.AlignLeft
            draw_text(painter, head, name, text_font(TINY_PX), theme.quiet, align)
        painter.setPen(QColor(theme.line))
        painter.drawLine(14, _HEAD - 4, self.width() - 14, _HEAD - 4)
        for number, item in enumerate(self._tried):
            self._draw_row(painter, number, item, columns)
        if not self._tried:
            hint = QRectF(14, _HEAD, self.width() - 28, 22)
            draw_text(painter, hint, "No field to try yet.", text_font(SMALL_PX), theme.quiet)
        painter.end()

    def _draw_row(self, painter: QPainter, number: int, item: heavy.TriedField, columns: dict[str, QRectF]) -> None:
        theme, wording = look.theme, self._session.engine.wording
        top = _HEAD + number * _ROW
        cells = {name: QRectF(box.left(), top, box.width(), _ROW - 2) for name, box in columns.items()}
        draw_text(painter, cells["field"], item.field.name, text_font(SMALL_PX), theme.ink)
        seen = self._seen(item, wording)
        draw_text(painter, cells["seen"], seen, figure_font(TINY_PX), theme.ink, Qt.AlignmentFlag.AlignRight)
        words, wrong = self._judged(item)
        draw_text(painter, cells["judged"], words, text_font(TINY_PX), theme.wrong if wrong else theme.quiet)
        clock = self._session.clock
        plot = cells["shape"].adjusted(0, 4, 0, -4)
        span = (clock.first_ns, clock.last_ns)
        shown = padded_range(item.low, item.high)
        draw_curve(painter, item.curve, plot, span, shown, theme.field(number), 1.1)

    def _seen(self, item: heavy.TriedField, wording) -> str:  # type: ignore[no-untyped-def]
        field = item.field
        if not field.raw_is_number:
            return ""
        if field.names or field.kind.value == "flag":
            return f"{item.low:.0f} … {item.high:.0f}" if item.low == item.low else "no value"
        return wording.range_text(item.low, item.high, field)

    def _judged(self, item: heavy.TriedField) -> tuple[str, bool]:
        if item.outside:
            return f"{grouped(item.outside)} outside limits", True
        if item.unnamed:
            return f"{grouped(item.unnamed)} without a name", True
        if not item.present:
            return "never present", True
        if item.silent:
            return f"{item.silent / item.frames:.0%} not available", False
        if item.present < item.frames:
            return f"in {item.present / item.frames:.0%} of frames", False
        return "in every frame", False

    def _columns(self) -> dict[str, QRectF]:
        width = self.width() - 28
        boxes, x = {}, 14.0
        for name, share in (("field", 0.27), ("seen", 0.27), ("judged", 0.24), ("shape", 0.22)):
            boxes[name] = QRectF(x, 0, width * share - 12, _ROW)
            x += width * share
        return boxes
