"""Values over time as a picture: the fields that move most, one under the other on one axis, with moments."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..frames.decimate import Curve
from ..frames.segment_frames import KindFrames
from ..handover.markup import escaped
from ..handover.pages import FONT, HAIR, INK, MONO, QUIET, letters_in
from ..library.seen_curve import SeenCurve
from ..progress import Progress
from ..reading.meaning import Meaning
from ..trial.content import Moment
from ..words import counted, figure_text, span_text
from .blocks import Figure

_MOST = 12
_MOST_A_MESSAGE = 2
_SAMPLED = 200_000
"""A kind with more frames is looked at in so many, evenly; extremes between them are not in the picture."""
_WIDTH, _LEFT, _RIGHT = 515.0, 142.0, 60.0
_NAME, _SMALL = 8.5, 7.0
"""Sizes of letters in points."""
_ROW, _HEAD, _FOOT = 34.0, 14.0, 16.0
_COLUMNS = 360
_LINE_COLOURS = ("#1F8A8A", "#3B7AC0", "#7B4B94", "#B9762F")


@dataclass(frozen=True, slots=True, eq=False)
class Trace:
    """A field over time.

    Attributes
    ----------
    liveliness
        How many different values it takes.
    """

    message: str
    lane: str
    field: UUID
    name: str
    unit: str
    curve: Curve
    liveliness: int


def liveliest(meaning: Meaning, wanted: Sequence[UUID] = (), progress: Progress | None = None) -> list[Trace]:
    """Return the traces to show: fields that are asked for, then those that move most, few of one message."""
    progress = progress or Progress()
    found: list[Trace] = []
    for kind in range(len(meaning.kinds)):
        progress.step(kind / max(len(meaning.kinds), 1), "drawing traces")
        if meaning.kinds[kind].readers:
            found += _traces_of(meaning, kind)
    found.sort(key=lambda one: (one.field not in wanted, -one.liveliness, one.message, one.name))
    taken: list[Trace] = []
    for trace in found:
        same = sum(one.message == trace.message and one.lane == trace.lane for one in taken)
        if len(taken) < _MOST and (trace.field in wanted or same < _MOST_A_MESSAGE):
            taken.append(trace)
    return taken


def _traces_of(meaning: Meaning, kind: int) -> list[Trace]:
    capture = meaning.capture
    rows = capture.order_of_kind(kind).rows()
    if len(rows) > _SAMPLED:
        rows = rows[:: -(-len(rows) // _SAMPLED)]
    frames: KindFrames = capture.frames.gather(rows)
    lane = capture.lanes[capture.kinds.keys[kind].lane].name
    made = []
    for reader, mine, decoded in meaning.decoded(kind, frames):
        times = capture.frames.times(mine.rows)
        for column in decoded.columns.values():
            field = column.field
            if column.value is None or field.names or not field.kind.is_number:
                continue
            values = column.plot_values()
            good = values[np.isfinite(values)]
            different = len(np.unique(good))
            if different > 1:
                made.append(Trace(reader.layout.name, lane, field.id, field.name, field.unit,
                                  Curve.build(times, values), different))  # fmt: skip
    return made


def traces_figure(traces: Sequence[Trace], first_ns: int, last_ns: int, moments: Sequence[Moment]) -> Figure:
    """Return traces on one axis of time; moments stand through all of them, numbered as they are listed."""
    height = _HEAD + _ROW * len(traces) + _FOOT
    parts: list[str] = []
    span = max(last_ns - first_ns, 1)
    inside = _WIDTH - _LEFT - _RIGHT

    def x_of(time_ns: float) -> float:
        return _LEFT + inside * (time_ns - first_ns) / span

    for number, moment in enumerate(moments, 1):
        if first_ns <= moment.time_ns <= last_ns:
            x = x_of(moment.time_ns)
            parts.append(f'<line x1="{x:.1f}" y1="{_HEAD - 3:.1f}" x2="{x:.1f}" y2="{height - _FOOT:.1f}" '
                         f'stroke="{QUIET}" stroke-width="0.6" stroke-dasharray="2 2"/>')  # fmt: skip
            parts.append(_text(x, _HEAD - 5, str(number), _SMALL, QUIET, "middle"))
    for place, trace in enumerate(traces):
        parts += _row(trace, place, first_ns, last_ns)
    for share in (0.0, 0.25, 0.5, 0.75, 1.0):
        anchor = "start" if not share else "end" if share == 1 else "middle"
        words = span_text(span * share) if share else "0"
        parts.append(_text(_LEFT + inside * share, height - 5, words, _SMALL, QUIET, anchor))
    said = f"{counted(len(traces), 'field')} over {span_text(span)}"
    return Figure("".join(parts), _WIDTH, height, said)


def _row(trace: Trace, place: int, first_ns: int, last_ns: int) -> list[str]:
    top, bottom = _HEAD + place * _ROW + 4, _HEAD + (place + 1) * _ROW - 5
    low, high = trace.curve.value_range()
    parts = [
        _text(0, top + 8, _fitting(trace.name, _LEFT - 4, _NAME), _NAME, INK),
        _text(0, top + 18, _fitting(f"{trace.message}, {trace.lane}", _LEFT - 4, _SMALL), _SMALL, QUIET),
        f'<line x1="{_LEFT:.1f}" y1="{bottom + 2:.1f}" x2="{_WIDTH - _RIGHT:.1f}" y2="{bottom + 2:.1f}" '
        f'stroke="{HAIR}" stroke-width="0.5"/>',
        _text(_WIDTH - _RIGHT + 3, top + 5, f"{_short(high)} {trace.unit}".strip(), _SMALL, QUIET),
        _text(_WIDTH - _RIGHT + 3, bottom, _short(low), _SMALL, QUIET),
    ]  # fmt: skip
    # the last moment belongs to it
    columns = trace.curve.columns(first_ns, last_ns + 1, _COLUMNS)
    lows, highs = columns.band()
    return [*parts, *_band(lows, highs, (low, high), (top, bottom), _LINE_COLOURS[place % len(_LINE_COLOURS)])]


def _band(
    lows: NDArray[np.float64], highs: NDArray[np.float64], ends: tuple[float, float], room: tuple[float, float],
    colour: str,
) -> Iterator[str]:  # fmt: skip
    """Yield what is between the lowest and highest values of columns, scaled from their ends to a room's edges."""
    (low, high), (top, bottom) = ends, room
    scale = (bottom - top) / ((high - low) or 1.0)
    step = (_WIDTH - _LEFT - _RIGHT) / len(lows)
    for first, end in _runs(np.isfinite(lows)):
        xs = [_LEFT + step * (column + 0.5) for column in range(first, end)]
        ups = [f"{x:.1f},{bottom - scale * (value - low):.1f}" for x, value in zip(xs, highs[first:end], strict=True)]
        downs = [f"{x:.1f},{bottom - scale * (value - low):.1f}" for x, value in zip(xs, lows[first:end], strict=True)]
        yield (f'<polygon points="{" ".join([*ups, *reversed(downs)])}" fill="{colour}" stroke="{colour}" '
               'stroke-width="0.8" stroke-linejoin="round"/>')  # fmt: skip


