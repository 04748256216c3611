"""A curve that somebody looked at, kept with what it bears out so that it can be drawn again anywhere."""

from __future__ import annotations

import math
from collections.abc import Sequence

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..frames.decimate import Curve

_COLUMNS = 160
_DIGITS = 6
"""Significant ones of a value; a picture tells no more."""

Ends = tuple[float | None, ...]


class SeenCurve(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """The lowest and highest value in equal parts of a time, None where there is none.

    Attributes
    ----------
    words
        What it is: how which bits were read, in which recording.
    first_ns, last_ns
        The time that was looked at, nanoseconds since 1970.
    lows, highs
    over, over_name
        What was laid over it, such as a reference, in the same numbers; empty where there was nothing.
    """

    words: str
    first_ns: int
    last_ns: int
    lows: Ends
    highs: Ends
    over: Ends = ()
    over_name: str = ""

    def band(self) -> tuple[NDArray[np.float64], NDArray[np.float64]]:
        """Return lowest and highest values as float64 (columns,), NaN for none."""
        return np.array(self.lows, np.float64), np.array(self.highs, np.float64)

    def value_range(self) -> tuple[float, float]:
        """Return the lowest and the highest value there is, 0 and 1 if there is none."""
        known = [value for value in (*self.lows, *self.highs, *self.over) if value is not None]
        return (min(known), max(known)) if known else (0.0, 1.0)


def curve_seen(
    words: str, curve: Curve, span_ns: tuple[int, int], over: Curve | None = None, over_name: str = ""
) -> SeenCurve:
    """Return what is seen of a curve, and of one that is laid over it, in a time."""
    lows, highs = curve.columns(*span_ns, _COLUMNS).band()
    laid: Ends = ()
    if over is not None:
        both = over.columns(*span_ns, _COLUMNS).band()
        laid = _rounded((both[0] + both[1]) / 2)
    return SeenCurve(words, *span_ns, _rounded(lows), _rounded(highs), laid, over_name if laid else "")


def _rounded(values: Sequence[float] | NDArray[np.float64]) -> Ends:
    return tuple(float(f"{value:.{_DIGITS}g}") if math.isfinite(value) else None for value in values)
