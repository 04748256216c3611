"""A made-up bus as a capture, without a file between."""

from __future__ import annotations

import numpy as np

from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.flags import EXTENDED
from zesty_abacus.core.frames.table import FrameTable

from .bus import BEGIN_S, LANES, Bus


def captured(bus: Bus) -> Capture:
    """Return the frames of a bus, in order of time."""
    times = np.concatenate([one.times_s for one in bus.messages])
    order = np.argsort(times, kind="stable")
    counts = [len(one.times_s) for one in bus.messages]

    def each(values: list[int], dtype: type) -> np.ndarray:
        return np.repeat(np.array(values, dtype), counts)[order]

    sizes = np.repeat(np.array([one.matrix.shape[1] for one in bus.messages], np.uint32), counts)
    start = np.cumsum(sizes.astype(np.int64)) - sizes
    table = FrameTable(
        np.rint(times * 1e9).astype(np.int64)[order] + BEGIN_S * 1_000_000_000,
        each([LANES.index(one.key[0]) for one in bus.messages], np.uint16),
        each([one.key[1] for one in bus.messages], np.int64),
        each([EXTENDED * one.key[2] for one in bus.messages], np.uint32), start[order], sizes[order],
        np.concatenate([one.matrix.reshape(-1) for one in bus.messages]),
    )  # fmt: skip
    return Capture.from_table(table, tuple(Lane(name) for name in LANES))
