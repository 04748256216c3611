"""What is laid over a trace, drawn on its scale: other fields as lines, what instruments said as broken ones."""

from __future__ import annotations

from typing import Any

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen

from ...app.doors import seen
from ...app.overlays import Over, OverField, OverReference
from ...app.session import Session
from ...app.traces import Trace
from ...widgets.paint import draw_curve, draw_reference, draw_text
from ...widgets.theme import TINY_PX, faded, look, text_font

_LINE = 15


class TraceOverlays:
    """Draws overlays and says how well references agree."""

    def __init__(self, session: Session) -> None:
        self._session = session

    def shown_range(self, trace: Trace, own: tuple[float, float]) -> tuple[float, float]:
        """Return the range that a trace and all that is laid over it take."""
        ranges = [own]
        for over in self._session.overlays.over(trace):
            curve = self.curve(trace, over)
            if curve is not None and len(curve):
                ranges.append(curve.value_range())
        known = [one for pair in ranges for one in pair if not np.isnan(one)]
        return (min(known), max(known)) if known else own

    def curve(self, trace: Trace, over: Over) -> Any:
        """Return what is laid over as a curve, None while it is not known."""
        session = self._session
        if isinstance(over, OverField):
            layout = session.reading.layout_with(over.kind, over.field_id)
            found = session.store.curve(over.kind, layout, over.field_id) if layout is not None else None
            return found[1] if found is not None else None
        field = session.traces.field(trace)
        column = session.overlays.reference(over, field.unit if field is not None else "")
        return seen.Curve.build(column.time_ns, column.values) if column is not None else None

    def color(self, number: int, place: int) -> QColor:
        """Return the colour of the overlay at a place of a trace."""
        return look.theme.field(number + 3 + 2 * place)

    def draw(self, painter: QPainter, number: int, trace: Trace, plot: QRectF, shown: tuple[float, float]) -> None:
        """Draw all that is laid over a trace."""
        clock = self._session.clock
        span = clock.view_first_ns, clock.view_last_ns
        for place, over in enumerate(self._session.overlays.over(trace)):
            curve = self.curve(trace, over)
            if curve is None:
                continue
            color = self.color(number, place)
            if isinstance(over, OverField):
                draw_curve(painter, curve, plot, span, shown, color, 1.2)
            else:
                draw_reference(painter, curve, plot, span, shown, color)
        self._draw_words(painter, number, trace, plot)

    def words(self, trace: Trace) -> list[str]:
        """Return what stands over a trace: what is laid over, and how well references agree."""
        overlays = self._session.overlays
        return [
            overlays.fit_words(trace, over) or overlays.name(over) if isinstance(over, OverReference)
            else overlays.name(over)
            for over in overlays.over(trace)
        ]  # fmt: skip

    def words_height(self, trace: Trace) -> float:
        """Return how much room is left above the curves of a trace for what stands over it."""
        return max(_LINE * len(self._session.overlays.over(trace)) - 2, 0)

    def _draw_words(self, painter: QPainter, number: int, trace: Trace, plot: QRectF) -> None:
        for place, words in enumerate(self.words(trace)):
            top = plot.top() - self.words_height(trace) - 4
            box = QRectF(plot.left() + 4, top + place * _LINE, plot.width() - 8, _LINE)
            if box.bottom() > plot.bottom():
                return
            font = text_font(TINY_PX)
            painter.setFont(font)
            width = min(painter.fontMetrics().horizontalAdvance(words) + 26, int(box.width()))
            painter.fillRect(QRectF(box.left() - 2, box.top(), width, _LINE), faded(look.theme.panel, 0.85))
            pen = QPen(self.color(number, place), 1.6)
            if isinstance(self._session.overlays.over(trace)[place], OverReference):
                pen.setStyle(Qt.PenStyle.DashLine)
            painter.setPen(pen)
            painter.drawLine(QPointF(box.left(), box.center().y()), QPointF(box.left() + 14, box.center().y()))
            draw_text(painter, box.adjusted(20, 0, 0, 0), words, font, look.theme.ink)
