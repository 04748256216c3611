"""What a field does in a stretch of time: extremes, mean, rate, and how long it has each of its named values."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..codec.columns import FieldColumn
from ..frames.decimate import Curve


@dataclass(frozen=True, slots=True)
class Statistics:
    """Figures of one field in a stretch.

    Attributes
    ----------
    count
        Values that are good.
    least, most, mean, deviation
        Of those; NaN if there is none. The deviation is that of a sample (divided by count less one).
    least_ns, most_ns
        When the extremes were first reached.
    rate_hz
        Frames a second, from the first to the last of them; NaN for fewer than two.
    states
        Of a field with named values: name and seconds that it had it, most first.
    """

    count: int
    least: float
    most: float
    mean: float
    deviation: float
    least_ns: int
    most_ns: int
    rate_hz: float
    states: tuple[tuple[str, float], ...] = ()


def statistics(column: FieldColumn, curve: Curve, first_ns: int, last_ns: int) -> Statistics:
    """Return the figures of the values from one time to another, both ends included.

    A named value lasts until the next frame, the last one until the end of the stretch; what the value was when
    the stretch began counts from there.
    """
    begin, end = (
        int(np.searchsorted(curve.time_ns, first_ns, side="left")),
        int(np.searchsorted(curve.time_ns, last_ns, side="right")),
    )
    times, values = curve.time_ns[begin:end], curve.values[begin:end]
    good = np.flatnonzero(~np.isnan(values))
    span = int(times[-1] - times[0]) if len(times) > 1 else 0
    rate = (len(times) - 1) * 1e9 / span if span else float("nan")
    states = _states(column, curve, begin, end, first_ns, last_ns) if column.field.names else ()
    if not len(good):
        nan = float("nan")
        return Statistics(0, nan, nan, nan, nan, 0, 0, rate, states)
    known = values[good]
    least, most = int(np.argmin(known)), int(np.argmax(known))
    return Statistics(
        len(known), float(known[least]), float(known[most]), float(known.mean()),
        float(known.std(ddof=1)) if len(known) > 1 else 0.0, int(times[good[least]]), int(times[good[most]]), rate,
        states,
    )  # fmt: skip


def _states(
    column: FieldColumn, curve: Curve, begin: int, end: int, first_ns: int, last_ns: int
) -> tuple[tuple[str, float], ...]:
    # the value that was there before the stretch lasts into it
    rows = np.arange(max(begin - 1, 0), end)
    if not len(rows):
        return ()
    starts = np.maximum(curve.time_ns[rows], first_ns)
    lengths = np.diff(np.append(starts, last_ns))
    words, codes = column.take(rows).labels()
    codes = codes.copy()
    codes[np.isnan(curve.values[rows])] = -1
    total = np.bincount(codes + 1, lengths, len(words) + 1)
    named = [(word, float(total[number + 1]) / 1e9) for number, word in enumerate(words)]
    return tuple(sorted((one for one in named if one[1] > 0), key=lambda one: -one[1]))
