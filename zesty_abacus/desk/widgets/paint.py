"""Painting shared by the custom widgets: curves from screen columns, ribbons, elided words."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QFont, QFontMetricsF, QPainter, QPen, QPolygonF

from ..theme import Theme

if TYPE_CHECKING:
    from ...core.frames.decimate import CurveColumns
    from .. import engine as heavy


def polyline(x: NDArray[np.float64], y: NDArray[np.float64]) -> QPolygonF:
    """Return points as one polygon; Qt takes them without a Python object a point where it can."""
    return QPolygonF([QPointF(px, py) for px, py in zip(x.tolist(), y.tolist(), strict=True)])


def curve_points(columns: CurveColumns) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Turn screen columns into a line that keeps every spike: entering, low, high and leaving value a column.

    Returns x in columns and values, both float64; columns without a value are left out.
    """
    count = len(columns.first)
    values = np.column_stack([columns.first, columns.low, columns.high, columns.last])
    x = np.arange(count)[:, None] + np.array([0.1, 0.4, 0.6, 0.9])
    good = np.isfinite(columns.low) & np.isfinite(columns.first) & np.isfinite(columns.last)
    flat = good & (columns.low == columns.high)
    keep = np.repeat(good[:, None], 4, axis=1)
    keep[flat, 1:] = False
    return x[keep], values[keep]


def draw_curve(
    painter: QPainter,
    curve: heavy.Curve,
    rect: QRectF,
    span_ns: tuple[int, int],
    value_range: tuple[float, float],
    color: QColor,
    width: float = 1.4,
) -> None:
    """Draw a curve into a rectangle, reduced to its pixels; a value holds until the next one."""
    pixels = max(int(rect.width()), 2)
    x, values = curve_points(curve.columns(span_ns[0], span_ns[1], pixels))
    low, high = value_range
    if not len(values):
        held = curve.at(span_ns[0])
        if np.isnan(held):
            return
        x, values = np.array([0.0, float(pixels)]), np.array([held, held])
    span = high - low or 1.0
    if len(values) < pixels // 3:
        x, values = _as_steps(x, values)
    y = rect.bottom() - (np.clip(values, low - span, high + span) - low) / span * rect.height()
    painter.setPen(QPen(color, width, Qt.PenStyle.SolidLine, Qt.PenCapStyle.RoundCap, Qt.PenJoinStyle.RoundJoin))
    painter.drawPolyline(polyline(rect.left() + x, y))


def _as_steps(x: NDArray[np.float64], values: NDArray[np.float64]) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
    """Hold each value until the next one: sparse frames say nothing about the time between them."""
    return np.repeat(x, 2)[1:], np.repeat(values, 2)[:-1]


def padded_range(low: float, high: float) -> tuple[float, float]:
    """Return a range with a little air, never empty."""
    if not np.isfinite(low) or not np.isfinite(high):
        return 0.0, 1.0
    if low == high:
        return low - 0.5, high + 0.5
    air = (high - low) * 0.06
    return low - air, high + air


def elided(text: str, font: QFont, width: float) -> str:
    """Shorten words to a width."""
    return QFontMetricsF(font).elidedText(text, Qt.TextElideMode.ElideRight, width)


def draw_text(
    painter: QPainter,
    rect: QRectF,
    text: str,
    font: QFont,
    color: QColor | str,
    align: Qt.AlignmentFlag = Qt.AlignmentFlag.AlignLeft,
) -> None:
    """Draw one line of words, shortened to the rectangle."""
    painter.setFont(font)
    painter.setPen(QColor(color))
    shown = elided(text, font, rect.width())
    painter.drawText(rect, align | Qt.AlignmentFlag.AlignVCenter, shown)


def draw_ribbon(
    painter: QPainter,
    rect: QRectF,
    moves: NDArray[np.bool_],
    owners: NDArray[np.int16],
    theme: Theme,
) -> None:
    """Draw the bits of a kind in a row, highest bit of each byte left: explained, unexplained, still.

    Explained bits are full height, unexplained ones half height, still ones a hairline, so that the picture
    reads without colour.
    """
    count = len(moves)
    if not count:
        return
    bytes_ = count // 8
    gap = 3.0 if bytes_ <= 8 else 1.0 if bytes_ <= 24 else 0.0
    step = (rect.width() - gap * (bytes_ - 1)) / count
    explained, unexplained, still = [], [], []
    for bit in range(count):
        byte, inner = divmod(bit, 8)
        x = rect.left() + (byte * 8 + 7 - inner) * step + byte * gap
        width = max(step - 0.7, 0.6)
        if not moves[bit]:
            still.append(QRectF(x, rect.center().y() - 0.5, width, 1.0))
        elif owners[bit] >= 0:
            explained.append(QRectF(x, rect.top(), width, rect.height()))
        else:
            unexplained.append(QRectF(x, rect.top() + rect.height() / 4, width, rect.height() / 2))
    painter.setPen(Qt.PenStyle.NoPen)
    for rects, color in ((explained, theme.fields[0]), (unexplained, theme.unexplained), (still, theme.rod)):
        painter.setBrush(QColor(color))
        if rects:
            painter.drawRects(*rects)
