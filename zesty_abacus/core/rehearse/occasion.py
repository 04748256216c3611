"""When a message goes out, as it is written:

======================================  ====================================================
``50 ms``, ``every 50 ms``              again and again, at this period
``3 times every 10 ms``                 so often, then no more
``3 times every 10 ms, again every 1 s``  a burst, again and again
``on change``                           when what its feeds give is another payload than the last one sent
``on change, at least every 1 s``       the same, and after so long anyhow
``in answer to size == 2``              to each frame heard in which a condition holds
======================================  ====================================================
"""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from dataclasses import dataclass
from fractions import Fraction

from ..durations import duration_ns
from ..errors import MisuseError
from ..layouts.numbers import format_exact

_MOST_TIMES = 100_000
_EXAMPLES = "50 ms, 3 times every 10 ms, on change, in answer to Request.wanted == 1"


@dataclass(frozen=True, slots=True)
class Occasion(ABC):
    """Words that say when a message goes out."""

    @property
    @abstractmethod
    def words(self) -> str:
        """Return it as it is written; :func:`parse_occasion` reads the same from it."""


class Planned(Occasion):
    """Frames whose times are known beforehand, in nanoseconds after the first."""

    @abstractmethod
    def planned_ns(self, number: int) -> int | None:
        """Return when frame ``number`` goes out, from 0; None if there is no such frame."""

    @abstractmethod
    def number_at(self, time_ns: int) -> int:
        """Return how many frames go out before a time."""


@dataclass(frozen=True, slots=True)
class Once(Planned):
    """One frame, at once."""

    def planned_ns(self, number: int) -> int | None:
        return None if number else 0

    def number_at(self, time_ns: int) -> int:
        return int(time_ns > 0)

    @property
    def words(self) -> str:
        return "once"


@dataclass(frozen=True, slots=True)
class Every(Planned):
    """Again and again at a period."""

    period_ns: int

    def planned_ns(self, number: int) -> int | None:
        return number * self.period_ns

    def number_at(self, time_ns: int) -> int:
        return max(-(-time_ns // self.period_ns), 0)

    @property
    def words(self) -> str:
        return f"every {_length(self.period_ns)}"


@dataclass(frozen=True, slots=True)
class Bursts(Planned):
    """Some frames one after the other, once or again and again.

    Attributes
    ----------
    times, apart_ns
        How many frames a burst has, and how far they are from each other.
    again_ns
        From the first frame of a burst to that of the next; None if there is one burst.
    """

    times: int
    apart_ns: int
    again_ns: int | None = None

    def planned_ns(self, number: int) -> int | None:
        burst, place = divmod(number, self.times)
        if burst and self.again_ns is None:
            return None
        return burst * (self.again_ns or 0) + place * self.apart_ns

    def number_at(self, time_ns: int) -> int:
        burst = max(time_ns // self.again_ns, 0) if self.again_ns is not None else 0
        place = -(-(time_ns - burst * (self.again_ns or 0)) // self.apart_ns)
        return burst * self.times + min(max(place, 0), self.times)

    @property
    def words(self) -> str:
        again = "" if self.again_ns is None else f", again every {_length(self.again_ns)}"
        return f"{self.times} times every {_length(self.apart_ns)}{again}"


@dataclass(frozen=True, slots=True)
class OnChange(Occasion):
    """When the payload is another one than was sent last; counters do not count.

    Attributes
    ----------
    least_ns
        After so long without a change it goes out all the same; None is never.
    """

    least_ns: int | None = None

    @property
    def words(self) -> str:
        return "on change" if self.least_ns is None else f"on change, at least every {_length(self.least_ns)}"


@dataclass(frozen=True, slots=True)
class InAnswer(Occasion):
    """To each frame heard in which a condition holds."""

    condition: str

    @property
    def words(self) -> str:
        return f"in answer to {self.condition}"


_BURST = re.compile(r"(\d{1,6})\s+times\s+every\s+([^,]+?)(?:\s*,\s*again\s+every\s+(.+))?")
_CHANGE = re.compile(r"on\s+change(?:\s*,\s*at\s+least\s+every\s+(.+))?")
_ANSWER = re.compile(r"in\s+answer\s+to\s+(.+)", re.DOTALL)


def parse_occasion(text: str) -> Occasion:
    """Read when a message goes out.

    Raises
    ------
    MisuseError
        If it says no such thing.
    """
    text = text.strip()
    if found := _ANSWER.fullmatch(text):
        return InAnswer(found[1])
    if found := _CHANGE.fullmatch(text):
        return OnChange(duration_ns(found[1]) if found[1] else None)
    if found := _BURST.fullmatch(text):
        return _bursts(found)
    try:
        return Every(duration_ns(text.removeprefix("every ").lstrip()))
    except MisuseError as error:
        raise MisuseError(error.message, hint=f"Write one such as {_EXAMPLES}.") from error


def _bursts(found: re.Match[str]) -> Bursts:
    made = Bursts(int(found[1]), duration_ns(found[2]), duration_ns(found[3]) if found[3] else None)
    if not 1 <= made.times <= _MOST_TIMES:
        raise MisuseError(f"a burst has 1 to {_MOST_TIMES} frames.", where=found[0])
    if made.again_ns is not None and made.again_ns < made.times * made.apart_ns:
        raise MisuseError(
            "a burst would begin before the one before it is over.", where=found[0],
            hint=f"{made.times} times every {_length(made.apart_ns)} takes {_length(made.times * made.apart_ns)}.",
        )  # fmt: skip
    return made


def occasion_words(text: str) -> str:
    """Return when a message goes out in the words that a sentence takes; what makes no sense stays as it is."""
    try:
        return parse_occasion(text).words
    except MisuseError:
        return f"every {text}"


def _length(length_ns: int) -> str:
    # 1.5 s reads better than 1500 ms, and 50 ms better than 0.05 s
    units = (("s", 1_000_000_000), ("ms", 1_000_000), ("µs", 1_000))
    unit, size = next((one for one in units if length_ns >= one[1]), units[-1])
    return f"{format_exact(Fraction(length_ns, size))} {unit}"
