"""A capture with some lanes moved in time: the same frames and kinds in another order, without reading anything."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping

import numpy as np
from numba import njit

from .capture import Capture
from .kinds import KindIndex


def shift_lanes(capture: Capture, by_ns: Mapping[int, int]) -> Capture:
    """Return a capture in which lanes are moved; kinds keep their numbers.

    Frames of one lane stay in their order, so this is a merge of lanes that are sorted already; the payload is shared
    and a kind's frames are found in the same places among each other.

    Parameters
    ----------
    by_ns
        What is added to the times of a lane, by its number; the others stay.
    """
    for lane, added in by_ns.items():
        if added:
            capture = _shift_lane(capture, lane, added)
    return capture


def _shift_lane(capture: Capture, lane: int, by_ns: int) -> Capture:
    table = capture.table
    order = _merged(table.time_ns, table.lane, np.uint16(lane), by_ns)
    columns, place = _in_order(order, table.time_ns, table.lane, table.address, table.flags, table.start, table.size)
    time_ns, lanes, address, flags, start, size = columns
    _add_to(time_ns, lanes, np.uint16(lane), by_ns)
    moved = dataclasses.replace(
        table, time_ns=time_ns, lane=lanes, address=address, flags=flags, start=start, size=size
    )
    kinds = KindIndex(capture.kinds.keys, place[capture.kinds.order], capture.kinds.bounds)
    return Capture(moved, capture.lanes, kinds)


@njit(cache=True, nogil=True)
def _merged(time_ns, lane, moved, by_ns):  # type: ignore[no-untyped-def]
    """Return the rows in their new order: those of the moved lane merged with the others; equal times keep theirs."""
    count = len(time_ns)
    order = np.empty(count, np.uint32)
    stays, moves = 0, 0
    for i in range(count):
        while stays < count and lane[stays] == moved:
            stays += 1
        while moves < count and lane[moves] != moved:
            moves += 1
        if moves == count:
            takes_moved = False
        elif stays == count:
            takes_moved = True
        else:
            at = time_ns[moves] + by_ns
            takes_moved = at < time_ns[stays] or (at == time_ns[stays] and moves < stays)
        if takes_moved:
            order[i] = moves
            moves += 1
        else:
            order[i] = stays
            stays += 1
    return order


@njit(cache=True, nogil=True)
def _add_to(time_ns, lane, moved, by_ns):  # type: ignore[no-untyped-def]
    for i in range(len(time_ns)):
        if lane[i] == moved:
            time_ns[i] += by_ns


@njit(cache=True, nogil=True)
def _in_order(order, time_ns, lane, address, flags, start, size):  # type: ignore[no-untyped-def]
    """Return all columns in another order, in one pass: two streams that both go on; and the new place of each row."""
    count = len(order)
    times, lanes, addresses = np.empty(count, np.int64), np.empty(count, np.uint16), np.empty(count, np.int64)
    flag, starts, sizes = np.empty(count, np.uint32), np.empty(count, np.int64), np.empty(count, np.uint32)
    place = np.empty(count, np.uint32)
    for i in range(count):
        row = order[i]
        times[i] = time_ns[row]
        lanes[i] = lane[row]
        addresses[i] = address[row]
        flag[i] = flags[row]
        starts[i] = start[row]
        sizes[i] = size[row]
        place[row] = i
    return (times, lanes, addresses, flag, starts, sizes), place
