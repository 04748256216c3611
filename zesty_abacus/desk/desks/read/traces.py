"""The stack of traces: fields over the visible time, one cursor through all of them."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterator
from functools import partial
from pathlib import Path
from uuid import UUID

import numpy as np
from PyQt6.QtCore import QEvent, QMimeData, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import (
    QColor,
    QContextMenuEvent,
    QDragEnterEvent,
    QDropEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QPen,
    QWheelEvent,
)
from PyQt6.QtWidgets import QFileDialog, QSizePolicy, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...around.save_view import save_view
from ...around.time_hands import DragZoom, key_on_time, wheel_on_time
from ...widgets.paint import draw_curve, draw_text, elided, padded_range
from ...widgets.picture_file import FORMS
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.words import span_text, time_text
from .trace_menu import trace_menu
from .trace_overlays import TraceOverlays

FIELD_MIME = "application/x-zesty-abacus-field"
_NAMES_WIDTH = 134
_LOW, _TALL = 46, 110
_BLOCKS = 40
_AXIS = 18
_GUTTER = 74
_FRAMES_LOOKED_AT = 200_000


def field_mime(kind: int, field_id: UUID) -> QMimeData:
    """Return what a dragged field carries."""
    data = QMimeData()
    data.setData(FIELD_MIME, f"{kind} {field_id}".encode())
    return data


class TraceStack(QWidget):
    """Curves of number fields, blocks of named values and flags.

    Click or drag moves the cursor; dragging along the axis, or with Shift, shows that stretch; the wheel zooms at the
    pointer, with Shift it pans; a middle click or Delete takes the trace under the pointer off the stack. Fields can be
    dropped on it; a right click lays something over a trace.

    Events
    ------
    plot_wanted
        (sort, trace along, trace up) a picture of ``values``, ``distances`` or a ``cloud`` is wanted.
    """

    plot_wanted = pyqtSignal(str, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._dragging = False
        self._hovered = -1
        self.overlays = TraceOverlays(session)
        self._zoom = DragZoom(session.clock, self._time_at, self._x_of)
        self.setMouseTracking(True)
        self.setAcceptDrops(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Traces")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Expanding)
        for event in (session.opened, session.traces.changed, session.layouts_changed, session.store.curve_ready,
                      session.overlays.changed):  # fmt: skip
            event.connect(self._on_change)
        for event in (session.clock.view_changed, session.clock.cursor_changed, session.clock.pin_changed):
            event.connect(self.update)
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(600, 80 * max(len(self._session.traces.shown), 2) + _AXIS)

    def minimumSizeHint(self) -> QSize:
        return QSize(300, 120)

    def plot_rect(self, number: int) -> QRectF:
        """Return where the curve of the n-th trace is drawn."""
        row = self._rows()[number]
        return QRectF(_NAMES_WIDTH, row.top() + 6, self._plot_width(), row.height() - 12)

    # drawing

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.draw(painter)
        painter.end()

    def draw(self, painter: QPainter) -> None:
        """Draw the stack, on the screen or into a file."""
        theme, session = look.theme, self._session
        painter.fillRect(self.rect(), QColor(theme.panel))
        if session.capture is None or not session.traces.shown:
            hint = "Pick fields in the readout at right, or drop them here, to see them over time."
            if session.capture is None:
                hint = "Open a trial to see its values over time."
            draw_text(painter, QRectF(self.rect()), hint, text_font(), theme.quiet, Qt.AlignmentFlag.AlignHCenter)
            return
        for number, row in enumerate(self._rows()):
            self._draw_trace(painter, number, row)
        self._draw_axis(painter)
        self._draw_cursors(painter)
        self._zoom.draw(painter, self.height())

    def _draw_trace(self, painter: QPainter, number: int, row: QRectF) -> None:
        theme, session = look.theme, self._session
        kind, field_id = session.traces.shown[number]
        layout = session.reading.layout_with(kind, field_id)
        field = session.traces.field((kind, field_id))
        if layout is None or field is None:
            return
        color = theme.field(number)
        painter.setPen(QColor(theme.line))
        painter.drawLine(QPointF(0, row.bottom()), QPointF(self.width(), row.bottom()))
        found = session.store.curve(kind, layout, field_id)
        self._draw_names(painter, row, (kind, layout), field, color)
        plot = self.plot_rect(number)
        clock = session.clock
        if found is None:
            draw_text(painter, plot, "decoding …", text_font(TINY_PX), theme.quiet)
            return
        column, curve = found
        painter.save()
        painter.setClipRect(plot.adjusted(0, -5, _GUTTER, 5))
        if field.names or field.kind is engine.FieldKind.FLAG:
            draw_blocks(painter, session, column, curve, plot, theme.field)
        elif column.value is None:
            draw_text(painter, plot, "text has no curve; see the frames below", text_font(TINY_PX), theme.quiet)
        else:
            trace = (kind, field_id)
            shown = padded_range(*self.overlays.shown_range(trace, curve.value_range()))
            span = (clock.view_first_ns, clock.view_last_ns)
            self._draw_scale(painter, plot, shown, field)
            draw_curve(painter, curve, plot, span, shown, color)
            self.overlays.draw(painter, number, trace, plot, shown)
        painter.restore()

    def _draw_names(
        self, painter: QPainter, row: QRectF, of: tuple[int, engine.Layout], field: engine.Field, color: QColor
    ) -> None:
        theme, session = look.theme, self._session
        kind, layout = of
        text = QRectF(12, row.top() + 5, _NAMES_WIDTH - 18, 15)
        dark = color.darker(125) if theme.name == "Peel" else color
        draw_text(painter, text, field.name, text_font(SMALL_PX, bold=True), dark)
        at = session.store.frame_at(kind, layout, session.clock.cursor_ns)
        value = "–"
        if at is not None and at.decoded is not None:
            value = engine.wording.value_text(at.decoded[field.id], 0)
        draw_text(painter, text.translated(0, 16), value, figure_font(SMALL_PX), theme.ink)
        if row.height() >= 56:
            draw_text(painter, text.translated(0, 32), layout.name, text_font(TINY_PX), theme.quiet, middle=True)

    def _draw_scale(self, painter: QPainter, plot: QRectF, shown: tuple[float, float], field: engine.Field) -> None:
        """Write the ends of the scale and draw zero where it is in sight."""
        theme, wording = look.theme, engine.wording
        if shown[0] < 0 < shown[1]:
            y = plot.bottom() + shown[0] / (shown[1] - shown[0]) * plot.height()
            painter.setPen(QPen(faded(theme.rod, 0.7), 1, Qt.PenStyle.DotLine))
            painter.drawLine(QPointF(plot.left(), y), QPointF(plot.right(), y))
        digits = min(wording.decimals_of(field), 2)
        for value, top in ((shown[1], plot.top() - 4), (shown[0], plot.bottom() - 10)):
            text = wording.number_text(float(value), digits)
            box = QRectF(plot.right() + 2, top, _GUTTER - 8, 14)
            draw_text(painter, box, text, figure_font(10), theme.quiet, Qt.AlignmentFlag.AlignRight)

    def ticks(self) -> Iterator[tuple[float, str]]:
        """Yield where the axis has its ticks, and what stands there."""
        clock, width = self._session.clock, self._plot_width()
        step = nice_step(clock.view_span_ns / 1e9, max(int(width // 90), 2))
        digits = max(0, -math.floor(math.log10(step))) if step < 1 else 0
        first, last = (clock.seconds(time) / step for time in (clock.view_first_ns, clock.view_last_ns))
        # counted, not added up: a step of a tenth is no exact number, and ticks would drift from the cursor's time
        for second in (number * step for number in range(math.ceil(first), math.floor(last) + 1)):
            x = _NAMES_WIDTH + (second * 1e9 + clock.first_ns - clock.view_first_ns) / clock.view_span_ns * width
            yield x, f"{time_text(second, digits)} s"

    def _draw_axis(self, painter: QPainter) -> None:
        theme, y = look.theme, self.height() - _AXIS
        for x, text in self.ticks():
            painter.setPen(QPen(faded(theme.line, 0.8), 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, y))
            box = QRectF(x - 45, y + 1, 90, _AXIS - 2)
            draw_text(painter, box, text, figure_font(10), theme.quiet, Qt.AlignmentFlag.AlignHCenter)

    def _draw_cursors(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._session.clock
        bottom = self.height() - _AXIS
        if clock.pin_ns is not None:
            painter.setPen(QPen(QColor(theme.quiet), 1.2, Qt.PenStyle.DashLine))
            x = self._x_of(clock.pin_ns)
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))
            box = QRectF(x + 3, bottom - 16, 90, 14)
            draw_text(painter, box, f"Δ {span_text(clock.cursor_ns - clock.pin_ns)}", figure_font(10), theme.quiet)
        if clock.view_first_ns <= clock.cursor_ns <= clock.view_last_ns:
            painter.setPen(QPen(QColor(theme.ink), 1.3))
            x = self._x_of(clock.cursor_ns)
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))

    # geometry

    def _rows(self) -> list[QRectF]:
        """Return the row of each trace; blocks are low, curves share what is left."""
        session = self._session
        blocks = [self._is_blocks(trace) for trace in session.traces.shown]
        curves = max(len(blocks) - sum(blocks), 1)
        room = (self.height() - _AXIS - _BLOCKS * sum(blocks)) / curves
        tall = min(max(room, 34), 150)
        rows, y = [], 0.0
        for is_blocks in blocks:
            height = _BLOCKS if is_blocks else tall
            rows.append(QRectF(0, y, self.width(), height))
            y += height
        return rows

    def _is_blocks(self, trace: tuple[int, UUID]) -> bool:
        field = self._session.traces.field(trace)
        return field is not None and (bool(field.names) or field.kind is engine.FieldKind.FLAG)

    def _plot_width(self) -> float:
        return max(self.width() - _NAMES_WIDTH - _GUTTER, 50)

    def _x_of(self, time_ns: int) -> float:
        clock = self._session.clock
        share = (time_ns - clock.view_first_ns) / clock.view_span_ns
        return _NAMES_WIDTH + share * self._plot_width()

    def _time_at(self, x: float) -> int:
        clock = self._session.clock
        share = (x - _NAMES_WIDTH) / self._plot_width()
        return clock.view_first_ns + int(share * clock.view_span_ns)

    def _trace_at(self, y: float) -> int:
        return next((n for n, row in enumerate(self._rows()) if row.top() <= y < row.bottom()), -1)

    # mouse and keys

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        number = self._trace_at(event.position().y())
        if event.button() == Qt.MouseButton.MiddleButton and number >= 0:
            self._session.traces.toggle(*self._session.traces.shown[number])
        elif event.position().x() < _NAMES_WIDTH and number >= 0:
            self._session.select_kind(self._session.traces.shown[number][0])
        elif event.button() == Qt.MouseButton.LeftButton and self._zooms(event):
            self._zoom.begin(event.position().x())
        elif event.button() == Qt.MouseButton.LeftButton:
            self._dragging = True
            self._session.clock.set_cursor(self._time_at(event.position().x()))

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        if event is None:
            return
        self._hovered = self._trace_at(event.position().y())
        if self._zoom.is_on:
            self._zoom.move(event.position().x())
            self.update()
        elif self._dragging:
            self._session.clock.set_cursor(self._time_at(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        self._dragging = False
        if self._zoom.is_on:
            self._zoom.end()
            self.update()

    def _zooms(self, event: QMouseEvent) -> bool:
        """Return whether dragging chooses a stretch to see: along the axis, or with Shift."""
        with_shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        return with_shift or event.position().y() >= self.height() - _AXIS

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """Offer what can be done with the trace under the mouse."""
        number = self._trace_at(event.pos().y()) if event is not None else -1
        if event is not None and number >= 0:
            trace = self._session.traces.shown[number]
            time_ns = self._time_at(event.pos().x())
            trace_menu(self, self._session, trace, time_ns, event.globalPos(), self._acts(trace))

    def _acts(self, trace: tuple[int, UUID]) -> list[tuple[str, Callable[[], object]]]:
        """Return what can be seen of a trace besides, and that the picture can be saved."""
        acts: list[tuple[str, Callable[[], object]]] = [
            ("How often it has its values", lambda: self.plot_wanted.emit("values", trace, trace)),
            ("How far apart its frames come", lambda: self.plot_wanted.emit("distances", trace, trace)),
        ]
        for other in self._session.traces.shown:
            field = self._session.traces.field(other)
            if other != trace and field is not None and not self._is_blocks(other):
                acts.append((f"Against {field.name}", partial(self.plot_wanted.emit, "cloud", other, trace)))
        return [*acts, ("Save the picture…", self.ask_picture)]

    def ask_picture(self) -> None:
        """Ask where the picture of the stack is to be saved."""
        name, _ = QFileDialog.getSaveFileName(self, "Save the picture", "traces.png", FORMS)
        if name:
            save_view(self._session, Path(name), self.size(), self.draw)

    def leaveEvent(self, event: QEvent | None) -> None:
        self._hovered = -1

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        if event is not None and self._session.capture is not None:
            wheel_on_time(self._session.clock, event, self._time_at(event.position().x()))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is None or self._session.capture is None:
            return
        if event.key() == Qt.Key.Key_Delete and 0 <= self._hovered < len(self._session.traces.shown):
            self._session.traces.toggle(*self._session.traces.shown[self._hovered])
        elif not key_on_time(self._session.clock, event):
            super().keyPressEvent(event)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is not None and data is not None and data.hasFormat(FIELD_MIME):
            event.acceptProposedAction()

    def dropEvent(self, event: QDropEvent | None) -> None:
        data = event.mimeData() if event is not None else None
        if event is None or data is None:
            return
        kind, field_id = data.data(FIELD_MIME).data().decode().split()
        trace = (int(kind), UUID(field_id))
        if trace not in self._session.traces.shown:
            self._session.traces.toggle(*trace)
        event.acceptProposedAction()

    def _on_change(self) -> None:
        names = [field.name for trace in self._session.traces.shown if (field := self._session.traces.field(trace))]
        self.setAccessibleDescription(", ".join(names))
        self.updateGeometry()
        self.update()


def draw_blocks(
    painter: QPainter,
    session: Session,
    column: engine.FieldColumn,
    curve: engine.Curve,
    plot: QRectF,
    color_of: Callable[[int], QColor],
) -> None:
    """Draw values that have names as blocks in time; where they change within a pixel, as a dense bar."""
    clock, theme = session.clock, look.theme
    span = (clock.view_first_ns, clock.view_last_ns)
    box = QRectF(plot.left(), plot.center().y() - 12, plot.width(), 24)
    blocks = value_blocks(curve, span, max(int(plot.width()), 2))
    if blocks is None:
        painter.fillRect(box, faded(color_of(0), 0.35))
        draw_text(painter, box.adjusted(8, 0, 0, 0), "changes all the time; zoom in", text_font(TINY_PX), theme.ink)
        return
    font = text_font(TINY_PX)
    for row, first, last in blocks:
        name = engine.wording.value_text(column, row)
        value = curve.values[row]
        code = int(value) if abs(value) < 1e6 else 0
        block = QRectF(plot.left() + first * plot.width(), box.top(), (last - first) * plot.width(), box.height())
        is_off = column.field.kind is engine.FieldKind.FLAG and not code
        painter.setPen(QPen(QColor(theme.panel), 1))
        painter.setBrush(QColor(theme.chip) if is_off else faded(color_of(code), 0.28))
        painter.drawRoundedRect(block, 5, 5)
        if block.width() > 24:
            draw_text(painter, block.adjusted(6, 0, -6, 0), elided(name, font, block.width() - 12), font, theme.ink)


def value_blocks(curve: engine.Curve, span: tuple[int, int], pixels: int) -> list[tuple[int, float, float]] | None:
    """Return stretches of one value within the visible time, None if there are too many to tell apart.

    Each is (row of its first frame, begin and end as a share of the span). Only frames next to a change are
    looked at: a column of the screen whose frames are all equal tells that there is none inside.
    """
    first_ns, last_ns = span
    begin = max(int(np.searchsorted(curve.time_ns, first_ns, side="right")) - 1, 0)
    end = int(np.searchsorted(curve.time_ns, last_ns, side="right"))
    if end - begin > _FRAMES_LOOKED_AT:
        columns = curve.columns(first_ns, last_ns, pixels)
        if np.count_nonzero(columns.low != columns.high) > pixels / 3:
            return None
    values = curve.values[begin:end]
    if not len(values):
        return []
    changes = np.flatnonzero((values[1:] != values[:-1]) & ~(np.isnan(values[1:]) & np.isnan(values[:-1]))) + 1
    starts = np.concatenate([[0], changes])
    if len(starts) > pixels / 3:
        return None
    left = np.clip((curve.time_ns[begin + starts] - first_ns) / (last_ns - first_ns), 0.0, 1.0)
    right = np.append(left[1:], 1.0)
    return [
        (begin + int(start), float(x0), float(x1))
        for start, x0, x1 in zip(starts, left, right, strict=True)
        if not np.isnan(values[start])
    ]


def nice_step(span: float, parts: int) -> float:
    """Return a step of 1, 2 or 5 times a power of ten that cuts a span into about so many parts."""
    rough = max(span / parts, 1e-9)
    power = 10.0 ** math.floor(math.log10(rough))
    return next(step * power for step in (1, 2, 5, 10) if step * power >= rough)
