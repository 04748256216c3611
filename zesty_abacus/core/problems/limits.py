"""What a trial says of problems: limits of its own, and what was looked at and set aside."""

from __future__ import annotations

from collections.abc import Iterable

import msgspec

from ..errors import MisuseError
from ..expressions.quantities import read_quantity
from ..expressions.tree import ExpressionError
from .problem import ProblemKey, ProblemKind

LIMITED = {
    ProblemKind.GAP: "s",
    ProblemKind.JITTER: "s",
    ProblemKind.SLOW_ANSWER: "s",
    ProblemKind.STUCK: "s",
    ProblemKind.UNAVAILABLE: "s",
    ProblemKind.BUS_LOAD: "%",
}
"""Problems that a message, field or lane may have a limit for, with its unit. Limits of values are the layout's."""


def limit_of(kind: ProblemKind, text: str) -> float:
    """Return a limit as typed, ``300 ms`` or ``60 %``, in the unit that such problems have.

    Raises
    ------
    MisuseError
        If it is no number, or of another quantity.
    """
    unit = LIMITED[kind]
    try:
        found = read_quantity(text, unit)
    except ExpressionError as error:
        raise MisuseError(str(error), hint=f"A limit for this is in {unit}.") from error
    if found is None:
        raise MisuseError(f"{text!r} is no limit.", hint="Write a number with a unit, as 300 ms or 60 %.")
    return float(found)


class OfProblem(msgspec.Struct, frozen=True, kw_only=True, omit_defaults=True):
    """What a trial says of a problem: which one it is about."""

    problem: str
    lane: str
    address: int | None = None
    flags: int | None = None
    field: str = ""

    @property
    def key(self) -> ProblemKey:
        """What it is about."""
        return ProblemKey(self.problem, self.lane, self.address, self.flags, self.field)


class Limit(OfProblem, frozen=True, kw_only=True, omit_defaults=True):
    """How far a message, a field or a lane may go before it is a problem.

    Attributes
    ----------
    value
        Longest distance of a gap, largest deviation of jitter, longest answer, longest stretch, in seconds; highest
        load of a bus in per cent.
    """

    value: float


class SetAside(OfProblem, frozen=True, kw_only=True, omit_defaults=True):
    """A problem that was looked at, and why it is none."""

    reason: str


class Limits:
    """The limits of a trial, looked up by what they are about."""

    def __init__(self, limits: Iterable[Limit] = ()) -> None:
        self._values = {limit.key: limit.value for limit in limits}

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Limits) and self._values == other._values

    __hash__ = None  # type: ignore[assignment]

    def value(self, key: ProblemKey) -> float | None:
        """Return the limit of something, None if it has none of its own."""
        return self._values.get(key)

    def about(self, lane: str, address: int | None, flags: int | None) -> Limits:
        """Return only the limits of one kind of message, or of a lane as a whole."""
        mine = Limits()
        mine._values = {key: value for key, value in self._values.items() if key[1:4] == (lane, address, flags)}
        return mine
