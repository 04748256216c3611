"""Values that have names, drawn as blocks in time."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np
from PyQt6.QtCore import QRectF
from PyQt6.QtGui import QColor, QPainter, QPen

from ...app.doors import engine
from ...app.session import Session
from ...widgets.paint import draw_text, elided
from ...widgets.theme import TINY_PX, faded, look, text_font

_FRAMES_LOOKED_AT = 200_000


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
