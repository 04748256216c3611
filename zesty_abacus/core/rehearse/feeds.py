"""What feeds a field over time: a constant, a movement, chance, a table, another field, a sensor.

Each has a form in words, which is how a command line and a rehearsal write it:

==============================  ==========================================================
``12.5``, ``astern``            a constant: a number, or the name of a value
``ramp 0 to 10 in 5 s``         straight from one value to another, then it stays
``saw 0 to 10 in 5 s``          the same again and again
``sine 0 to 10 in 5 s``         up and down between two values, a whole wave in that time
``steps 0, 5, 10 each 2 s``     one value after the other, again and again
``random 0 to 10``              any value between two, another one each time
``noise 5 by 0.5``              around a value, with this standard deviation
``table 0 s 1, 2 s 5, 3 s 5``   straight between points in time; the last one stays
``= `water speed` * 2``         worked out from other fields of the message
``trace FILE COLUMN``           a column of a recorded table over its own time; ``… at 2 times``
``heard Motion.heel``           what was heard last of another message; ``… else 0``, ``… when size == 2``
==============================  ==========================================================

``… with lag 0.5 s`` and ``… with noise 0.1`` behind a movement make it what a sensor shows of it.
"""

from __future__ import annotations

import math
import re
from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from fractions import Fraction
from itertools import pairwise
from pathlib import Path

import numpy as np

from ..captures.reference import read_reference
from ..codec.encode import Value
from ..errors import MisuseError
from ..expressions.exactly import evaluate_exactly
from ..expressions.expression import Expression
from ..expressions.quantities import read_quantity
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


_NUMBER = r"[-+−]?\d+(?:\.\d+)?(?:[eE][-+]?\d+)?"
_SPAN = re.compile(rf"(ramp|saw|sine|random)\s+({_NUMBER})\s+to\s+({_NUMBER})(?:\s+in\s+(.+))?")
_STEPS = re.compile(r"steps\s+(.+?)\s+each\s+(.+)")
_NOISE = re.compile(rf"noise\s+({_NUMBER})\s+by\s+({_NUMBER})")
_TABLE = re.compile(r"table\s+(.+)")
_POINT = re.compile(rf"(.+?)\s+({_NUMBER})")
_SENSOR = re.compile(r"(.+)\s+with\s+(lag|noise)\s+(.+)")
_TRACE = re.compile(rf"trace\s+(\S+)\s+(.+?)(?:\s+at\s+({_NUMBER})\s+times)?")
_HEARD = re.compile(r"heard\s+(.+?)(?:\s+else\s+(\S+))?(?:\s+when\s+(.+))?", re.DOTALL)
_FIELD = re.compile(r"(?:`([^`]+)`|([^.`]+?))\s*\.\s*(?:`([^`]+)`|([^`]+))")
_WORDS = {"heard", "trace", "ramp", "saw", "sine", "random", "steps", "noise", "table"}


def parse_feed(text: str) -> Feed:
    """Read a feed as it is written.

    Raises
    ------
    FeedError
        If it begins like one and goes on otherwise.
    """
    text = text.strip()
    first = text.partition(" ")[0]
    if text.startswith("="):
        return _worked(text)
    if first not in _WORDS or first == text:
        return Constant(text=text)
    # before the sensor, whose words may stand in a condition
    if first == "heard" and (found := _HEARD.fullmatch(text)) and (made := _heard(found)) is not None:
        return made
    if found := _SENSOR.fullmatch(text):
        return _sensor(parse_feed(found[1]), found[2], found[3])
    for pattern, make in _FORMS:
        if found := pattern.fullmatch(text):
            return make(found)
    raise FeedError(f"{text[:60]!r} is no feed.", hint=f"Write it like: {_EXAMPLES[first]}.")


_EXAMPLES = {
    "ramp": "ramp 0 to 10 in 5 s", "saw": "saw 0 to 10 in 5 s", "sine": "sine 0 to 10 in 5 s",
    "random": "random 0 to 10", "steps": "steps 0, 5, 10 each 2 s", "noise": "noise 5 by 0.5",
    "table": "table 0 s 1, 2 s 5", "trace": "trace gnss.csv speed_kn",
    "heard": "heard Motion.heel else 0",
}  # fmt: skip


