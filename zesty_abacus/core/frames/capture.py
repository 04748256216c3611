"""The capture: segments of recordings on one clock, the lanes their frames were seen on, and their kinds."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from .capture_kinds import CaptureKinds
from .flags import TELLS_KINDS_APART
from .kind_key import KindKey
from .order import TimeOrder, runs_of
from .segment import Placed, Segment
from .segment_frames import KindFrames, SegmentFrames
from .table import FrameTable


@dataclass(frozen=True, slots=True)
class Lane:
    """One bus, line or link of a capture.

    Attributes
    ----------
    name
        As the engineer calls it: ``thruster``.
    protocol
        What it speaks: ``can``.
    note
        What is shown beside the name, such as ``CAN 500k``.
    bit_rate
        Of the line, in bit/s; None where neither the recording nor the trial says.
    """

    name: str
    protocol: str = "can"
    note: str = ""
    bit_rate: int | None = None


@dataclass(frozen=True, eq=False)
class Capture:
    """Frames ready for work: segments, each put on the capture's clock and lanes, never copied or sorted again.

    A frame is known by its *row*, a number that stays the same while the capture grows and however lanes are moved;
    :attr:`order` says which rows come one after another.

    Attributes
    ----------
    segments
    lanes
        Lane of each lane number.
    kinds
        Index of message kinds.
    """

    segments: tuple[Placed, ...]
    lanes: tuple[Lane, ...]
    kinds: CaptureKinds
    _stem: object = field(default_factory=object, repr=False)

    @classmethod
    def of_segments(cls, segments: Iterable[Placed], lanes: Sequence[Lane]) -> Capture:
        """Put segments together; their bases are counted anew."""
        placed = _based(segments, 0)
        return cls(placed, tuple(lanes), CaptureKinds(placed))

    @classmethod
    def from_table(cls, table: FrameTable, lanes: Sequence[Lane]) -> Capture:
        """Return a capture of one segment in memory, sorted by time."""
        placed = Placed.as_recorded(Segment.of(table), len(lanes))
        return cls.of_segments([placed] if len(table) else [], lanes)

    def grown(
        self, more: Iterable[Placed], lanes: Sequence[Lane] | None = None, before: Capture | None = None
    ) -> Capture:
        """Return a capture with more segments behind; rows and kinds keep their numbers.

        Parameters
        ----------
        lanes
            All lanes, if new ones have come; those that are there keep their numbers.
        before
            What this one has grown to already, with the same frames in other segments: its kinds keep their numbers.
        """
        placed = (*self.segments, *_based(more, len(self)))
        kinds = CaptureKinds(placed, self.kinds, before.kinds if before is not None else None)
        return Capture(placed, self.lanes if lanes is None else tuple(lanes), kinds, self._stem)

    def has_grown_from(self, other: Capture) -> bool:
        """Return whether what is known of another capture's rows and kinds holds here: it is what this one was."""
        return self._stem is other._stem and len(self) >= len(other)

    def moved(self, by_ns: Mapping[int, int]) -> Capture:
        """Return a capture with lanes moved in time, by lane number; nothing is read, copied or sorted."""
        by = np.zeros(len(self.lanes), np.int64)
        for lane, added in by_ns.items():
            by[lane] = added
        placed = tuple(replace(one, shift_ns=one.shift_ns + by[one.lanes]) for one in self.segments)
        return Capture(placed, self.lanes, self.kinds)

    def __len__(self) -> int:
        last = self.segments[-1] if self.segments else None
        return last.base + len(last) if last is not None else 0

    @cached_property
    def frames(self) -> SegmentFrames:
        """What is recorded of its frames, by row."""
        return SegmentFrames(self.segments)

    @cached_property
    def order(self) -> TimeOrder:
        """All frames in order of time."""
        return TimeOrder(run for placed in self.segments for run in runs_of(placed))

    def order_of_lanes(self, lanes: frozenset[int]) -> TimeOrder:
        """Return the frames of some lanes in order of time."""
        return TimeOrder(run for placed in self.segments for run in runs_of(placed, lanes))

    def order_of_kind(self, kind: int) -> TimeOrder:
        """Return the frames of a kind in order of time."""
        return self.kinds.order(kind, self.segments)

    @property
    def origin_ns(self) -> int:
        """Time of the first frame, the zero of everything shown."""
        return self.order.span()[0]

    @property
    def end_ns(self) -> int:
        """Time of the last frame."""
        return self.order.span()[1]

    def time_digits(self) -> int:
        """Return how many digits behind the point of a second its times have: 3, 6 or 9."""
        found = [placed.segment.time_digits for placed in self.segments]
        found += [
            9 if shift % 1000 else 6 if shift % 1_000_000 else 3
            for placed in self.segments for shift in placed.shift_ns[list(placed.segment.lanes)].tolist()
        ]  # fmt: skip
        return max(found, default=3)

    def kind_of(self, row: int) -> int:
        """Return the kind of a frame."""
        frame = self.frames.at(row)
        found = self.kinds.find(KindKey(frame.lane, frame.address, frame.flags & TELLS_KINDS_APART))
        assert found is not None, "every frame of a capture is of one of its kinds"
        return found

    def kinds_of(self, rows: NDArray[np.integer]) -> NDArray[np.int32]:
        """Return the kind of each of some frames; int32 (n,)."""
        return self.kinds.numbers_of(self.frames.lanes(rows), self.frames.addresses(rows), self.frames.flags(rows))

    def kind_size(self, kind: int) -> int:
        """Return the largest payload size of a kind, in bytes."""
        return self.kinds.largest(kind)

    def kind_frames(self, kind: int, first: int = 0, last: int | None = None) -> KindFrames:
        """Gather frames ``first .. last-1`` of a kind into a matrix."""
        return self.frames.gather(self.kinds.rows(kind, first, last))

    def in_order(self, first: int = 0, last: int | None = None) -> FrameTable:
        """Return the frames at places ``first .. last-1`` as a table of its own."""
        return self.frames.table(self.order.rows(first, last))


def _based(segments: Iterable[Placed], base: int) -> tuple[Placed, ...]:
    made = []
    for one in segments:
        if len(one):
            made.append(replace(one, base=base))
            base += len(one)
    return tuple(made)
