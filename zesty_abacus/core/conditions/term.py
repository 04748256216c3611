"""A condition that makes sense: where it holds, what it asks, what it costs to know."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from .rows import Rows
from .values import KIND, Value

FIRST, SECOND, LAST = range(3)
"""Where the words of a condition stand in a sentence."""

Truth = bool | NDArray[np.bool_]
"""Whether a condition holds: for all frames alike, or frame by frame, bool (n,)."""


class Term(ABC):
    """A condition that makes sense, ready to be asked of frames.

    Attributes
    ----------
    cost
        What it costs to know, as of values: in a row of conditions joined by *and* the cheap ones go first.
    asks_reader
        Whether it matters who reads a frame, beside the fields that it compares.
    remembers
        Whether it has to see every frame, since it keeps the value before.
    stands
        Where its words stand in a sentence: those of what is the same in a kind before those of what frames hold.
    """

    cost: int = KIND
    stands: int = LAST
    asks_reader: bool = False
    remembers: bool = False

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
