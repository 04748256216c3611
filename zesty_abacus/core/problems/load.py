"""Buses that are busier than they should be, where the bit rate is known."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture
from ..progress import Progress
from ..protocols.registry import protocol_named
from ..words import grouped
from .limits import Limits
from .problem import Problem, ProblemKey, ProblemKind

HIGHEST_LOAD = 70.0
"""Per cent of the time, above which messages of low priority wait for long."""
_WINDOW_NS = 1_000_000_000
_LEAST_WINDOW_NS = 200_000_000
_CHUNK = 1 << 20


def problems(capture: Capture, number: int, limits: Limits, progress: Progress) -> Iterator[Problem]:
    """Yield whether a lane was occupied for more of a second than allowed."""
    lane = capture.lanes[number]
    if not lane.bit_rate:
        return
    limit = limits.value(ProblemKey(ProblemKind.BUS_LOAD.value, lane.name, None, None))
    found = _over(capture, number, HIGHEST_LOAD if limit is None else limit, progress)
    if found is not None:
        yield found


def _over(capture: Capture, number: int, highest: float, progress: Progress) -> Problem | None:
    lane = capture.lanes[number]
    assert lane.bit_rate is not None
    times, bits = _bits_of(capture, number, progress)
    if not len(times):
        return None
    first, last = int(times[0]), int(times[-1])
    # a window more than whole ones only if enough of it is there to say anything
    # only those in which there is a frame: between recordings of two days lie millions
    numbers, window = np.unique((times - first) // _WINDOW_NS, return_inverse=True)
    lengths = np.full(len(numbers), _WINDOW_NS, np.int64)
    lengths[-1] = max(last - first - int(numbers[-1]) * _WINDOW_NS, 1)
    load = np.bincount(window, bits, len(lengths)) / lane.bit_rate * 1e9 / lengths * 100
    load[lengths < _LEAST_WINDOW_NS] = 0.0
    busy = np.flatnonzero(load > highest)
    if not len(busy):
        return None
    places = np.flatnonzero(np.isin(window, busy))
    worst_window = int(np.argmax(load))
    worst = float(load[worst_window])
    seconds = "1 second" if len(busy) == 1 else f"{grouped(len(busy))} seconds"
    reason = f"The bus was busy for more than {highest:g} % of {seconds}, at worst {min(worst, 100):.0f} %."
    return Problem(
        ProblemKind.BUS_LOAD, lane.name, None, None, "", "", times[places],
        int(np.searchsorted(window[places], worst_window)), worst, reason, len(busy) / len(load), None,
    )  # fmt: skip


def _bits_of(capture: Capture, number: int, progress: Progress) -> tuple[NDArray[np.int64], NDArray[np.float64]]:
    """Return the time of each frame of a lane, and how many bits it took on the line; (n,) each."""
    order = capture.order_of_lanes(frozenset([number]))
    protocol = protocol_named(capture.lanes[number].protocol)
    times, bits = [np.empty(0, np.int64)], [np.empty(0, np.float64)]
    for rows in order.chunks(0, len(order), _CHUNK):
        progress.check()
        found = protocol.line_bits(capture.frames.table(rows))
        if found is None:
            break
        times.append(capture.frames.times(rows))
        bits.append(found)
    return np.concatenate(times), np.concatenate(bits)
