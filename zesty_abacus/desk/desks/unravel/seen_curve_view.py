"""A curve that is evidence, drawn as it was seen."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QSizePolicy, QWidget

from ...app.doors import laid
from ...widgets.paint import curve_image, draw_text, padded_range
from ...widgets.theme import TINY_PX, look, text_font
from ...widgets.words import figure_text, span_text

_WORDS, _PLOT, _EDGE = 16, 54, 8


class SeenCurveView(QWidget):
    """Draws the curve with its words above, its ends beside it, and what was laid over it as a broken line."""

    def __init__(self, curve: laid.SeenCurve) -> None:
        super().__init__()
        self._curve = curve
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        over = f", {curve.over_name} laid over" if curve.over else ""
        self.setAccessibleName(f"Curve: {curve.words}{over}")
        self.setToolTip(f"{curve.words}{over}")
        look.changed.connect(self.update)

    def sizeHint(self) -> QSize:
        return QSize(200, _WORDS * 2 + _PLOT + 2 * _EDGE)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        painter, theme, curve = QPainter(self), look.theme, self._curve
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(QColor(theme.line), 1))
        painter.setBrush(QColor(theme.panel))
        box = QRectF(self.rect()).adjusted(0.5, 0.5, -0.5, -0.5)
        painter.drawRoundedRect(box, 7, 7)
        inner = box.adjusted(_EDGE, 3, -_EDGE, -3)
        font = text_font(TINY_PX)
        draw_text(painter, QRectF(inner.left(), inner.top(), inner.width(), _WORDS), curve.words, font, theme.ink)
        low, high = curve.value_range()
        ends = f"{figure_text(low)} to {figure_text(high)}"
        ends += f" in {span_text(curve.last_ns - curve.first_ns)}"
        ends += f" · broken: {curve.over_name}" if curve.over else ""
        below = QRectF(inner.left(), inner.bottom() - _WORDS, inner.width(), _WORDS)
        draw_text(painter, below, ends, font, theme.quiet)
        self._draw(painter, inner.adjusted(0, _WORDS + 3, 0, -_WORDS - 3))
        painter.end()

    def _draw(self, painter: QPainter, plot: QRectF) -> None:
        curve, theme, shown = self._curve, look.theme, padded_range(*self._curve.value_range())
        ratio = self.devicePixelRatioF()
        columns, rows = max(int(plot.width() * ratio), 2), max(int(plot.height() * ratio), 2)
        lows, highs = curve.band()
        spread = np.arange(columns) * len(lows) // columns
        image = curve_image((lows[spread], highs[spread]), shown, rows, QColor(theme.zest), 1.3 * ratio)
        image.setDevicePixelRatio(ratio)
        painter.drawImage(QPointF(plot.left(), plot.top()), image)
        points = [
            QPointF(plot.left() + plot.width() * (number + 0.5) / len(curve.over),
                    plot.bottom() - plot.height() * (value - shown[0]) / (shown[1] - shown[0]))
            for number, value in enumerate(curve.over) if value is not None
        ]  # fmt: skip
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(QColor(theme.ink), 1.2, Qt.PenStyle.DashLine))
        painter.drawPolyline(QPolygonF(points))
