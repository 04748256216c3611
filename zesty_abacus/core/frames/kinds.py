"""Kinds: the frames that share lane, address and the flags that tell messages apart."""

from __future__ import annotations

from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from . import flags as F
from .kind_key import KindKey
from .table import FrameTable


@dataclass(frozen=True)
class KindIndex:
    """All kinds of a table and where their frames are.

    Attributes
    ----------
    keys
        One key a kind, in order of lane, address, flags.
    order : uint32 (n,)
        Row numbers grouped by kind, in recorded order within a kind.
    bounds : int64 (kinds + 1,)
        Kind ``k`` has rows ``order[bounds[k] : bounds[k + 1]]``.
    """

    keys: tuple[KindKey, ...]
    order: NDArray[np.uint32]
    bounds: NDArray[np.int64]

    def rows(self, kind: int) -> NDArray[np.uint32]:
        """Return the row numbers of a kind's frames, in recorded order."""
        return self.order[self.bounds[kind] : self.bounds[kind + 1]]

    def count(self, kind: int) -> int:
        """Return how many frames a kind has."""
        return int(self.bounds[kind + 1] - self.bounds[kind])

    @cached_property
    def lane_bounds(self) -> dict[int, tuple[int, int]]:
        """Where the kinds of each lane begin and end in ``order``, by lane, rising."""
        found: dict[int, tuple[int, int]] = {}
        for kind, key in enumerate(self.keys):
            first, _ = found.get(key.lane, (int(self.bounds[kind]), 0))
            found[key.lane] = first, int(self.bounds[kind + 1])
        return found


def index_kinds(table: FrameTable) -> KindIndex:
    """Group the rows of a table by kind, in one pass over hashed keys and one counting sort."""
    # small first: the table stays in the nearest cache, and few recordings have more kinds
    capacity, of_frame = 1024, np.empty(len(table), np.uint32)
    while True:
        # room is made here: a kernel that fills what it makes loads half of the compiler when it is read from its file
        slots, slot_of = np.empty((capacity, 3), np.int64), np.full(capacity, -1, np.int32)
        found = _assign_kinds(table.lane, table.address, table.flags, slot_of, slots, of_frame)
        if found >= 0:
            break
        capacity *= 4
    raw = [KindKey(int(lane), int(address), int(flags)) for lane, address, flags in slots[:found]]
    ranked = sorted(range(found), key=lambda number: raw[number])
    rank = np.empty(max(found, 1), np.int64)
    rank[ranked] = np.arange(found)
    order, bounds = _counting_sort(of_frame, rank, found)
    return KindIndex(tuple(raw[number] for number in ranked), order, bounds)


@njit(cache=True, nogil=True, inline="always")
def place_of(lane, address, flags, mask):  # type: ignore[no-untyped-def]
    """Return where a kind is looked for first in a table of open addressing of ``mask + 1`` places."""
    mixed = np.uint64(address) * np.uint64(0x9E3779B97F4A7C15)
    mixed ^= np.uint64(lane * 0x85EBCA6B + flags * 0xC2B2AE35)
    return np.int64((mixed ^ (mixed >> np.uint64(29))) & np.uint64(mask))


@njit(cache=True, nogil=True)
def _assign_kinds(lane, address, flags, slot_of, slots, of_frame):  # type: ignore[no-untyped-def]
    """Give each frame a kind number by open addressing; return how many kinds, -1 when the table is too full."""
    capacity = len(slot_of)
    mask = capacity - 1
    found = 0
    last = -1
    for i in range(len(lane)):
        key_flags = np.int64(flags[i]) & F.TELLS_KINDS_APART
        key_lane = np.int64(lane[i])
        key_address = address[i]
        # frames often come in runs of one kind; the compare is cheaper than the hash
        if last >= 0 and slots[last, 0] == key_lane and slots[last, 1] == key_address and slots[last, 2] == key_flags:
            of_frame[i] = last
            continue
        place = place_of(key_lane, key_address, key_flags, mask)
        while True:
            number = slot_of[place]
            if number < 0:
                if found * 2 >= capacity:
                    return -1
                slots[found, 0] = key_lane
                slots[found, 1] = key_address
                slots[found, 2] = key_flags
                slot_of[place] = found
                number = found
                found += 1
                break
            if slots[number, 0] == key_lane and slots[number, 1] == key_address and slots[number, 2] == key_flags:
                break
            place = (place + 1) & mask
        of_frame[i] = number
        last = number
    return found


@njit(cache=True, nogil=True)
def _counting_sort(of_frame, rank, kinds):  # type: ignore[no-untyped-def]
    bounds = np.zeros(kinds + 1, np.int64)
    for i in range(len(of_frame)):
        bounds[rank[of_frame[i]] + 1] += 1
    for kind in range(kinds):
        bounds[kind + 1] += bounds[kind]
    cursor = bounds[:-1].copy()
    order = np.empty(len(of_frame), np.uint32)
    for i in range(len(of_frame)):
        kind = rank[of_frame[i]]
        order[cursor[kind]] = i
        cursor[kind] += 1
    return order, bounds
