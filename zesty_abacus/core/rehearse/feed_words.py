"""Feeds as a command line and a rehearsal write them:

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

import re
from collections.abc import Callable
from dataclasses import replace
from itertools import pairwise
from pathlib import Path

import numpy as np

from ..captures.reference import read_reference
from ..expressions.expression import Expression
from ..expressions.quantities import read_quantity
from ..expressions.tree import ExpressionError
from .feeds import Chance, Constant, Feed, FeedError, Heard, Points, Ramp, Sensor, Sine, Steps, Trace, Worked
from .listening import HeardField

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
    # what stands behind "when" is a condition, whatever its words are
    if (found := _SENSOR.fullmatch(text)) and " when " not in found[1]:
        return _sensor(parse_feed(found[1]), found[2], found[3])
    if first == "heard" and (found := _HEARD.fullmatch(text)) and (made := _heard(found)) is not None:
        return made
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
    if what == "lag" and of.listens:
        raise FeedError("what was heard is known as it is, not as it was.", hint="Use a condition: … when size == 2.")
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
