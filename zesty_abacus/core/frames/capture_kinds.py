"""The kinds of a capture: those of its segments, each with a number that it keeps while the capture grows."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Sequence
from threading import Lock

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from . import flags as F
from .kind_key import KindKey
from .kinds import place_of
from .order import Run, TimeOrder
from .segment import Placed

_KEPT = 64
"""Kinds whose rows had to be put together and are kept, the latest ones."""


class CaptureKinds:
    """All kinds of a capture and where their frames are.

    Attributes
    ----------
    keys
        One key a kind: those known before at their numbers, then new ones in order of lane, address, flags.

    Parameters
    ----------
    segments
        The segments of the capture.
    before
        The kinds of the capture that this one has grown out of, whose segments are its first ones.
    numbered
        The kinds of another state of it, with the same frames in other segments, whose numbers are kept.
    """

    def __init__(
        self, segments: Sequence[Placed], before: CaptureKinds | None = None, numbered: CaptureKinds | None = None
    ) -> None:
        self._segments = tuple(segments)
        self._pieces: list[list[tuple[int, int]]] = []
        self._numbers: dict[KindKey, int] = {}
        keys: list[KindKey] = []
        known = 0
        if before is not None:
            known = len(before._segments)
            keys += before.keys
            self._pieces += [list(pieces) for pieces in before._pieces]
            self._numbers |= before._numbers
        for key in numbered.keys[len(keys) :] if numbered is not None else ():
            self._numbers[key] = len(keys)
            keys.append(key)
            self._pieces.append([])
        added = [self._keys_in(placed) for placed in self._segments[known:]]
        for key in sorted({key for one in added for key in one} - self._numbers.keys()):
            self._numbers[key] = len(keys)
            keys.append(key)
            self._pieces.append([])
        for place, one in enumerate(added, known):
            for own, key in enumerate(one):
                self._pieces[self._numbers[key]].append((place, own))
        self.keys: tuple[KindKey, ...] = tuple(keys)
        self._rows: OrderedDict[int, NDArray[np.uint32]] = OrderedDict()
        self._lock = Lock()
        self._lookup: tuple[NDArray[np.int32], NDArray[np.int64]] | None = None

    @staticmethod
    def _keys_in(placed: Placed) -> list[KindKey]:
        lanes = placed.lanes.tolist()
        return [KindKey(lanes[key.lane], key.address, key.flags) for key in placed.segment.kinds.keys]

    def count(self, kind: int) -> int:
        """Return how many frames a kind has."""
        return sum(self._segments[place].segment.kinds.count(own) for place, own in self._pieces[kind])

    def find(self, key: KindKey) -> int | None:
        """Return the number of the kind with this key, or None."""
        return self._numbers.get(key)

    def order(self, kind: int, segments: Sequence[Placed] | None = None) -> TimeOrder:
        """Return the frames of a kind in order of time; ``segments`` are those of a capture with lanes moved."""
        return TimeOrder(self._run(segments or self._segments, place, own) for place, own in self._pieces[kind])

    def rows(self, kind: int, first: int = 0, last: int | None = None) -> NDArray[np.uint32]:
        """Return the rows of a kind's frames ``first .. last-1``, in order of time.

        A kind is of one lane, so that this order is the same wherever its lane is moved to.
        """
        if len(self._pieces[kind]) == 1 or first or last is not None:
            return self.order(kind).rows(first, last)
        # all rows out of several segments are put together once; threads that count bits ask for many kinds at a time
        with self._lock:
            found = self._rows.get(kind)
            if found is not None:
                self._rows.move_to_end(kind)
                return found
        found = self.order(kind).rows()
        with self._lock:
            self._rows[kind] = found
            if len(self._rows) > _KEPT:
                self._rows.popitem(last=False)
        return found

    def largest(self, kind: int) -> int:
        """Return the largest payload size of a kind, in bytes."""
        pieces = [(self._segments[place].segment, own) for place, own in self._pieces[kind]]
        return max((int(_largest(one.table.size, one.kinds.rows(own))) for one, own in pieces), default=0)

    def numbers_of(
        self, lane: NDArray[np.uint16], address: NDArray[np.int64], flags: NDArray[np.uint32]
    ) -> NDArray[np.int32]:
        """Return the kind of each of some frames by their columns, -1 where it is none of these; int32 (n,)."""
        if self._lookup is None:
            self._lookup = _hashed(self.keys)
        return _look_up(*self._lookup, lane, address, flags & np.uint32(F.TELLS_KINDS_APART))

    @staticmethod
    def _run(segments: Sequence[Placed], place: int, own: int) -> Run:
        placed = segments[place]
        kinds = placed.segment.kinds
        shift = int(placed.shift_ns[kinds.keys[own].lane])
        return Run(placed.segment.table.time_ns, kinds.rows(own), placed.base, shift)


def _hashed(keys: Sequence[KindKey]) -> tuple[NDArray[np.int32], NDArray[np.int64]]:
    """Return a table of open addressing, four places a key, and the keys in it; int32 (k,), int64 (kinds, 3)."""
    columns = np.array([(key.lane, key.address, key.flags) for key in keys], np.int64).reshape(-1, 3)
    places = np.full(1 << max(4, (4 * len(keys)).bit_length()), -1, np.int32)
    _fill(places, columns)
    return places, columns


@njit(cache=True, nogil=True)
def _fill(places, columns):  # type: ignore[no-untyped-def]
    mask = len(places) - 1
    for number in range(len(columns)):
        place = place_of(columns[number, 0], columns[number, 1], columns[number, 2], mask)
        while places[place] >= 0:
            place = (place + 1) & mask
        places[place] = number


@njit(cache=True, nogil=True)
def _look_up(places, columns, lane, address, flags):  # type: ignore[no-untyped-def]
    mask = len(places) - 1
    found = np.empty(len(lane), np.int32)
    for i in range(len(lane)):
        place = place_of(np.int64(lane[i]), address[i], np.int64(flags[i]), mask)
        number = places[place]
        while number >= 0 and (
            columns[number, 0] != lane[i] or columns[number, 1] != address[i] or columns[number, 2] != flags[i]
        ):
            place = (place + 1) & mask
            number = places[place]
        found[i] = number
    return found


@njit(cache=True, nogil=True)
def _largest(size, rows):  # type: ignore[no-untyped-def]
    largest = np.uint32(0)
    for row in rows:
        if size[row] > largest:
            largest = size[row]
    return largest
