"""Arrays of one frame as curves over their axis: a scan, a block of registers, the cells of a pack."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any
from uuid import UUID

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QColor, QPainter, QPen, QPolygonF

from ...widgets.paint import draw_text
from ...widgets.theme import SMALL_PX, TINY_PX, figure_font, look, text_font
from ...widgets.words import figure_text

CURVE_HEIGHT = 84
_MOST_POINTS = 2000


@dataclass(frozen=True, slots=True, eq=False)
class ArrayCurve:
    """The items of one field of an array in one frame.

    Attributes
    ----------
    title
        Array and field.
    x, y : float64 (n,)
        Where the items stand, and their values; NaN for none.
    x_words, y_words
        The span of both, with units.
    color
        Number of the field's colour.
    array_id, field_id
    axis_unit
    """

    title: str
    x: NDArray[np.float64]
    y: NDArray[np.float64]
    x_words: str
    y_words: str
    color: int
    array_id: UUID
    field_id: UUID
    axis_unit: str = ""


def array_curves(decoded: Any, wording: Any, numbers: dict[Any, int]) -> Iterator[ArrayCurve]:
    """Yield the curves of the first frame of what was decoded: number fields of arrays with two items or more.

    Parameters
    ----------
    numbers
        Number of each field by id.
    """
    for array in decoded.arrays.values():
        items = array.rows_of(0)
        if array.lists or not 2 <= items.stop - items.start <= _MOST_POINTS:
            continue
        x = array.axis[items] if array.axis is not None else np.arange(items.stop - items.start, dtype=np.float64)
        name = array.axis_name or "item"
        unit = f" {array.axis_unit}" if array.axis_unit else ""
        x_words = f"{name} {figure_text(x[0])} … {figure_text(x[-1])}{unit}"
        for key, column in array.columns.items():
            if column.value is None or column.field.names or not column.field.kind.is_number:
                continue
            y = column.plot_values()[items].astype(np.float64)
            y_words = wording.spread_words(column, items).removeprefix(f"{column.field.name} ") or "no value"
            yield ArrayCurve(
                f"{array.name}: {column.field.name}", x, y, x_words, y_words, numbers.get(key, 0), array.id, key,
                array.axis_unit,
            )  # fmt: skip


def draw_array_curve(painter: QPainter, curve: ArrayCurve, box: QRectF) -> None:
    """Draw a curve with a bead an item, its spans in words above and below."""
    theme = look.theme
    right = Qt.AlignmentFlag.AlignRight
    head = QRectF(box.left(), box.top(), box.width(), 18)
    draw_text(painter, head, curve.y_words, figure_font(SMALL_PX), theme.ink, right)
    used = min(painter.fontMetrics().horizontalAdvance(curve.y_words) + 8, box.width() * 0.7)
    draw_text(painter, head.adjusted(0, 0, -used, 0), curve.title, text_font(SMALL_PX), theme.ink)
    foot = QRectF(box.left(), box.bottom() - 16, box.width(), 14)
    draw_text(painter, foot, curve.x_words, text_font(TINY_PX), theme.quiet, right)
    plot = box.adjusted(4, 22, -4, -18)
    painter.fillRect(plot.adjusted(-4, -3, 4, 3), QColor(theme.paper))
    good = np.isfinite(curve.y) & np.isfinite(curve.x)
    if not good.any():
        return
    color = theme.field(curve.color)
    points = _scaled(curve.x, curve.y, good, plot)
    painter.setPen(QPen(color, 1.2))
    painter.setBrush(Qt.BrushStyle.NoBrush)
    for run in points:
        painter.drawPolyline(QPolygonF(run))
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(color)
    if len(curve.x) <= 64:
        for run in points:
            for point in run:
                painter.drawEllipse(point, 2.2, 2.2)


def _scaled(
    x: NDArray[np.float64], y: NDArray[np.float64], good: NDArray[np.bool_], plot: QRectF
) -> list[list[QPointF]]:
    """Return the points in the plot, a run for each stretch without a gap."""
    wide, low, high = np.ptp(x[good]) or 1.0, y[good].min(), y[good].max()
    tall = (high - low) or 1.0
    runs: list[list[QPointF]] = [[]]
    for here, left, value in zip(good, x, y, strict=True):
        if not here:
            runs.append([])
            continue
        share = (value - low) / tall if high > low else 0.5
        at = QPointF(plot.left() + (left - x[good].min()) / wide * plot.width(), plot.bottom() - share * plot.height())
        runs[-1].append(at)
    return [run for run in runs if run]
