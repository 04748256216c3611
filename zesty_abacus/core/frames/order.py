"""An order in time over frames that lie in several segments, without moving any of them.

Frames of one segment that are shifted alike are a *run*: they are in order already. So the place of a time is a search
in each run, and the frames at some places are a merge of as many frames of each; nothing is as long as the capture.
"""

from __future__ import annotations

import itertools
from bisect import bisect_left, bisect_right
from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from .segment import Placed

_LOWEST, _HIGHEST = -(1 << 63), (1 << 63) - 1


@dataclass(frozen=True, slots=True, eq=False)
class Run:
    """Frames of one segment, in order, that are shifted alike.

    Attributes
    ----------
    times : int64 (m,)
        Of the whole segment, by its own clock.
    rows : uint32 (n,), None for all m
        Which of the segment's rows it has, rising.
    base
        Row of the capture that the segment's first row is.
    shift_ns
        What is added to its times.
    """

    times: NDArray[np.int64]
    rows: NDArray[np.uint32] | None
    base: int
    shift_ns: int

    def __len__(self) -> int:
        return len(self.times) if self.rows is None else len(self.rows)

    def count_until(self, time_ns: int, *, inclusive: bool) -> int:
        """Return how many of its frames are before a time of the capture, or at it if that is inclusive."""
        own = np.int64(min(max(time_ns - self.shift_ns, _LOWEST), _HIGHEST))
        if self.rows is None:
            return int(np.searchsorted(self.times, own, side="right" if inclusive else "left"))
        return int(_search(self.times, self.rows, own, inclusive))

    def counts_before(self, times_ns: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return how many of its frames are before each of some times of the capture; int64 (k,)."""
        own = times_ns - np.int64(self.shift_ns)
        if self.rows is None:
            return np.searchsorted(self.times, own)
        return _search_all(self.times, self.rows, own)

    def rows_at(self, first: int, last: int) -> NDArray[np.uint32]:
        """Return the rows of the capture that frames ``first .. last-1`` are."""
        if self.rows is None:
            return np.arange(self.base + first, self.base + min(last, len(self.times)), dtype=np.uint32)
        # a view where nothing has to be added: a kind of a capture of one segment is a slice of its index
        return self.rows[first:last] + np.uint32(self.base) if self.base else self.rows[first:last]

    def times_at(self, first: int, last: int) -> NDArray[np.int64]:
        """Return the times of frames ``first .. last-1`` on the capture's clock."""
        own = self.times[first:last] if self.rows is None else self.times[self.rows[first:last]]
        return own + np.int64(self.shift_ns)

    def span(self) -> tuple[int, int]:
        """Return its first and last time."""
        ends = (0, -1) if self.rows is None else (int(self.rows[0]), int(self.rows[-1]))
        return int(self.times[ends[0]]) + self.shift_ns, int(self.times[ends[1]]) + self.shift_ns


class TimeOrder:
    """Frames in order of time; those of the same time in order of their rows.

    Frames are counted by *place*, from 0 for the first; what is found there is a *row* of the capture, which stays the
    same however lanes are moved.
    """

    def __init__(self, runs: Iterable[Run]) -> None:
        self._runs = [run for run in runs if len(run)]
        self._count = sum(len(run) for run in self._runs)

    def __len__(self) -> int:
        return self._count

    def spans(self) -> list[tuple[int, int]]:
        """Return the first and the last time of each run."""
        return [run.span() for run in self._runs]

    def span(self) -> tuple[int, int]:
        """Return the first and the last time, 0 and 0 if there are no frames."""
        spans = self.spans()
        return (min(first for first, _ in spans), max(last for _, last in spans)) if spans else (0, 0)

    @cached_property
    def _groups(self) -> _Groups:
        return _Groups.of(self._runs)

    def count_until(self, time_ns: int, *, inclusive: bool = True) -> int:
        """Return how many frames are at or before a time; with ``inclusive=False``, before it."""
        groups = self._groups
        number = (bisect_right if inclusive else bisect_left)(groups.firsts, time_ns) - 1
        if number < 0:
            return 0
        inside = sum(run.count_until(time_ns, inclusive=inclusive) for run in groups.runs[number])
        return groups.before[number] + inside

    def row(self, place: int) -> int:
        """Return the row at a place."""
        return int(self.rows(place, place + 1)[0])

    def last_row(self, time_ns: int) -> int | None:
        """Return the row of the last frame at or before a time, None before the first; one search a run."""
        number = bisect_right(self._groups.firsts, time_ns) - 1
        last = []
        for run in self._groups.runs[number] if number >= 0 else ():
            place = run.count_until(time_ns, inclusive=True) - 1
            if place >= 0:
                last.append((int(run.times_at(place, place + 1)[0]), int(run.rows_at(place, place + 1)[0])))
        return max(last)[1] if last else None

    def rows(self, first: int = 0, last: int | None = None) -> NDArray[np.uint32]:
        """Return the rows at places ``first .. last-1``; uint32."""
        last = self._count if last is None else min(last, self._count)
        if first >= last:
            return np.empty(0, np.uint32)
        before = self._groups.before
        parts = [
            _rows_of(self._groups.runs[n], max(first - before[n], 0), min(last, before[n + 1]) - before[n])
            for n in range(bisect_right(before, first) - 1, bisect_left(before, last))
        ]  # fmt: skip
        return parts[0] if len(parts) == 1 else np.concatenate(parts)

    def chunks(self, first: int, last: int, length: int) -> Iterator[NDArray[np.uint32]]:
        """Yield the rows at places ``first .. last-1``, at most ``length`` at a time."""
        for begin in range(first, min(last, self._count), length):
            yield self.rows(begin, min(begin + length, last))


@dataclass(frozen=True, slots=True, eq=False)
class _Groups:
    """Runs that overlap in time together, one such group behind the other.

    So are the recordings of several days, and the segments of one recording: of hours of a live bus there are hundreds,
    and a time is looked for in one of them.

    Attributes
    ----------
    runs
    firsts
        When each group begins.
    before
        How many frames lie before each group, and behind the last.
    """

    runs: list[list[Run]]
    firsts: list[int]
    before: list[int]

    @classmethod
    def of(cls, runs: Sequence[Run]) -> _Groups:
        """Put runs into groups."""
        groups: list[list[Run]] = []
        firsts: list[int] = []
        ends: list[tuple[int, int]] = []
        for (first, last), run in sorted(((run.span(), run) for run in runs), key=lambda one: (one[0][0], one[1].base)):
            # of the same time the lower row goes first, which only a merge can see to if the bases do not; by begin and
            # base alone, since a run that ends sooner may have to wait for one of lower rows that begins with it
            if groups and (first, run.base) < ends[-1]:
                groups[-1].append(run)
                ends[-1] = max(ends[-1], (last, run.base))
            else:
                groups.append([run])
                firsts.append(first)
                ends.append((last, run.base))
        counts = itertools.accumulate((sum(map(len, group)) for group in groups), initial=0)
        return cls(groups, firsts, list(counts))


def _rows_of(runs: Sequence[Run], first: int, last: int) -> NDArray[np.uint32]:
    """Return the rows at some places of runs that overlap."""
    if len(runs) == 1:
        return runs[0].rows_at(first, last)
    if first == 0 and last == sum(map(len, runs)):
        return _merged(runs, [(0, len(run)) for run in runs])
    begin = _time_at(runs, first)
    starts = [run.count_until(begin, inclusive=False) for run in runs]
    skip = first - sum(starts)
    most = skip + last - first
    return _merged(runs, [(start, start + most) for start in starts])[skip:most]


def _merged(runs: Sequence[Run], parts: Sequence[tuple[int, int]]) -> NDArray[np.uint32]:
    pairs = list(zip(runs, parts, strict=True))
    rows = np.concatenate([run.rows_at(*part) for run, part in pairs])
    times = np.concatenate([run.times_at(*part) for run, part in pairs])
    if _is_in_order(times, rows):
        # recordings one behind the other, which most are
        return rows
    return rows[np.lexsort((rows, times))]


def _time_at(runs: Sequence[Run], place: int) -> int:
    """Return the time of the frame at a place."""
    spans = [run.span() for run in runs]
    low, high = min(first for first, _ in spans), max(last for _, last in spans)
    while low < high:
        middle = (low + high) // 2
        if sum(run.count_until(middle, inclusive=True) for run in runs) > place:
            high = middle
        else:
            low = middle + 1
    return low


class RowsInOrder:
    """Some frames, whichever they are, in order of time; asked like a :class:`TimeOrder`."""

    def __init__(self, rows: NDArray[np.uint32], times_ns: NDArray[np.int64]) -> None:
        """Take rows of a capture, in order of their times, int64 (n,)."""
        self._rows = rows
        self._times = times_ns

    def __len__(self) -> int:
        return len(self._rows)

    def count_until(self, time_ns: int, *, inclusive: bool = True) -> int:
        """Return how many frames are before a time, or at it if that is inclusive."""
        return int(np.searchsorted(self._times, time_ns, side="right" if inclusive else "left"))

    def rows(self, first: int = 0, last: int | None = None) -> NDArray[np.uint32]:
        """Return the rows at places ``first .. last-1``."""
        return self._rows[first:last]


def runs_of(placed: Placed, lanes: frozenset[int] | None = None) -> Iterator[Run]:
    """Yield the runs of a segment: all of it where it is shifted alike, else one a lane.

    Parameters
    ----------
    lanes
        Lanes of the capture that are wanted; None is all.
    """
    segment = placed.segment
    wanted = [lane for lane in segment.lanes if lanes is None or int(placed.lanes[lane]) in lanes]
    shifts = {int(placed.shift_ns[lane]) for lane in wanted}
    if len(wanted) == len(segment.lanes) and len(shifts) == 1:
        yield Run(segment.table.time_ns, None, placed.base, shifts.pop())
        return
    for lane in wanted:
        yield run_of_lane(placed, lane)


def run_of_lane(placed: Placed, lane: int) -> Run:
    """Return the frames of one of the lanes of a segment, by its number there."""
    segment = placed.segment
    return Run(segment.table.time_ns, segment.rows_of(lane), placed.base, int(placed.shift_ns[lane]))


@njit(cache=True, nogil=True)
def _search(times, rows, time, inclusive):  # type: ignore[no-untyped-def]
    """Return how many of ``times[rows]``, which rise, are below a time, or at it if inclusive."""
    low, high = 0, len(rows)
    while low < high:
        middle = (low + high) // 2
        found = times[rows[middle]]
        if found < time or (inclusive and found == time):
            low = middle + 1
        else:
            high = middle
    return low


@njit(cache=True, nogil=True)
def _search_all(times, rows, wanted):  # type: ignore[no-untyped-def]
    found = np.empty(len(wanted), np.int64)
    for i in range(len(wanted)):
        found[i] = _search(times, rows, wanted[i], False)
    return found


@njit(cache=True, nogil=True)
def _is_in_order(times, rows):  # type: ignore[no-untyped-def]
    for i in range(1, len(times)):
        if times[i] < times[i - 1] or (times[i] == times[i - 1] and rows[i] < rows[i - 1]):
            return False
    return True
