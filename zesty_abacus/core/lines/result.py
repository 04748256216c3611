"""What comes out of a line: marks in time, bytes or bits or frames, and what was measured on the way.

Kernels fill plain int64 rows, since one array is one argument: a mark is ``(start, end, kind, value, flags,
frame, row)``, a frame ``(start, end, address, flags, first byte, bytes)``.
"""

from __future__ import annotations

import enum
from dataclasses import dataclass, field, replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames.table import FrameTable

MARK_COLUMNS = 7
FRAME_COLUMNS = 6


class MarkKind(enum.IntEnum):
    """What a stretch of a wave was found to be."""

    START = 1
    RESTART = 2
    STOP = 3
    ADDRESS = 4
    DATA = 5
    TAKEN = 6
    """Acknowledged."""
    REFUSED = 7
    """Not acknowledged."""
    CHECK = 8
    SYNC = 9
    BREAK = 10
    ERROR = 11
    CONTROL = 12
    """Bits that steer the frame: identifier flags, length."""
    LEADER = 13
    BITS = 14
    """A run of bits that is no whole byte."""
    ENOUGH = 15
    """Not acknowledged by a reader that wants no more: how a read ends."""

    @property
    def words(self) -> str:
        """Return the kind as the interface says it."""
        return _WORDS[self]


_WORDS = {
    MarkKind.START: "start",
    MarkKind.RESTART: "start again",
    MarkKind.STOP: "stop",
    MarkKind.ADDRESS: "address",
    MarkKind.DATA: "data",
    MarkKind.TAKEN: "acknowledged",
    MarkKind.REFUSED: "not acknowledged",
    MarkKind.CHECK: "check",
    MarkKind.SYNC: "sync",
    MarkKind.BREAK: "break",
    MarkKind.ERROR: "error",
    MarkKind.CONTROL: "control",
    MarkKind.LEADER: "leader",
    MarkKind.BITS: "bits",
    MarkKind.ENOUGH: "no more wanted",
}

START, RESTART, STOP = int(MarkKind.START), int(MarkKind.RESTART), int(MarkKind.STOP)
ADDRESS, DATA, TAKEN, REFUSED = (
    int(MarkKind.ADDRESS), int(MarkKind.DATA), int(MarkKind.TAKEN), int(MarkKind.REFUSED),
)  # fmt: skip
CHECK, SYNC, BREAK, ERROR = int(MarkKind.CHECK), int(MarkKind.SYNC), int(MarkKind.BREAK), int(MarkKind.ERROR)
CONTROL, LEADER, BITS, ENOUGH = (
    int(MarkKind.CONTROL), int(MarkKind.LEADER), int(MarkKind.BITS), int(MarkKind.ENOUGH),
)  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class Marks:
    """Decoded stretches of a wave, in order of their start.

    Attributes
    ----------
    rows : int64 (n, 7)
        Start and end in nanoseconds, :class:`MarkKind`, value, flags as of a frame, number of the frame (-1 for
        none), and the row they are drawn in (a second data line has row 1).
    """

    rows: NDArray[np.int64]

    @classmethod
    def none(cls) -> Marks:
        """Return no marks."""
        return cls(np.empty((0, MARK_COLUMNS), np.int64))

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def start_ns(self) -> NDArray[np.int64]:
        """When each begins."""
        return self.rows[:, 0]

    @property
    def end_ns(self) -> NDArray[np.int64]:
        """When each ends."""
        return self.rows[:, 1]

    @property
    def kind(self) -> NDArray[np.int64]:
        """What each is."""
        return self.rows[:, 2]

    @property
    def value(self) -> NDArray[np.int64]:
        """The number each stands for."""
        return self.rows[:, 3]

    @property
    def flags(self) -> NDArray[np.int64]:
        """What is wrong with each, as flags of a frame."""
        return self.rows[:, 4]

    @property
    def frame(self) -> NDArray[np.int64]:
        """The frame each belongs to, -1 for none."""
        return self.rows[:, 5]

    def of_kind(self, kind: MarkKind) -> NDArray[np.int64]:
        """Return the rows of one kind."""
        return self.rows[self.rows[:, 2] == kind]


@dataclass(frozen=True, slots=True, eq=False)
class ByteRun:
    """Bytes with their times, before anybody says where a telegram begins.

    Attributes
    ----------
    start_ns, end_ns : int64 (n,)
    value : uint16 (n,)
        Nine data bits fit.
    flags : uint32 (n,)
        What was wrong with each.
    """

    start_ns: NDArray[np.int64]
    end_ns: NDArray[np.int64]
    value: NDArray[np.uint16]
    flags: NDArray[np.uint32]

    def __len__(self) -> int:
        return len(self.value)


@dataclass(frozen=True, slots=True, eq=False)
class BitRun:
    """Bits with their times, in bursts.

    Attributes
    ----------
    start_ns, end_ns : int64 (n,)
    bit : uint8 (n,)
    bounds : int64 (bursts + 1,)
        Burst ``b`` has bits ``bounds[b] .. bounds[b + 1] - 1``.
    flags : uint32 (bursts,)
        What was wrong with each burst.
    """

    start_ns: NDArray[np.int64]
    end_ns: NDArray[np.int64]
    bit: NDArray[np.uint8]
    bounds: NDArray[np.int64]
    flags: NDArray[np.uint32]

    def __len__(self) -> int:
        return len(self.bit)


