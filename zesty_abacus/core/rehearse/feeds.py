"""What feeds a field over time: a constant, a movement, chance, a table, another field, another message, a sensor."""

from __future__ import annotations

import math
from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction

import numpy as np

from ..codec.encode import Value
from ..errors import MisuseError
from ..expressions.exactly import evaluate_exactly
from ..expressions.expression import Expression
from ..expressions.tree import ExpressionError
from .listening import HeardField, Listening

Known = Mapping[str, Fraction]


class FeedError(MisuseError):
    """Words that say no feed."""


class NotHeardError(FeedError):
    """A field of which nothing has been heard yet."""


class Feed(ABC):
    """Gives a value for each moment.

    Every feed answers the same for the same moment and frame, so that a run can be made again.
    """

    @abstractmethod
    def value(self, time_s: float, number: int, known: Known) -> Value:
        """Return the value at a time.

        Parameters
        ----------
        time_s
            Seconds since it began.
        number
            How many frames were sent before.
        known
            Values of the fields that are fed before this one, by name.

        Raises
        ------
        FeedError
            If there is none.
        """

    @property
    @abstractmethod
    def words(self) -> str:
        """Return it as it is written; :func:`parse_feed` reads the same feed from it."""

    @property
    def moves(self) -> bool:
        """Whether it may give another value at another time."""
        return True

    @property
    def names(self) -> frozenset[str]:
        """The fields that it is worked out from."""
        return frozenset()

    @property
    def listens(self) -> bool:
        """Whether it passes on what is heard."""
        return False

    def listening_to(self, listening: Listening | None) -> Feed:
        """Return the feed with somebody to ask what was heard."""
        return self


@dataclass(frozen=True, slots=True, kw_only=True)
class Constant(Feed):
    """The same value always: a number, a text, or the name of a value."""

    text: str

    def value(self, time_s: float, number: int, known: Known) -> Value:
        return self.text

    @property
    def moves(self) -> bool:
        return False

    @property
    def words(self) -> str:
        return self.text


@dataclass(frozen=True, slots=True, kw_only=True)
class Ramp(Feed):
    """Straight from one value to another; then it stays there, or begins again."""

    first: float
    last: float
    in_s: float
    again: bool = False

    def value(self, time_s: float, number: int, known: Known) -> Value:
        share = time_s / self.in_s
        share = share % 1.0 if self.again else min(max(share, 0.0), 1.0)
        return self.first + (self.last - self.first) * share

    @property
    def words(self) -> str:
        return f"{'saw' if self.again else 'ramp'} {_short(self.first)} to {_short(self.last)} in {_short(self.in_s)} s"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sine(Feed):
    """Up and down between two values, beginning in their middle."""

    low: float
    high: float
    in_s: float

    def value(self, time_s: float, number: int, known: Known) -> Value:
        middle, swing = (self.low + self.high) / 2, (self.high - self.low) / 2
        return middle + swing * math.sin(2 * math.pi * time_s / self.in_s)

    @property
    def words(self) -> str:
        return f"sine {_short(self.low)} to {_short(self.high)} in {_short(self.in_s)} s"


@dataclass(frozen=True, slots=True, kw_only=True)
class Steps(Feed):
    """One value after the other, each for some time, again and again."""

    values: tuple[str, ...]
    each_s: float

    def value(self, time_s: float, number: int, known: Known) -> Value:
        return self.values[int(max(time_s, 0.0) / self.each_s) % len(self.values)]

    @property
    def words(self) -> str:
        return f"steps {', '.join(self.values)} each {_short(self.each_s)} s"


@dataclass(frozen=True, slots=True, kw_only=True)
class Chance(Feed):
    """Any value between two, another one for each frame."""

    low: float
    high: float
    seed: int = 1

    def value(self, time_s: float, number: int, known: Known) -> Value:
        return float(_random(self.seed, number).uniform(self.low, self.high))

    @property
    def words(self) -> str:
        return f"random {_short(self.low)} to {_short(self.high)}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Points(Feed):
    """Straight between points in time; before the first and behind the last it stays."""

    times_s: tuple[float, ...]
    values: tuple[float, ...]

    def value(self, time_s: float, number: int, known: Known) -> Value:
        return float(np.interp(time_s, self.times_s, self.values))

    @property
    def words(self) -> str:
        points = zip(self.times_s, self.values, strict=True)
        return "table " + ", ".join(f"{_short(time)} s {_short(value)}" for time, value in points)


