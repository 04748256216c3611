"""Two wires of one line, recorded apart: one high where the other is low, or one for each sign of its pulses."""

from __future__ import annotations

import itertools
from collections.abc import Mapping

import numpy as np

from ..waves.edges import Edges

_ALIKE = 0.9
"""Part of the changes of both wires that must fall together."""
_LEAST_CHANGES = 16


def bipolar_of(plus: Edges, minus: Edges) -> Edges:
    """Return one line of two wires: 1 where only the first is high, -1 where only the second is, 0 where both agree."""
    time = np.union1d(plus.time_ns, minus.time_ns)
    level = (_levels(plus, time) - _levels(minus, time)).astype(np.int8)
    first = plus.first - minus.first
    changes = level != np.concatenate([[first], level[:-1]]) if len(level) else np.zeros(0, np.bool_)
    unknown = np.concatenate([plus.unknown, minus.unknown])
    begin, end = max(plus.begin_ns, minus.begin_ns), min(plus.end_ns, minus.end_ns)
    return Edges(time[changes], level[changes], first, begin, end, unknown[np.argsort(unknown[:, 0], kind="stable")])


def _levels(line: Edges, time: np.ndarray) -> np.ndarray:
    at = np.searchsorted(line.time_ns, time, side="right") - 1
    return np.concatenate([[line.first], line.level])[at + 1].astype(np.int64)


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
