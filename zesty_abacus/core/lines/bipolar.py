"""Lines of three levels: what passes the middle without resting there, and two wires of one line recorded apart."""

from __future__ import annotations

import itertools
from collections.abc import Mapping
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..waves.edges import Edges

_ALIKE = 0.9
"""Part of the changes of both wires that must fall together."""
_LEAST_CHANGES = 16


def is_bipolar(line: Edges) -> bool:
    """Return whether a line ever goes below its middle."""
    return line.first < 0 or (bool(len(line)) and int(line.level.min()) < 0)


def without_passing(line: Edges) -> Edges:
    """Return a bipolar line whose flanks do not rest in the middle: a short middle between two signs is one change."""
    widths, level = line.widths(), line.level
    if len(line) < 3 or int(level.min()) >= 0 or not (level != 0).any():
        return line
    outer = widths[level[:-1] != 0]
    limit = 0.45 * float(np.quantile(outer, 0.25)) if len(outer) else 0.0
    before = np.concatenate([[line.first], level[:-1]])[:-1]
    passing = (level[:-1] == 0) & (widths < limit) & (before * level[1:] == -1)
    time = line.time_ns.copy()
    time[1:] = np.where(passing, (time[1:] + time[:-1]) // 2, time[1:])
    keep = np.append(~passing, True)
    return replace(line, time_ns=time[keep], level=level[keep])


def resting_in_silence(line: Edges) -> Edges:
    """Return a line of two levels: 0 for -1, and 1 for the middle, at which nothing is sent and a line rests."""
    if not is_bipolar(line):
        return line
    line = without_passing(line)
    time = line.time_ns
    return _joined(time, np.where(line.level < 0, 0, 1), 0 if line.first < 0 else 1, line, line)


def line_of(lines: Mapping[str, Edges]) -> Edges:
    """Return the line of settings that name a ``line``, and its other wire as ``minus`` where it was recorded apart."""
    return bipolar_of(lines["line"], lines["minus"]) if "minus" in lines else lines["line"]


def bipolar_of(plus: Edges, minus: Edges) -> Edges:
    """Return one line of two wires: 1 where only the first is high, -1 where only the second is, 0 where both agree."""
    time = np.union1d(plus.time_ns, minus.time_ns)
    return _joined(time, _levels(plus, time) - _levels(minus, time), plus.first - minus.first, plus, minus)


def signs_while(signs: Edges, keys: Edges) -> Edges:
    """Return 1 and -1 as one line is high and low while another one is high, and 0 while that is low."""
    time = np.union1d(signs.time_ns, keys.time_ns)
    level = _levels(keys, time) * (2 * _levels(signs, time) - 1)
    return _joined(time, level, keys.first * (2 * signs.first - 1), signs, keys)


def _joined(time: NDArray[np.int64], level: NDArray[np.int64], first: int, one: Edges, other: Edges) -> Edges:
    """Return a line made of two, with the changes that are none left out."""
    changes = level != np.concatenate([[first], level[:-1]]) if len(level) else np.zeros(0, np.bool_)
    unknown = np.concatenate([one.unknown, other.unknown])
    begin, end = max(one.begin_ns, other.begin_ns), min(one.end_ns, other.end_ns)
    made = level[changes].astype(np.int8)
    return Edges(time[changes], made, first, begin, end, unknown[np.argsort(unknown[:, 0], kind="stable")])


def _levels(line: Edges, time: NDArray[np.int64]) -> NDArray[np.int64]:
    at = np.searchsorted(line.time_ns, time, side="right") - 1
    levels: NDArray[np.int64] = np.concatenate([[line.first], line.level])[at + 1].astype(np.int64)
    return levels


def complementary_pairs(channels: Mapping[str, Edges]) -> list[tuple[str, str]]:
    """Return pairs of channels that are the two wires of one line, the one that is named first leading.

    Nearly all changes of both fall together, within a part of a short pulse, and go opposite ways.
    """
    return [
        (one, other)
        for one, other in itertools.combinations(channels, 2)
        if are_complementary(channels[one], channels[other])
    ]


def are_complementary(one: Edges, other: Edges) -> bool:
    """Return whether two lines change together, in opposite directions."""
    if min(len(one), len(other)) < _LEAST_CHANGES or min(int(one.level.min()), int(other.level.min())) < 0:
        return False
    near_ns = max(int(np.quantile(one.widths(), 0.1)) // 4, 1)
    at = np.searchsorted(other.time_ns, one.time_ns - near_ns)
    there = at < len(other)
    at = np.minimum(at, len(other) - 1)
    together = there & (np.abs(other.time_ns[at] - one.time_ns) <= near_ns) & (other.level[at] != one.level)
    return int(together.sum()) >= _ALIKE * max(len(one), len(other))
