"""A second way to ask conditions: frame by frame, with plain Python, sharing no code with the first."""

from __future__ import annotations

import operator
from dataclasses import dataclass, field
from fractions import Fraction

COMPARE = {
    "==": operator.eq,
    "!=": operator.ne,
    "<": operator.lt,
    "<=": operator.le,
    ">": operator.gt,
    ">=": operator.ge,
}


@dataclass
class OneFrame:
    """A frame as a test made it."""

    time_ns: int
    lane: str
    address: int
    flags: int
    payload: bytes
    before_of_kind: OneFrame | None = None
    before_of_lane: OneFrame | None = None
    row: int = 0


@dataclass
class Asked:
    """A condition as text, and what it says of a frame; ``field`` values are None where they are not good."""

    text: str
    holds: object
    parts: tuple = field(default_factory=tuple)


def comparison(name, symbol, literal, value):
    """Compare what ``value`` gives of a frame with an exact number; None never compares."""

    def holds(frame):
        found = value(frame)
        return found is not None and COMPARE[symbol](found, literal[1])

    return Asked(f"{name} {symbol} {literal[0]}", holds)


def both(one, other):
    return Asked(f"({one.text}) and ({other.text})", lambda frame: one.holds(frame) and other.holds(frame))


def either(one, other):
    return Asked(f"({one.text}) or ({other.text})", lambda frame: one.holds(frame) or other.holds(frame))


def never(one):
    return Asked(f"not ({one.text})", lambda frame: not one.holds(frame))


def then(one, other, within_ms):
    def holds(frame, frames):
        earlier = [old.time_ns for old in frames if old.time_ns < frame.time_ns and one.holds(old)]
        return other.holds(frame) and bool(earlier) and frame.time_ns - max(earlier) <= within_ms * 1_000_000

    return Asked(f"({one.text}) then ({other.text}) within {within_ms} ms", holds, (one, other))


def moved(how, name, value, level=None):
    """Compare a value with the newest earlier one of the kind that was good."""

    def holds(frame):
        now, old = value(frame), frame.before_of_kind
        while old is not None and value(old) is None:
            old = old.before_of_kind
        if now is None or old is None:
            return False
        was = value(old)
        if how == "crosses":
            return (was < level <= now) or (was > level >= now)
        return {"changes": was != now, "rises": now > was, "falls": now < was}[how]

    return Asked(f"{how}({name}{f', {level}' if level is not None else ''})", holds)


def seconds(frame, before):
    return None if before is None else Fraction(frame.time_ns - before.time_ns, 10**9)
