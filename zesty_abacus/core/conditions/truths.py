"""What a condition says of each frame: comparisons, and what joins them."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..expressions.operation import known_in_all
from .rows import BAD, GOOD, NONE, Rows
from .values import BYTES, DECODED, FLAGS, KIND, TIMES, FieldValue, Literal, Value, into_unit, is_bare

FIRST, SECOND, LAST = range(3)
"""Where the words of a condition stand in a sentence."""

Truth = bool | NDArray[np.bool_]
"""Whether a condition holds: for all frames alike, or frame by frame, bool (n,)."""

COMPARISONS: dict[str, tuple[Callable[..., NDArray], str]] = {
    "==": (np.equal, "is"),
    "!=": (np.not_equal, "is not"),
    "<": (np.less, "is below"),
    "<=": (np.less_equal, "is at most"),
    ">": (np.greater, "is above"),
    ">=": (np.greater_equal, "is at least"),
}


class Term(ABC):
    """A condition that makes sense, ready to be asked of frames.

    Attributes
    ----------
    cost
        What it costs to know, as of values: in a row of conditions joined by *and* the cheap ones go first.
    asks_reader
        Whether it matters who reads a frame, beside the fields that it compares.
    stands
        Where its words stand in a sentence: those of what is the same in a kind before those of what frames hold.
    """

    cost: int = KIND
    stands: int = LAST
    asks_reader: bool = False

    @abstractmethod
    def over(self, rows: Rows) -> Truth:
        """Return where it holds."""

    @abstractmethod
    def words(self) -> str:
        """Return what it asks, as it stands behind the word *frames*."""

    def below(self) -> Iterator[Term]:
        """Yield the conditions that it is made of."""
        return iter(())

    def values(self) -> Iterator[Value]:
        """Yield the values that it compares."""
        return iter(())


def all_terms(term: Term) -> Iterator[Term]:
    """Yield a condition and all that it is made of."""
    yield term
    for one in term.below():
        yield from all_terms(one)


class AllOf(Term):
    """Holds where all of some conditions hold."""

    def __init__(self, parts: Sequence[Term]) -> None:
        self.parts = tuple(parts)
        self.cost = max(part.cost for part in parts)

    def over(self, rows: Rows) -> Truth:
        holds: Truth = True
        for part in sorted(self.parts, key=lambda part: part.cost):
            holds = _and(holds, part.over(rows))
            if not _anywhere(holds) and (part.cost == KIND or not _remembers(self)):
                return False
        return holds

    def words(self) -> str:
        flat = list(self._flat())
        first = [part.words() for part in sorted(flat, key=lambda part: part.stands) if part.stands < LAST]
        others = [_in_brackets(part) for part in flat if part.stands == LAST and not isinstance(part, Compared)]
        where = [part.clause() for part in flat if isinstance(part, Compared)]
        others += ["where " + " and ".join(where)] if where else []
        return " ".join([*first, " and ".join(others)]).strip()

    def _flat(self) -> Iterator[Term]:
        """Yield what is joined, also by another *and* within."""
        for part in self.parts:
            if isinstance(part, AllOf):
                yield from part._flat()
            else:
                yield part

    def below(self) -> Iterator[Term]:
        return iter(self.parts)


class AnyOf(Term):
    """Holds where any of some conditions holds."""

    def __init__(self, parts: Sequence[Term]) -> None:
        self.parts = tuple(parts)
        self.cost = max(part.cost for part in parts)

    def over(self, rows: Rows) -> Truth:
        holds: Truth = False
        for part in sorted(self.parts, key=lambda part: part.cost):
            holds = _or(holds, part.over(rows))
            if holds is True and (part.cost == KIND or not _remembers(self)):
                return True
        return holds

    def words(self) -> str:
        return ", or those ".join(part.words() for part in self.parts)

    def below(self) -> Iterator[Term]:
        return iter(self.parts)


@dataclass(eq=False)
class Not(Term):
    """Holds in every frame in which another condition does not."""

    part: Term

    def __post_init__(self) -> None:
        self.cost = self.part.cost

    def over(self, rows: Rows) -> Truth:
        holds = self.part.over(rows)
        return not holds if isinstance(holds, bool) else ~holds

    def words(self) -> str:
        return f"other than those {self.part.words()}"

    def below(self) -> Iterator[Term]:
        yield self.part


class AfterAnother(Term):
    """Holds where a condition holds within a time after another; worked out over the whole capture before.

    Attributes
    ----------
    mask : bool (frames of the capture,), None until it is known
    """

    cost = FLAGS

    def __init__(self, earlier: Term, later: Term, within_ns: int, within_words: str) -> None:
        self.earlier = earlier
        self.later = later
        self.within_ns = within_ns
        self._within_words = within_words
        self.mask: NDArray[np.bool_] | None = None

    def over(self, rows: Rows) -> Truth:
        assert self.mask is not None, "it is worked out before any kind is asked"
        return self.mask[rows.rows]

    def words(self) -> str:
        return f"{self.later.words()}, within {self._within_words} after those {self.earlier.words()}"


@dataclass(eq=False)
class Compared(Term):
    """A comparison of two numbers; it holds only where both are known."""

    symbol: str
    left: Value
    right: Value

    def __post_init__(self) -> None:
        self.cost = max(self.left.cost, self.right.cost)

    def over(self, rows: Rows) -> Truth:
        left, right = self.left.over(rows), self.right.over(rows)
        layout = rows.layout
        if is_bare(self.left) or is_bare(self.right):
            # a number without a unit is in the unit of the other side
            pass
        elif not isinstance(self.left, Literal):
            right = into_unit(self.right, right, self.left.unit(layout), layout)
        else:
            left = into_unit(self.left, left, self.right.unit(layout), layout)
        known = known_in_all([left, right])
        holds = COMPARISONS[self.symbol][0](left.values, right.values)
        return holds if known is None else holds & known

    def clause(self) -> str:
        """Return the comparison alone."""
        return f"{self.left.words()} {COMPARISONS[self.symbol][1]} {self.right.words()}"

    def words(self) -> str:
        return f"where {self.clause()}"

    def values(self) -> Iterator[Value]:
        yield self.left
        yield self.right


@dataclass(eq=False)
class IsTrue(Term):
    """Holds where a number is known and not zero."""

    value: Value

    def __post_init__(self) -> None:
        self.cost = self.value.cost

    def over(self, rows: Rows) -> Truth:
        found = self.value.over(rows)
        return (found.values != 0) & found.known_rows()

    def words(self) -> str:
        return f"where {self.value.words()} is not zero"

    def values(self) -> Iterator[Value]:
        yield self.value


@dataclass(eq=False)
class Labelled(Term):
    """Compares a field with the name of one of its values, or with a text."""

    field: FieldValue
    text: str
    equal: bool
    cost: int = DECODED

    def over(self, rows: Rows) -> Truth:
        found = self.field.column(rows)
        if found is None:
            return False
        field, column = found
        if column.content is not None:
            texts, which = column.distinct_texts(np.arange(len(rows)))
            same = np.array([text == self.text for text in texts], np.bool_)[which]
        else:
            codes = [number for number, named in enumerate(field.names) if named.label == self.text]
            if not codes:
                # this message knows no such name, so its field cannot be it, and is something else
                same = np.zeros(len(rows), np.bool_)
            else:
                same = np.isin(column.label_codes(), codes)
        return (same if self.equal else ~same) & column.has_value

    def words(self) -> str:
        return f"where {self.field.words()} {'is' if self.equal else 'is not'} “{self.text}”"

    def values(self) -> Iterator[Value]:
        yield self.field


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


class Moved(Term):
    """Compares a value with the newest earlier one of the same kind that was good."""

    def __init__(self, how: str, value: Value, level: Value | None = None) -> None:
        self.how = how
        self.value = value
        self.level = level
        self.cost = DECODED

    def over(self, rows: Rows) -> Truth:
        now = self.value.over(rows)
        known = now.known_rows()
        holds = np.zeros(len(rows), np.bool_)
        places = np.flatnonzero(known)
        if not len(places):
            return holds
        values = now.values[places]
        before = rows.memory.get(self)
        earlier = np.empty_like(values)
        earlier[1:] = values[:-1]
        has_earlier = np.ones(len(values), np.bool_)
        has_earlier[0] = before is not None
        earlier[0] = values[0] if before is None else before
        rows.memory[self] = values[-1]
        holds[places] = self._holds(earlier, values, rows) & has_earlier
        return holds

    def _holds(self, earlier: NDArray, values: NDArray, rows: Rows) -> NDArray[np.bool_]:
        if self.how == "changes":
            return earlier != values
        if self.how == "rises":
            return values > earlier
        if self.how == "falls":
            return values < earlier
        assert self.level is not None
        level = into_unit(self.level, self.level.over(rows), self.value.unit(rows.layout), rows.layout).values[0]
        return ((earlier < level) & (values >= level)) | ((earlier > level) & (values <= level))

    def words(self) -> str:
        level = f" {self.level.words()}" if self.level is not None else ""
        return f"where {self.value.words()} {self.how}{level}"

    def values(self) -> Iterator[Value]:
        yield self.value
        if self.level is not None:
            yield self.level


def _and(one: Truth, other: Truth) -> Truth:
    if isinstance(one, bool):
        return other if one else False
    if isinstance(other, bool):
        return one if other else False
    return one & other


def _or(one: Truth, other: Truth) -> Truth:
    if isinstance(one, bool):
        return True if one else other
    if isinstance(other, bool):
        return True if other else one
    return one | other


def _anywhere(holds: Truth) -> bool:
    return holds if isinstance(holds, bool) else bool(holds.any())


def _remembers(term: Term) -> bool:
    """Return whether a condition has to see every frame, since it keeps the value before."""
    return any(isinstance(one, Moved) for one in all_terms(term))


def _in_brackets(part: Term) -> str:
    return f"({part.words()})" if isinstance(part, AnyOf | AfterAnother | Not) else part.words()
