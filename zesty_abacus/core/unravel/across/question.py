"""What a question across kinds is: what it needs, and what it answers."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ...pairing.exchanges import Exchanges
from ...progress import Progress
from ...values.reference import ReferenceColumn
from ..finding import Said
from ..numbers import numbers_of
from ..pages import on_pages
from ..seen import Seen


@dataclass(frozen=True, slots=True)
class Action:
    """Something that was done.

    Attributes
    ----------
    time_ns
    text
    """

    time_ns: int
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class KindView:
    """A kind as questions across kinds see it.

    Attributes
    ----------
    kind
        Its number in the capture.
    lane, address, flags, message
        As findings name it.
    time_ns : int64 (n,)
        Of all of its frames.
    thin
        Frames from all of its time, evenly chosen where there are many.
    said
        What is said of it by itself.
    """

    kind: int
    lane: str
    address: int
    flags: str
    message: str
    time_ns: NDArray[np.int64]
    thin: Seen
    said: tuple[Said, ...]

    def fields(self, *, paged: bool = False) -> Iterator[Said]:
        """Yield its values that are always there, and those on pages of its own where they are asked for."""
        fields = (one for one in self.said if one.kind == "field" and not any(when.in_ for when in one.when))
        return (one for one in fields if paged or not one.when)

    def there(self, one: Said) -> Seen:
        """Return the thinned frames that a field is in."""
        return self.thin.where(on_pages(self.thin, one.when)) if one.when else self.thin

    def values(self, one: Said) -> NDArray[np.float64]:
        """Return the numbers that a field reads in the thinned frames that it is in; float64 (n,)."""
        return numbers_of(self.there(one), one.bits, one.parameters["reading"])

    def named(self) -> dict[str, object]:
        """Return how parameters name it."""
        return {"lane": self.lane, "address": self.address, "flags": self.flags}


@dataclass(frozen=True, slots=True, eq=False)
class View:
    """All that questions across kinds look at.

    Attributes
    ----------
    kinds
    references
        What instruments said.
    actions
        What was done when.
    span_ns
        From the first frame to the last.
    exchanges
        Gives the requests with what came back; None where nobody knows.
    """

    kinds: Sequence[KindView]
    references: Sequence[ReferenceColumn] = ()
    actions: Sequence[Action] = ()
    span_ns: tuple[int, int] = (0, 0)
    exchanges: Callable[[Progress], Exchanges | None] = lambda _progress: None


Answer = tuple[KindView, Said]


@dataclass(frozen=True, slots=True)
class Question:
    """A question across kinds.

    Attributes
    ----------
    words
        What it looks for, as progress says it.
    kinds
        Kinds of findings that it gives.
    ask
        Yields the answers.
    """

    words: str
    kinds: frozenset[str]
    ask: Callable[[View, Progress], Iterable[Answer]] = field(repr=False)