@dataclass(frozen=True, slots=True, eq=False)
class Vote:
    """One message and what its repeats say of each bit.

    Attributes
    ----------
    bursts : int64 (k,)
        Numbers of the bursts that took part.
    bits : uint8 (n,)
    agreement : float64 (n,)
        Share of the bursts that have the voted bit, 0.5 to 1.
    start_ns, end_ns
    is_cropped
        Whether it is one burst that holds a part of the message beside it only.
    """

    bursts: NDArray[np.int64]
    bits: NDArray[np.uint8]
    agreement: NDArray[np.float64]
    start_ns: int
    end_ns: int
    is_cropped: bool = False

    @property
    def text(self) -> str:
        """Return the bits as the bytes of their frame, and how many they are: the last byte is filled with zeros."""
        return f"{np.packbits(self.bits).tobytes().hex(' ').upper()} · {len(self.bits)} bits"


@dataclass(frozen=True, slots=True)
class Fact:
    """Something measured.

    Attributes
    ----------
    name
        The setting it stands beside, such as ``rate``; or what it is in words.
    value
        A number, NaN if there is only text.
    unit
    words
        As the interface shows it; made from value and unit if empty.
    """

    name: str
    value: float
    unit: str = ""
    words: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class LineResult:
    """What a line decoder made of a wave.

    Attributes
    ----------
    frames
        Whole frames; empty while there is only a run of bytes or bits.
    ends_ns : int64 (n,)
        When each frame ends.
    marks
    byte_run, bit_run
        What a framing makes frames of; its marks are those of the kinds ``DATA`` and ``BITS`` in the same order.
    facts
    votes
        What repeats of one message say of its bits, where a framing let them vote.
    """

    frames: FrameTable
    ends_ns: NDArray[np.int64]
    marks: Marks
    byte_run: ByteRun | None = None
    bit_run: BitRun | None = None
    facts: tuple[Fact, ...] = field(default=())
    votes: tuple[Vote, ...] = ()

    @property
    def bit_rate(self) -> int | None:
        """Bit/s of the line, None where nobody measured it."""
        found = (fact.value for fact in self.facts if (fact.name, fact.unit) == ("rate", "bit/s"))
        return next((round(value) for value in found if value > 0), None)

    def with_facts(self, *facts: Fact) -> LineResult:
        """Return the result with more facts before those it has."""
        return replace(self, facts=(*facts, *self.facts))


class LineRoom:
    """Rows for a kernel to fill.

    Parameters
    ----------
    marks, frames, payload
        The most there can be.
    """

    def __init__(self, marks: int, frames: int, payload: int) -> None:
        self.marks = np.empty((marks + 8, MARK_COLUMNS), np.int64)
        self.frames = np.empty((frames + 8, FRAME_COLUMNS), np.int64)
        self.payload = np.empty(payload + 16, np.uint8)
        self.counts = np.zeros(3, np.int64)

    def arguments(self) -> tuple[NDArray, NDArray, NDArray, NDArray]:
        """Return the arrays in the order the kernels take them: marks, frames, payload, counts of each."""
        return self.marks, self.frames, self.payload, self.counts

    def result(self) -> LineResult:
        """Return what was filled, frames and marks in order of time."""
        marks, frames, used = (int(count) for count in self.counts)
        table, ends = table_of(self.frames[:frames], self.payload[:used])
        return LineResult(table, ends, Marks(_of_frames_that_came(self.marks[:marks], table)))


def _of_frames_that_came(marks: NDArray[np.int64], frames: FrameTable) -> NDArray[np.int64]:
    """Return marks in order of time, without a frame where theirs was begun and never came.

    A decoder gives them the number of the frame it makes; where that comes to nothing the next one has the number.
    """
    begins = marks[:, 0]
    made = marks.copy() if (begins[1:] >= begins[:-1]).all() else marks[np.argsort(begins, kind="stable")]
    number = made[:, 5]
    none = number >= len(frames)
    told = np.flatnonzero((number >= 0) & ~none)
    none[told] = made[told, 1] < frames.time_ns[number[told]]
    made[none, 5] = -1
    return made


def table_of(rows: NDArray[np.int64], payload: NDArray[np.uint8]) -> tuple[FrameTable, NDArray[np.int64]]:
    """Return frame rows as a table and their ends."""
    table = FrameTable(
        rows[:, 0].copy(),
        np.zeros(len(rows), np.uint16),
        rows[:, 2].copy(),
        rows[:, 3].astype(np.uint32),
        rows[:, 4].copy(),
        rows[:, 5].astype(np.uint32),
        payload.copy(),
    )
    return table, rows[:, 1].copy()


@njit(cache=True, nogil=True, inline="always")
def put_mark(marks, counts, start, end, kind, value, flags):  # type: ignore[no-untyped-def]
    """Add a mark that belongs to the frame being made."""
    row = counts[0]
    marks[row, 0] = start
    marks[row, 1] = end
    marks[row, 2] = kind
    marks[row, 3] = value
    marks[row, 4] = flags
    marks[row, 5] = counts[1]
    marks[row, 6] = 0
    counts[0] = row + 1


@njit(cache=True, nogil=True, inline="always")
def put_frame(frames, counts, start, end, address, flags, first_byte):  # type: ignore[no-untyped-def]
    """Finish a frame with the payload bytes put since ``first_byte``."""
    row = counts[1]
    frames[row, 0] = start
    frames[row, 1] = end
    frames[row, 2] = address
    frames[row, 3] = flags
    frames[row, 4] = first_byte
    frames[row, 5] = counts[2] - first_byte
    counts[1] = row + 1


@njit(cache=True, nogil=True, inline="always")
def put_byte(payload, counts, value):  # type: ignore[no-untyped-def]
    """Add a payload byte."""
    payload[counts[2]] = value & 0xFF
    counts[2] += 1
