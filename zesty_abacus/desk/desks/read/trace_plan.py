"""Where the stack of traces has its rows, its curves and the ticks of its axis."""

from __future__ import annotations

import math
from collections.abc import Iterator
from functools import cached_property

from PyQt6.QtCore import QRectF, QSize
from PyQt6.QtGui import QFontMetricsF

from ...app.clock import Clock
from ...app.doors import engine
from ...app.traces import Trace, Traces
from ...widgets.theme import SMALL_PX, TINY_PX, text_font
from ...widgets.words import time_text

_NAMES = 134, 220
_NAMES_SHARE = 0.25
"""Names at the left have the width that they take: at least, at most, and of a picture at most this part."""
_NAMES_LEFT, _NAMES_RIGHT = 12, 6
AXIS = 18
GUTTER = 74
_BLOCKS = 40


class TracePlan:
    """The places of all traces in a picture of one size, at the time that is in view.

    Attributes
    ----------
    size
    """

    def __init__(self, traces: Traces, clock: Clock, size: QSize) -> None:
        self._traces = traces
        self._clock = clock
        self.size = size

    @cached_property
    def names_width(self) -> int:
        """Where curves begin, right of the names."""
        bold, tiny = QFontMetricsF(text_font(SMALL_PX, bold=True)), QFontMetricsF(text_font(TINY_PX))
        widths = [0.0]
        for kind, field_id in self._traces.shown:
            layout, field = self._traces.layout((kind, field_id)), self._traces.field((kind, field_id))
            widths += [bold.horizontalAdvance(field.name)] if field is not None else []
            widths += [tiny.horizontalAdvance(layout.name)] if layout is not None else []
        least, most = _NAMES
        wanted = math.ceil(max(widths)) + 1 + _NAMES_LEFT + _NAMES_RIGHT
        return max(min(wanted, most, int(self.size.width() * _NAMES_SHARE)), least)

    def name_rect(self, row: QRectF) -> QRectF:
        """Return where the first line of names of a trace stands in its row."""
        return QRectF(_NAMES_LEFT, row.top() + 5, self.names_width - _NAMES_LEFT - _NAMES_RIGHT, 15)

    def rows(self) -> list[QRectF]:
        """Return the row of each trace; blocks are low, curves share what is left."""
        blocks = [self.is_blocks(trace) for trace in self._traces.shown]
        curves = max(len(blocks) - sum(blocks), 1)
        room = (self.size.height() - AXIS - _BLOCKS * sum(blocks)) / curves
        tall = min(max(room, 34), 150)
        rows, y = [], 0.0
        for is_blocks in blocks:
            height = _BLOCKS if is_blocks else tall
            rows.append(QRectF(0, y, self.size.width(), height))
            y += height
        return rows

    def is_blocks(self, trace: Trace) -> bool:
        """Return whether a trace is drawn as blocks of named values."""
        field = self._traces.field(trace)
        return field is not None and (bool(field.names) or field.kind is engine.FieldKind.FLAG)

    @property
    def width(self) -> float:
        """Pixels that curves have from side to side."""
        return max(self.size.width() - self.names_width - GUTTER, 50)

    def x_of(self, time_ns: int) -> float:
        """Return where a time stands."""
        clock = self._clock
        share = (time_ns - clock.view_first_ns) / clock.view_span_ns
        return self.names_width + share * self.width

    def time_at(self, x: float) -> int:
        """Return the time at a place."""
        clock = self._clock
        share = (x - self.names_width) / self.width
        return clock.view_first_ns + int(share * clock.view_span_ns)

    def trace_at(self, y: float) -> int:
        """Return the number of the trace at a height, -1 for none."""
        return next((n for n, row in enumerate(self.rows()) if row.top() <= y < row.bottom()), -1)

    def plot_rect(self, number: int) -> QRectF:
        """Return where the curve of the n-th trace is drawn."""
        row = self.rows()[number]
        return QRectF(self.names_width, row.top() + 6, self.width, row.height() - 12)

    def ticks(self) -> Iterator[tuple[float, str]]:
        """Yield where the axis has its ticks, and what stands there."""
        clock, width = self._clock, self.width
        step = nice_step(clock.view_span_ns / 1e9, max(int(width // 90), 2))
        digits = max(0, -math.floor(math.log10(step))) if step < 1 else 0
        first, last = (clock.seconds(time) / step for time in (clock.view_first_ns, clock.view_last_ns))
        # counted, not added up: a step of a tenth is no exact number, and ticks would drift from the cursor's time
        for second in (number * step for number in range(math.ceil(first), math.floor(last) + 1)):
            x = self.names_width + (second * 1e9 + clock.first_ns - clock.view_first_ns) / clock.view_span_ns * width
            yield x, f"{time_text(second, digits)} s"


def nice_step(span: float, parts: int) -> float:
    """Return a step of 1, 2 or 5 times a power of ten that cuts a span into about so many parts."""
    rough = max(span / parts, 1e-9)
    power = 10.0 ** math.floor(math.log10(rough))
    return next(step * power for step in (1, 2, 5, 10) if step * power >= rough)
