"""Asks a condition of a whole capture: kind by kind, chunk by chunk, the cheapest facts first."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture
from ..frames.order import RowsInOrder
from ..pairing.exchanges import unanswered_rows
from ..progress import Progress
from ..reading.meaning import Meaning
from .frame_terms import Unanswered
from .joined import AfterAnother
from .rows import Chunk, KindFacts, Rows
from .term import Term, all_terms
from .values import AcrossKinds, all_fields, all_values

_CHUNK = 1 << 20
"""Frames asked at a time: few enough that memory stays small, and that a cancel is heard soon."""


@dataclass(frozen=True, slots=True, eq=False)
class Hits:
    """The frames in which a condition holds, in order of time.

    Attributes
    ----------
    rows : uint32 (n,)
    time_ns : int64 (n,)
    capture
        What the rows are of.
    since_ns : int64 (n,), None where the condition asks for nothing before
        Of *A then B*: the time since the newest A before.
    """

    rows: NDArray[np.uint32]
    time_ns: NDArray[np.int64]
    capture: Capture
    since_ns: NDArray[np.int64] | None = None

    def __len__(self) -> int:
        return len(self.rows)

    def in_order(self) -> RowsInOrder:
        """Return them as frames that are listed."""
        return RowsInOrder(self.rows, self.time_ns)

    def mask(self) -> NDArray[np.bool_]:
        """Return for every frame of the capture, by row, whether it is one; bool (frames of the capture,)."""
        found = np.zeros(len(self.capture), np.bool_)
        found[self.rows] = True
        return found

    def by_kind(self) -> dict[int, int]:
        """Return how many there are of each kind that has any."""
        kinds, counts = np.unique(self.capture.kinds_of(self.rows), return_counts=True)
        return dict(zip(kinds.tolist(), counts.tolist(), strict=True))

    def place_at(self, time_ns: int, step: int) -> int | None:
        """Return the next hit after a time, or with a step of -1 the last one before it; None if there is none."""
        if step > 0:
            place = int(np.searchsorted(self.time_ns, time_ns, side="right"))
        else:
            place = int(np.searchsorted(self.time_ns, time_ns, side="left")) - 1
        return place if 0 <= place < len(self) else None


def find(
    meaning: Meaning, term: Term, progress: Progress | None = None, early: Callable[[int], None] | None = None
) -> Hits:
    """Return where a condition holds.

    Parameters
    ----------
    early
        Told, as often as a chunk is done, how many hits there are so far.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    MisuseError
        If a layout that has to be decoded has problems.
    """
    progress = progress or Progress()
    if isinstance(term, AfterAnother):
        return _after(meaning, term, progress)
    return _in_order(meaning.capture, mask_of(meaning, term, progress, early))


def mask_of(
    meaning: Meaning, term: Term, progress: Progress, early: Callable[[int], None] | None = None
) -> NDArray[np.bool_]:
    """Return for every frame, by row, whether a condition holds; bool (frames of the capture,)."""
    _prepare(meaning, term, progress)
    mask = np.zeros(len(meaning.capture), np.bool_)
    asks_reader = _asks_reader(term)
    done = found = 0
    for kind in range(len(meaning.kinds)):
        facts = KindFacts(meaning, kind)
        memories: dict[int, dict[object, Any]] = {}
        for chunk in _chunks(facts):
            progress.step(done / max(len(mask), 1), "looking")
            for rows in _by_reader(chunk, memories, asks_reader):
                holds = term.over(rows)
                if isinstance(holds, bool):
                    mask[rows.rows] = holds
                    found += len(rows) if holds else 0
                else:
                    mask[rows.rows] = holds
                    found += int(holds.sum())
            done += len(chunk.rows)
            if early is not None:
                early(found)
    return mask


def _chunks(facts: KindFacts) -> Iterator[Chunk]:
    before: int | None = None
    order = facts.capture.order_of_kind(facts.kind)
    for rows in order.chunks(0, len(order), _CHUNK):
        yield Chunk(facts, rows, before)
        before = int(rows[-1])


def _by_reader(chunk: Chunk, memories: dict[int, dict[object, Any]], asks_reader: bool) -> Iterator[Rows]:
    """Yield a chunk divided among those who read it, where that matters."""
    readers = chunk.facts.meaning.kinds[chunk.facts.kind].readers
    if not asks_reader or not readers:
        yield Rows(chunk, None, None, memories.setdefault(-1, {}))
        return
    if readers[0].choice.takes_all:
        yield Rows(chunk, readers[0], None, memories.setdefault(0, {}))
        return
    numbers = chunk.facts.meaning.numbers(chunk.facts.kind, chunk.frames)
    for number in np.unique(numbers).tolist():
        reader = readers[number] if number >= 0 else None
        yield Rows(chunk, reader, np.flatnonzero(numbers == number), memories.setdefault(number, {}))


def _asks_reader(term: Term) -> bool:
    terms = list(all_terms(term))
    compared = (value for one in terms for value in one.values())
    return any(one.asks_reader for one in terms) or any(True for _ in all_fields(compared))


def _prepare(meaning: Meaning, term: Term, progress: Progress) -> None:
    """Work out what is asked of the capture as a whole, each time once however often it is named."""
    known: dict[type[AcrossKinds], NDArray[np.int64]] = {}
    for one in all_terms(term):
        if isinstance(one, AfterAnother):
            one.mask = _after(meaning, one, progress).mask()
        if isinstance(one, Unanswered):
            one.rows = np.sort(unanswered_rows(meaning, progress))
        for value in all_values(one.values()):
            if isinstance(value, AcrossKinds):
                if type(value) not in known:
                    known[type(value)] = value.work_out(meaning, progress)
                value.nanoseconds = known[type(value)]


def _after(meaning: Meaning, term: AfterAnother, progress: Progress) -> Hits:
    earlier, later = find(meaning, term.earlier, progress), find(meaning, term.later, progress)
    newest = np.searchsorted(earlier.time_ns, later.time_ns, side="left") - 1
    has_one = newest >= 0
    since = later.time_ns - earlier.time_ns[np.maximum(newest, 0)] if len(earlier) else np.zeros(len(later), np.int64)
    holds = np.flatnonzero(has_one & (since <= term.within_ns))
    return Hits(later.rows[holds], later.time_ns[holds], meaning.capture, since[holds])


def _in_order(capture: Capture, mask: NDArray[np.bool_]) -> Hits:
    chunks = [rows[mask[rows]] for rows in capture.order.chunks(0, len(capture), _CHUNK)]
    rows = np.concatenate([np.empty(0, np.uint32), *chunks]).astype(np.uint32)
    return Hits(rows, capture.frames.times(rows) if len(rows) else np.empty(0, np.int64), capture)