@dataclass(frozen=True, slots=True, kw_only=True)
class Trace(Feed):
    """What was recorded: a column of a table over its own time, straight between its rows; the last value stays.

    Attributes
    ----------
    file, column
    speed
        How many times as fast as it was recorded.
    points
        The column, read when the feed was.
    """

    file: str
    column: str
    speed: float = 1.0
    points: Points

    def value(self, time_s: float, number: int, known: Known) -> Value:
        return self.points.value(time_s * self.speed, number, known)

    @property
    def words(self) -> str:
        at = "" if self.speed == 1 else f" at {_short(self.speed)} times"
        return f"trace {self.file} {self.column}{at}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Worked(Feed):
    """Worked out from other fields of the same message."""

    expression: Expression

    def value(self, time_s: float, number: int, known: Known) -> Value:
        try:
            found = evaluate_exactly(self.expression, known, {})
        except ExpressionError as error:
            raise FeedError(f"{error}", where=f"= {self.expression}") from error
        if found is None:
            raise FeedError("it has no value.", where=f"= {self.expression}")
        return found

    @property
    def names(self) -> frozenset[str]:
        return frozenset(self.expression.names)

    @property
    def words(self) -> str:
        return f"= {self.expression}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Heard(Feed):
    """What was heard last of a field of another message, or at the moment when a condition held last.

    Attributes
    ----------
    heard
    otherwise
        The value as long as nothing was heard; None is none.
    listening
        Who knows what was heard; None where nothing is.
    """

    heard: HeardField
    otherwise: str | None = None
    listening: Listening | None = field(default=None, compare=False)

    def value(self, time_s: float, number: int, known: Known) -> Value:
        found = self.listening.value(self.heard) if self.listening is not None else None
        if found is not None:
            return found
        if self.otherwise is None:
            raise NotHeardError("nothing has been heard of it yet.", where=f"{self.heard.message}.{self.heard.field}")
        return self.otherwise

    @property
    def listens(self) -> bool:
        return True

    def listening_to(self, listening: Listening | None) -> Feed:
        return replace(self, listening=listening)

    @property
    def words(self) -> str:
        otherwise = "" if self.otherwise is None else f" else {self.otherwise}"
        when = f" when {self.heard.when}" if self.heard.when else ""
        return f"heard `{self.heard.message}`.`{self.heard.field}`{otherwise}{when}"


@dataclass(frozen=True, slots=True, kw_only=True)
class Sensor(Feed):
    """What a sensor shows of another feed: later, and with noise.

    Attributes
    ----------
    of
    lag_s
        By how much it is behind.
    noise
        Standard deviation.
    """

    of: Feed
    lag_s: float = 0.0
    noise: float = 0.0
    seed: int = 1

    def value(self, time_s: float, number: int, known: Known) -> Value:
        shown = self.of.value(max(time_s - self.lag_s, 0.0), number, known)
        if not self.noise:
            return shown
        try:
            return float(Fraction(str(shown))) + float(_random(self.seed, number).normal(0.0, self.noise))
        except (ValueError, TypeError):
            raise FeedError(f"{shown!r} is no number that noise could be added to.") from None

    @property
    def listens(self) -> bool:
        return self.of.listens

    def listening_to(self, listening: Listening | None) -> Feed:
        return replace(self, of=self.of.listening_to(listening))

    @property
    def words(self) -> str:
        if isinstance(self.of, Constant) and not self.lag_s:
            return f"noise {self.of.text} by {_short(self.noise)}"
        lag = f" with lag {_short(self.lag_s)} s" if self.lag_s else ""
        return self.of.words + lag + (f" with noise {_short(self.noise)}" if self.noise else "")


def _short(value: float) -> str:
    """Return a number as short as it can be read back."""
    text = repr(float(value))
    return text.removesuffix(".0")


def _random(seed: int, number: int) -> np.random.Generator:
    # by the frame's number, so that a run can be made again from any point
    return np.random.default_rng((seed, number))