def _worked(text: str) -> Worked:
    try:
        return Worked(expression=Expression(text[1:].strip()))
    except ExpressionError as error:
        raise FeedError(error.message, where=text, hint=error.hint) from error


def _sensor(of: Feed, what: str, text: str) -> Sensor:
    sensor = of if isinstance(of, Sensor) else Sensor(of=of)
    return replace(sensor, lag_s=_seconds(text)) if what == "lag" else replace(sensor, noise=_number(text))


def _heard(found: re.Match[str]) -> Heard | None:
    field = _FIELD.fullmatch(found[1])
    if field is None:
        return None
    message, name = field[1] or field[2], field[3] or field[4]
    return Heard(heard=HeardField(message.strip(), name.strip(), (found[3] or "").strip()), otherwise=found[2])


def _span(found: re.Match[str]) -> Feed:
    word, low, high = found[1], _number(found[2]), _number(found[3])
    if word == "random":
        if found[4]:
            raise FeedError("random has no time.", hint=f"Write it like: {_EXAMPLES[word]}.")
        if low > high:
            low, high = high, low
        return Chance(low=low, high=high)
    if not found[4]:
        raise FeedError(f"{word} does not say in what time.", hint=f"Write it like: {_EXAMPLES[word]}.")
    in_s = _seconds(found[4])
    if word == "sine":
        return Sine(low=low, high=high, in_s=in_s)
    return Ramp(first=low, last=high, in_s=in_s, again=word == "saw")


def _steps(found: re.Match[str]) -> Feed:
    return Steps(values=tuple(one.strip() for one in found[1].split(",")), each_s=_seconds(found[2]))


def _noise(found: re.Match[str]) -> Feed:
    return Sensor(of=Constant(text=found[1]), noise=_number(found[2]))


def _table(found: re.Match[str]) -> Feed:
    times, values = [], []
    for one in found[1].split(","):
        point = _POINT.fullmatch(one.strip())
        if point is None:
            raise FeedError(f"{one.strip()!r} is no point.", hint=f"Write them like: {_EXAMPLES['table']}.")
        times.append(0.0 if _is_zero(point[1]) else _seconds(point[1]))
        values.append(_number(point[2]))
    if any(later <= earlier for earlier, later in pairwise(times)):
        raise FeedError("the times of a table rise.", where=found[0])
    return Points(times_s=tuple(times), values=tuple(values))


def _trace(found: re.Match[str]) -> Feed:
    file, column = found[1], found[2].strip("`")
    speed = _number(found[3]) if found[3] else 1.0
    if speed <= 0:
        raise FeedError("a trace goes at a speed above 0.", where=found[0])
    table = read_reference(Path(file))
    if column not in table.values:
        raise FeedError(f"there is no column {column!r}.", where=file, hint=f"It has {', '.join(table.values)}.")
    values = table.values[column]
    known = ~np.isnan(values)
    if not known.any():
        raise FeedError(f"the column {column!r} holds no number.", where=file)
    times = (table.time_ns[known] - table.time_ns[0]) / 1e9
    # of rows of one moment the last one counts, since times have to rise
    last = np.append(np.diff(times) > 0, True)
    points = Points(times_s=tuple(times[last].tolist()), values=tuple(values[known][last].tolist()))
    return Trace(file=file, column=column, speed=speed, points=points)


_FORMS: tuple[tuple[re.Pattern[str], Callable[[re.Match[str]], Feed]], ...] = (
    (_SPAN, _span), (_STEPS, _steps), (_NOISE, _noise), (_TABLE, _table), (_TRACE, _trace),
)  # fmt: skip


def _is_zero(text: str) -> bool:
    return re.fullmatch(r"0(?:\.0+)?\s*\S*", text.strip()) is not None


def _number(text: str) -> float:
    try:
        return float(text.replace("−", "-"))
    except ValueError:
        raise FeedError(f"{text!r} is no number.") from None


def _seconds(text: str) -> float:
    try:
        found = read_quantity(text, "s")
    except ExpressionError as error:
        raise FeedError(str(error)) from error
    if found is None or found <= 0:
        raise FeedError(f"{text!r} is no length of time.", hint="Write one such as 50 ms or 2 s.")
    return float(found)
