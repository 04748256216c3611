"""Conditions about frames: lane, message, address, way, checks, flags, moments, bytes."""

from __future__ import annotations

from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from .rows import BAD, GOOD, NONE, Rows
from .term import FIRST, SECOND, Term, Truth
from .values import BYTES, DECODED, FLAGS, TIMES


@dataclass(eq=False)
class OnLane(Term):
    """Asks for a lane."""

    lane: str
    equal: bool
    stands: int = FIRST

    def over(self, rows: Rows) -> Truth:
        return (rows.facts.lane == self.lane) == self.equal

    def words(self) -> str:
        return f"{'on' if self.equal else 'not on'} {self.lane}"


@dataclass(eq=False)
class OfMessage(Term):
    """Asks for what a layout reads; frames that none reads are of no message."""

    message: str
    equal: bool
    stands: int = SECOND
    asks_reader: bool = True

    def over(self, rows: Rows) -> Truth:
        if rows.reader is None:
            return False
        return (rows.reader.layout.name == self.message) == self.equal

    def words(self) -> str:
        return f"{'read as' if self.equal else 'not read as'} {self.message}"


@dataclass(eq=False)
class GoesWay(Term):
    """Asks which way frames go, where the lane has ways."""

    way: str
    equal: bool
    stands: int = SECOND

    def over(self, rows: Rows) -> Truth:
        ways = rows.facts.ways
        return bool(ways) and (self.way in ways) == self.equal

    def words(self) -> str:
        return f"that {'' if self.equal else 'do not '}{_WAYS[self.way]}"


_WAYS = {"read": "read", "write": "write", "request": "ask", "answer": "answer"}


@dataclass(eq=False)
class Addressed(Term):
    """Asks who is addressed; an address that also says which register may be given as a whole, too."""

    address: int
    equal: bool
    stands: int = SECOND

    def over(self, rows: Rows) -> Truth:
        return (self.address in (rows.facts.device, rows.facts.key.address)) == self.equal

    def words(self) -> str:
        return f"{'' if self.equal else 'not '}of address 0x{self.address:02X}"


@dataclass(eq=False)
class Checked(Term):
    """Asks how the checks of a frame come out."""

    state: str
    equal: bool
    cost: int = DECODED
    asks_reader: bool = True

    def over(self, rows: Rows) -> Truth:
        wanted = {"good": GOOD, "bad": BAD, "none": NONE}[self.state]
        return (rows.checks == wanted) == self.equal

    def words(self) -> str:
        said = {"good": "whose checks agree", "bad": "with a check that disagrees", "none": "without a check"}
        return f"{'' if self.equal else 'other than those '}{said[self.state]}"


@dataclass(eq=False)
class Flagged(Term):
    """Asks for any of some flags."""

    bits: int
    said: str
    cost: int = FLAGS

    def over(self, rows: Rows) -> Truth:
        return (rows.flags & np.uint32(self.bits)) > 0

    def words(self) -> str:
        return f"flagged {self.said}"


@dataclass(eq=False)
class Unanswered(Term):
    """Asks for requests that nobody answered, as the link says, or a layout that says which message answers.

    Attributes
    ----------
    rows : int64 (n,)
        Those that layouts tell of, rising; worked out before any kind is asked.
    """

    rows: NDArray[np.int64] = field(default_factory=lambda: np.empty(0, np.int64))
    cost: int = FLAGS

    def over(self, rows: Rows) -> Truth:
        holds = (rows.flags & np.uint32(F.UNANSWERED)) > 0
        return holds | np.isin(rows.rows, self.rows) if len(self.rows) else holds

    def words(self) -> str:
        return "that nobody answered"


@dataclass(eq=False)
class AfterMoment(Term):
    """Asks for frames within a time after a moment; both ends count."""

    text: str
    moments_ns: tuple[int, ...]
    within_ns: int
    within_words: str
    cost: int = TIMES

    def over(self, rows: Rows) -> Truth:
        holds = np.zeros(len(rows), np.bool_)
        for moment in self.moments_ns:
            holds |= (rows.times >= moment) & (rows.times <= moment + self.within_ns)
        return holds

    def words(self) -> str:
        return f"within {self.within_words} after “{self.text}”"


@dataclass(eq=False)
class BytesAt(Term):
    """Asks for a pattern of bytes at a place; a longer payload matches."""

    mask: bytes
    pattern: bytes
    offset: int
    shown: str
    cost: int = BYTES

    def over(self, rows: Rows) -> Truth:
        end = self.offset + len(self.mask)
        matrix = rows.frames.matrix
        if matrix.shape[1] < end:
            return False
        mask, pattern = np.frombuffer(self.mask, np.uint8), np.frombuffer(self.pattern, np.uint8)
        same = ((matrix[:, self.offset : end] & mask) == pattern).all(axis=1)
        return same & (rows.sizes >= end)

    def words(self) -> str:
        where = "that begin with the bytes" if not self.offset else f"with, from byte {self.offset} on, the bytes"
        return f"{where} {self.shown}"


@dataclass(eq=False)
class HasBytes(Term):
    """Asks for bytes anywhere in the payload."""

    wanted: bytes
    said: str
    cost: int = BYTES

    def over(self, rows: Rows) -> Truth:
        matrix, sizes = rows.frames.matrix, rows.sizes
        holds = np.zeros(len(rows), np.bool_)
        wanted = np.frombuffer(self.wanted, np.uint8)
        for start in range(matrix.shape[1] - len(wanted) + 1):
            fits = sizes >= start + len(wanted)
            if not fits.any():
                break
            same = fits & ~holds
            for place, byte in enumerate(wanted):
                same &= matrix[:, start + place] == byte
            holds |= same
        return holds

    def words(self) -> str:
        return self.said
