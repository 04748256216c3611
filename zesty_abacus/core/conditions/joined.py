"""What joins conditions: and, or, not, then."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from .rows import Rows
from .term import LAST, Term, Truth, all_terms
from .value_terms import Compared
from .values import FLAGS, KIND


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
    return any(one.remembers for one in all_terms(term))


def _in_brackets(part: Term) -> str:
    return f"({part.words()})" if isinstance(part, AnyOf | AfterAnother | Not) else part.words()
