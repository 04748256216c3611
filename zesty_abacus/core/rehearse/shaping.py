"""A feed's curve taken by its corners and drawn otherwise."""

from __future__ import annotations

import bisect
from dataclasses import dataclass, replace
from fractions import Fraction

from .feeds import Chance, Constant, Feed, Points, Ramp, Sensor, Sine, Steps

_SHORTEST_S = 0.01
"""A movement takes at least so long, and points of a table are so far apart."""
_AT_ONCE_S = 1e-3
"""What is put nearer to the beginning stands there: nobody draws as finely as that."""


@dataclass(frozen=True, slots=True)
class Corner:
    """A place of a curve by which it can be taken.

    Attributes
    ----------
    time_s
        Seconds since the feed began, of its first period where it has one; None where it is the same at all times.
    value
    """

    time_s: float | None
    value: float


def period_s(feed: Feed) -> float | None:
    """Return after what time a curve begins again, None if it does not."""
    match feed:
        case Sensor(of=of):
            return period_s(of)
        case Ramp(again=True, in_s=in_s) | Sine(in_s=in_s):
            return in_s
        case Steps(values=values, each_s=each_s):
            return each_s * len(values)
    return None


def corners(feed: Feed) -> tuple[Corner, ...]:
    """Return by what a curve can be taken; nothing where it is recorded, heard or worked out, or names values."""
    match feed:
        case Constant(text=text):
            number = _number(text)
            return () if number is None else (Corner(None, number),)
        case Ramp(first=first, last=last, in_s=in_s):
            return Corner(0.0, first), Corner(in_s, last)
        case Sine(low=low, high=high, in_s=in_s):
            return Corner(in_s / 4, high), Corner(in_s * 3 / 4, low)
        case Chance(low=low, high=high):
            return Corner(None, high), Corner(None, low)
        case Steps(values=values, each_s=each_s):
            numbers = [_number(value) for value in values]
            known = [number for number in numbers if number is not None]
            middles = (each_s * (place + 0.5) for place in range(len(values)))
            return tuple(map(Corner, middles, known)) if len(known) == len(numbers) else ()
        case Points(times_s=times, values=levels):
            return tuple(map(Corner, times, levels))
        case Sensor(of=of, lag_s=lag_s):
            return tuple(Corner(None if one.time_s is None else one.time_s + lag_s, one.value) for one in corners(of))
    return ()


def shaped(feed: Feed, number: int, time_s: float, value: float) -> Feed:
    """Return the feed with one of its corners moved.

    Parameters
    ----------
    number
        Of the corner, as :func:`corners` gives them.
    time_s
        Where it is put; what has no time, or must come after another corner, goes only as far as it can.
    """
    match feed:
        case Constant():
            return Constant(text=_text(value))
        case Ramp():
            return (
                replace(feed, first=value) if number == 0 else replace(feed, last=value, in_s=max(time_s, _SHORTEST_S))
            )
        case Sine():
            share = 4.0 if number == 0 else 4 / 3
            moved = replace(feed, in_s=max(time_s * share, _SHORTEST_S))
            return replace(moved, high=value) if number == 0 else replace(moved, low=value)
        case Chance(low=low, high=high):
            return replace(feed, high=max(value, low)) if number == 0 else replace(feed, low=min(value, high))
        case Steps(values=values):
            return replace(feed, values=(*values[:number], _text(value), *values[number + 1 :]))
        case Points():
            return _point_moved(feed, number, time_s, value)
        case Sensor(of=of, lag_s=lag_s):
            return replace(feed, of=shaped(of, number, time_s - lag_s, value))
    return feed


def with_corner(feed: Feed, time_s: float, value: float) -> Feed:
    """Return the feed with a corner more: a number and a ramp become points in time; others stay as they are."""
    match feed:
        case Constant(text=text) if (known := _number(text)) is not None:
            points = Points(times_s=(0.0,), values=(known,))
        case Ramp(again=False, first=first, last=last, in_s=in_s):
            points = Points(times_s=(0.0, in_s), values=(first, last))
        case Points():
            points = feed
        case Sensor(of=of, lag_s=lag_s):
            return replace(feed, of=with_corner(of, time_s - lag_s, value))
        case _:
            return feed
    if any(abs(time_s - one) < _SHORTEST_S for one in points.times_s) or time_s < 0:
        return feed
    time_s = time_s if time_s >= _AT_ONCE_S else 0.0
    place = bisect.bisect(points.times_s, time_s)
    return Points(
        times_s=(*points.times_s[:place], time_s, *points.times_s[place:]),
        values=(*points.values[:place], value, *points.values[place:]),
    )


def without_corner(feed: Feed, number: int) -> Feed:
    """Return the feed without one of its points; the last one stays."""
    match feed:
        case Sensor(of=of):
            return replace(feed, of=without_corner(of, number))
        case Points(times_s=times, values=values) if len(times) > 1:
            return Points(times_s=times[:number] + times[number + 1 :], values=values[:number] + values[number + 1 :])
    return feed


def _point_moved(feed: Points, number: int, time_s: float, value: float) -> Points:
    times, values = list(feed.times_s), list(feed.values)
    low = times[number - 1] + _SHORTEST_S if number else 0.0
    high = times[number + 1] - _SHORTEST_S if number + 1 < len(times) else time_s
    moved = max(min(time_s, high), low)
    times[number], values[number] = moved if moved >= _AT_ONCE_S else 0.0, value
    return Points(times_s=tuple(times), values=tuple(values))


def _number(text: str) -> float | None:
    try:
        return float(Fraction(text))
    except (ValueError, ZeroDivisionError, OverflowError):
        return None


def _text(value: float) -> str:
    return repr(float(value)).removesuffix(".0")
