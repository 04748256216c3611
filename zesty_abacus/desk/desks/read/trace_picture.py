"""How the stack of traces looks: names and values, curves with their scale, the axis and the cursors."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, QSizeF, Qt
from PyQt6.QtGui import QColor, QFontMetricsF, QPainter, QPen

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_curve, draw_text, padded_range
from ...widgets.theme import SMALL_PX, TINY_PX, faded, figure_font, look, text_font
from ...widgets.told import tell_whole
from ...widgets.words import span_text
from .trace_blocks import draw_blocks
from .trace_overlays import TraceOverlays
from .trace_plan import AXIS, GUTTER, TracePlan


class TracePicture:
    """Draws the traces that are shown, at the places of a plan."""

    def __init__(self, session: Session, overlays: TraceOverlays, plan: TracePlan) -> None:
        self._session = session
        self._overlays = overlays
        self._plan = plan

    def draw(self, painter: QPainter) -> None:
        """Draw the stack, on the screen or into a file."""
        theme, session, whole = look.theme, self._session, QRectF(QPointF(), QSizeF(self._plan.size))
        painter.fillRect(whole, QColor(theme.panel))
        if session.capture is None or not session.traces.shown:
            draw_text(painter, whole, self._hint(), text_font(), theme.quiet, Qt.AlignmentFlag.AlignHCenter)
            return
        for number, row in enumerate(self._plan.rows()):
            self._draw_trace(painter, number, row)
        self._draw_axis(painter)
        self._draw_cursors(painter)

    def _hint(self) -> str:
        """Return what to do where there is no trace."""
        if self._session.capture is None:
            return "Open a trial to see its values over time."
        if next(self._session.reading.kinds_read(), None) is None:
            return "No message is laid out yet: find its fields on Unravel (3), or lay it out on Layouts (4)."
        return "Pick fields in the readout at right, or drop them here, to see them over time."

    def _draw_trace(self, painter: QPainter, number: int, row: QRectF) -> None:
        theme, session = look.theme, self._session
        kind, field_id = session.traces.shown[number]
        layout = session.traces.layout((kind, field_id))
        field = session.traces.field((kind, field_id))
        if layout is None or field is None:
            return
        color = theme.field(number)
        painter.setPen(QColor(theme.line))
        painter.drawLine(QPointF(0, row.bottom()), QPointF(self._plan.size.width(), row.bottom()))
        found = session.store.curve(kind, layout, field_id)
        self._draw_names(painter, row, (kind, layout), field, theme.field_text(number))
        plot = self._plan.plot_rect(number)
        clock = session.clock
        if found is None:
            draw_text(painter, plot, "decoding…", text_font(TINY_PX), theme.quiet)
            return
        column, curve = found
        painter.save()
        painter.setClipRect(plot.adjusted(0, -5, GUTTER, 5))
        if field.names or field.kind is engine.FieldKind.FLAG:
            draw_blocks(painter, session, column, curve, plot, theme.field)
        elif column.value is None:
            draw_text(painter, plot, "text has no curve; see the frames below", text_font(TINY_PX), theme.quiet)
        else:
            trace = (kind, field_id)
            shown = padded_range(*self._overlays.shown_range(trace, curve.value_range()))
            span = (clock.view_first_ns, clock.view_last_ns)
            # words stand above the curves, not on them
            plot = plot.adjusted(0, self._overlays.words_height(trace), 0, 0)
            self._draw_scale(painter, plot, shown, field)
            draw_curve(painter, curve, plot, span, shown, color)
            self._overlays.draw(painter, number, trace, plot, shown)
        painter.restore()

    def _draw_names(
        self, painter: QPainter, row: QRectF, of: tuple[int, engine.Layout], field: engine.Field, words: QColor
    ) -> None:
        theme, session = look.theme, self._session
        kind, layout = of
        text = self._plan.name_rect(row)
        draw_text(painter, text, field.name, text_font(SMALL_PX, bold=True), words)
        at = session.store.newest_at(kind, layout, field.id, session.clock.cursor_ns)
        value = "–"
        if at is not None and at.decoded is not None:
            value = engine.wording.value_text(at.decoded[field.id], 0)
        tell_whole(painter, row, lambda: f"{field.name}, {value}, {layout.name}")
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
            box = QRectF(plot.right() + 2, top, GUTTER - 8, 14)
            draw_text(painter, box, text, figure_font(10), theme.quiet, Qt.AlignmentFlag.AlignRight)

    def _draw_axis(self, painter: QPainter) -> None:
        theme, y = look.theme, self._plan.size.height() - AXIS
        for x, text in self._plan.ticks():
            painter.setPen(QPen(faded(theme.line, 0.8), 1))
            painter.drawLine(QPointF(x, 0), QPointF(x, y))
            box = QRectF(x - 45, y + 1, 90, AXIS - 2)
            draw_text(painter, box, text, figure_font(10), theme.quiet, Qt.AlignmentFlag.AlignHCenter)

    def _draw_cursors(self, painter: QPainter) -> None:
        theme, clock = look.theme, self._session.clock
        bottom = self._plan.size.height() - AXIS
        if clock.pin_ns is not None:
            painter.setPen(QPen(QColor(theme.quiet), 1.2, Qt.PenStyle.DashLine))
            x = self._plan.x_of(clock.pin_ns)
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))
            apart, font = f"Δ {span_text(clock.cursor_ns - clock.pin_ns)}", figure_font(10)
            width = QFontMetricsF(font).horizontalAdvance(apart) + 8
            # among the times of the axis, where no curve runs, and in front of one of them that would touch it
            box = QRectF(x - width / 2, bottom + 1, width, AXIS - 2)
            painter.fillRect(box, QColor(theme.panel))
            draw_text(painter, box, apart, font, theme.quiet, Qt.AlignmentFlag.AlignHCenter)
        if clock.view_first_ns <= clock.cursor_ns <= clock.view_last_ns:
            painter.setPen(QPen(QColor(theme.ink), 1.3))
            x = self._plan.x_of(clock.cursor_ns)
            painter.drawLine(QPointF(x, 0), QPointF(x, bottom))
