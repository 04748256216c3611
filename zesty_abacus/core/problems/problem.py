"""One thing that is wrong, with every place where it is."""

from __future__ import annotations

from dataclasses import dataclass
from enum import StrEnum
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray


class ProblemKind(StrEnum):
    """What may be wrong, what weighs most first: a reading list is in this order."""

    LINE_FAULT = "line-fault"
    TWO_SENDERS = "two-senders"
    CHECK = "check"
    VANISHED = "vanished"
    LOST_COUNT = "lost-count"
    GAP = "gap"
    UNANSWERED = "unanswered"
    REFUSED = "refused"
    BUS_LOAD = "bus-load"
    OUTSIDE_LIMITS = "outside-limits"
    STUCK = "stuck"
    UNAVAILABLE = "unavailable"
    SIZE_CHANGED = "size-changed"
    APPEARED = "appeared"
    SLOW_ANSWER = "slow-answer"
    JITTER = "jitter"
    UNKNOWN_MESSAGE = "unknown-message"

    @property
    def words(self) -> str:
        """Return what a problem of this kind is called in a list."""
        return _WORDS[self]


_WORDS = {
    ProblemKind.LINE_FAULT: "line fault",
    ProblemKind.TWO_SENDERS: "two senders",
    ProblemKind.CHECK: "check disagrees",
    ProblemKind.VANISHED: "vanished",
    ProblemKind.LOST_COUNT: "lost frames",
    ProblemKind.GAP: "gap",
    ProblemKind.UNANSWERED: "unanswered",
    ProblemKind.REFUSED: "refused",
    ProblemKind.BUS_LOAD: "bus load",
    ProblemKind.OUTSIDE_LIMITS: "outside limits",
    ProblemKind.STUCK: "stands still",
    ProblemKind.UNAVAILABLE: "not available",
    ProblemKind.SIZE_CHANGED: "size changed",
    ProblemKind.APPEARED: "appeared",
    ProblemKind.SLOW_ANSWER: "slow answer",
    ProblemKind.JITTER: "off its time",
    ProblemKind.UNKNOWN_MESSAGE: "unknown message",
}


class ProblemKey(NamedTuple):
    """What a problem is about; the same in every run, so that it can be set aside, or given a limit.

    Address and flags are None where it is about a lane as a whole.
    """

    kind: str
    lane: str
    address: int | None
    flags: int | None
    field: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class Problem:
    """One thing that is wrong.

    Attributes
    ----------
    kind
    lane
        Name of the lane.
    address, flags
        Of the kind of message; None where the lane as a whole is meant.
    message
        Which layout reads it; empty if none does, or it does not matter.
    field
        Which field or check it is about; empty if none.
    time_ns : int64 (n,)
        Each place: a frame at fault, or where a gap or stretch begins.
    worst_place
        Which of the places is the worst one.
    worst
        How bad it is there, in seconds, per cent, bytes, frames or the unit of the field; None where nothing is
        measured.
    reason
        What was seen, as a sentence.
    share
        Which part of the frames that could be at fault is, 0 to 1.
    kind_number
        Of the capture's kinds; None of a lane as a whole.
    """

    kind: ProblemKind
    lane: str
    address: int | None
    flags: int | None
    message: str
    field: str
    time_ns: NDArray[np.int64]
    worst_place: int
    worst: float | None
    reason: str
    share: float
    kind_number: int | None

    @property
    def key(self) -> ProblemKey:
        """What it is about."""
        return ProblemKey(self.kind.value, self.lane, self.address, self.flags, self.field)

    @property
    def count(self) -> int:
        """How many places there are."""
        return len(self.time_ns)

    @property
    def first_ns(self) -> int:
        """Time of the first place."""
        return int(self.time_ns[0])

    @property
    def worst_ns(self) -> int:
        """Time of the worst place."""
        return int(self.time_ns[self.worst_place])


def ranked(problems: list[Problem]) -> list[Problem]:
    """Return problems in the order in which to read them: what weighs most first, then what is at fault most often."""
    weights = {kind: number for number, kind in enumerate(ProblemKind)}
    return sorted(
        problems, key=lambda one: (weights[one.kind], -one.share, one.lane, one.address or 0, one.flags or 0, one.field)
    )
