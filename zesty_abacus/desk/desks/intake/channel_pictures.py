"""Draws a channel into its box: samples as a curve, edges as a line of levels, a threshold that follows the wave."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPainterPath, QPen

from ...app.doors import lines
from ...widgets.paint import curve_image
from ...widgets.theme import faded, look

_MOST_UNKNOWN = 2000


def draw_samples(
    painter: QPainter,
    box: QRectF,
    wave: lines.Samples,
    span: tuple[int, int],
    values: tuple[float, float],
    color: QColor,
) -> None:
    """Draw samples of a span; every sample while they are few, else the range of each column."""
    bounds = wave.indexes_of(np.array(span))
    if bounds[1] - bounds[0] < box.width() * 2:
        _draw_each(painter, box, wave, (int(bounds[0]), int(bounds[1])), span, values, color)
        return
    device = painter.device()
    ratio = device.devicePixelRatioF() if device is not None else 1.0
    columns, rows = max(int(box.width() * ratio), 2), max(int(box.height() * ratio), 2)
    image = curve_image(wave.columns(*span, columns), values, rows, color, 1.4 * ratio)
    image.setDevicePixelRatio(ratio)
    painter.drawImage(QPointF(box.left(), box.top() - 2), image)


def _draw_each(
    painter: QPainter, box: QRectF, wave: lines.Samples, bounds: tuple[int, int], span: tuple[int, int],
    values: tuple[float, float], color: QColor,
) -> None:  # fmt: skip
    """Draw a line from sample to sample; each one a dot when they stand apart."""
    low, high = values
    begin, end = max(bounds[0] - 1, 0), min(bounds[1] + 1, len(wave))
    path = QPainterPath()
    dots = bounds[1] - bounds[0] < box.width() / 12
    painter.setBrush(color)
    for place, value in enumerate(wave.physical(begin, end)):
        x = box.left() + (wave.time_of(begin + place) - span[0]) / max(span[1] - span[0], 1) * box.width()
        y = box.bottom() - (float(value) - low) / (high - low) * box.height()
        if place:
            path.lineTo(x, y)
        else:
            path.moveTo(x, y)
        if dots:
            painter.setPen(Qt.PenStyle.NoPen)
            painter.drawEllipse(QPointF(x, y), 1.8, 1.8)
    painter.setPen(QPen(color, 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)


def draw_following(
    painter: QPainter, box: QRectF, wave: lines.Samples, threshold: NDArray[np.float32], span: tuple[int, int],
    values: tuple[float, float],
) -> None:  # fmt: skip
    """Draw a threshold that has a value at each sample."""
    columns = max(int(box.width()), 2)
    times = span[0] + (np.arange(columns) * ((span[1] - span[0]) / columns)).astype(np.int64)
    at = np.clip(wave.indexes_of(times), 0, len(threshold) - 1)
    levels = threshold[at].astype(np.float64)
    before = np.concatenate([levels[:1], levels[:-1]])
    band = (np.minimum(levels, before), np.maximum(levels, before))
    picture = curve_image(band, values, max(int(box.height()), 2), QColor(look.theme.zest), 1.2)
    painter.drawImage(QPointF(box.left(), box.top() - 2), picture)


def draw_edges(painter: QPainter, box: QRectF, edges: lines.Edges, span: tuple[int, int], color: QColor) -> None:
    """Draw a line of levels; spans the recording does not know are shaded."""
    levels = (-1, 1) if len(edges) and int(edges.level[:4096].min()) < 0 else (0, 1)
    inner = box.adjusted(0, box.height() * 0.12, 0, -box.height() * 0.12)
    _shade_unknown(painter, inner, edges, span)
    first, last = (int(row) for row in np.searchsorted(edges.time_ns, span))
    if last - first < box.width() * 1.5:
        _stroke(painter, inner, edges, (first, last), span, levels, color)
        return
    bottom, top = edges.columns(*span, max(int(box.width()), 2))
    band = bottom.astype(np.float64), top.astype(np.float64)
    picture = curve_image(band, levels, max(int(inner.height()), 2), color, 1.4)
    painter.drawImage(QPointF(box.left(), inner.top() - 2), picture)


def _shade_unknown(painter: QPainter, inner: QRectF, edges: lines.Edges, span: tuple[int, int]) -> None:
    scale = inner.width() / max(span[1] - span[0], 1)
    here = (edges.unknown[:, 0] < span[1]) & (edges.unknown[:, 1] > span[0])
    for begin, end in edges.unknown[here][:_MOST_UNKNOWN]:
        left, right = (inner.left() + (min(max(int(t), span[0]), span[1]) - span[0]) * scale for t in (begin, end))
        place = QRectF(left, inner.top(), max(right - left, 1), inner.height())
        painter.fillRect(place, faded(look.theme.wrong, 0.14))


def _stroke(
    painter: QPainter, inner: QRectF, edges: lines.Edges, rows: tuple[int, int], span: tuple[int, int],
    levels: tuple[int, int], color: QColor,
) -> None:  # fmt: skip
    """Draw every edge as an upright line."""
    scale = inner.width() / max(span[1] - span[0], 1)

    def y_of(level: int) -> float:
        return inner.bottom() - (level - levels[0]) / (levels[1] - levels[0]) * inner.height()

    begin, end = max(span[0], edges.begin_ns), min(span[1], edges.end_ns)
    if begin >= end:
        return
    level = int(edges.level[rows[0] - 1]) if rows[0] else edges.first
    path = QPainterPath(QPointF(inner.left() + (begin - span[0]) * scale, y_of(level)))
    for row in range(*rows):
        x = inner.left() + (int(edges.time_ns[row]) - span[0]) * scale
        path.lineTo(x, y_of(level))
        level = int(edges.level[row])
        path.lineTo(x, y_of(level))
    path.lineTo(inner.left() + (end - span[0]) * scale, y_of(level))
    painter.setPen(QPen(color, 1.4))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.drawPath(path)