def seen_figure(curve: SeenCurve) -> Figure:
    """Return a curve that is evidence, with what was laid over it as a broken line."""
    top, bottom = _HEAD, _HEAD + 2 * _ROW
    lows, highs = curve.band()
    low, high = ends = curve.value_range()
    parts = [
        _text(0, _HEAD - 5, curve.words, _NAME, INK), _text(_WIDTH - _RIGHT + 3, top + 5, _short(high), _SMALL, QUIET),
        _text(_WIDTH - _RIGHT + 3, bottom, _short(low), _SMALL, QUIET),
        *_band(lows, highs, ends, (top, bottom), _LINE_COLOURS[0]),
        _text(_LEFT, bottom + 10, f"0 to {span_text(curve.last_ns - curve.first_ns)}", _SMALL, QUIET),
    ]  # fmt: skip
    if curve.over:
        step, scale = (_WIDTH - _LEFT - _RIGHT) / len(curve.over), (bottom - top) / ((high - low) or 1.0)
        points = " ".join(f"{_LEFT + step * (number + 0.5):.1f},{bottom - scale * (value - low):.1f}"
                          for number, value in enumerate(curve.over) if value is not None)  # fmt: skip
        parts.append(
            f'<polyline points="{points}" fill="none" stroke="{INK}" stroke-width="0.8" stroke-dasharray="3 2"/>'
        )
        parts.append(_text(_WIDTH - _RIGHT, bottom + 10, f"broken: {curve.over_name}", _SMALL, QUIET, "end"))
    return Figure("".join(parts), _WIDTH, bottom + _FOOT, curve.words)


def _fitting(words: str, width: float, size: float) -> str:
    """Return words that go beyond a width with their middle left out: names that belong together begin alike."""
    most = letters_in(width, size)
    if len(words) <= most:
        return words
    room = most - 1
    return f"{words[: room - room // 2].rstrip()}…{words[len(words) - room // 2 :].lstrip()}"


def _short(value: float) -> str:
    """Write an end of a scale in few letters; the picture tells no more."""
    return figure_text(float(f"{value:.4g}"))


def _runs(there: np.ndarray) -> list[tuple[int, int]]:
    edges = np.flatnonzero(np.diff(there.astype(np.int8), prepend=0, append=0))
    return [(int(first), int(end)) for first, end in edges.reshape(-1, 2)]


def _text(x: float, y: float, words: str, size: float, colour: str, anchor: str = "start") -> str:
    family = MONO if words[:1].isdigit() else FONT
    return (f'<text x="{x:.1f}" y="{y:.1f}" font-size="{size}" fill="{colour}" text-anchor="{anchor}" '
            f'font-family="{family}">{escaped(words)}</text>')  # fmt: skip
