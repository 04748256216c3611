"""What reading a recording gave besides frames: lanes, counts and everything that was wrong, with its place."""

from __future__ import annotations

import itertools
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from ..errors import DataError

LISTED_PROBLEMS = 1000
"""Problems kept with their place; the rest are only counted, so that a hostile file costs no memory."""


class CaptureReadError(DataError):
    """A recording of which nothing can be read."""


@dataclass(frozen=True, slots=True)
class ReadProblem:
    """One piece of a recording that was left out.

    Attributes
    ----------
    place
        ``line 12`` or ``byte 2048``.
    reason
        What is wrong with it.
    """

    place: str
    reason: str


@dataclass(slots=True)
class ReadReport:
    """The outcome of reading one recording.

    Attributes
    ----------
    format_name
    lanes
        Interface names in the order in which lane numbers were given; empty text where the format has none.
    bit_rates
        Of interfaces, by name, in bit/s, where the recording says so.
    frames
        How many frames were read.
    problems
        The first problems with their places.
    problem_count
        How many there were in all.
    facts
        What was assumed where the recording does not say it: a name and words each.
    holds_bytes
        Whether its frames are pieces of serial bytes, however they were cut; else they are those of a bus. It is
        known before the first of them.
    byte_ns
        How long each byte takes in its piece, known as early; None where nobody says.
    """

    format_name: str
    lanes: list[str] = field(default_factory=list)
    bit_rates: dict[str, int] = field(default_factory=dict)
    frames: int = 0
    problems: list[ReadProblem] = field(default_factory=list)
    problem_count: int = 0
    facts: list[tuple[str, str]] = field(default_factory=list)
    holds_bytes: bool = False
    byte_ns: int | None = None

    def add_problems(
        self, rows: Iterable[tuple[int, int]], count: int, words: Callable[[int, int], tuple[str, str]]
    ) -> None:
        """Count many problems at once, and list as many as there is room for.

        Parameters
        ----------
        rows
            (place, reason) of each, as a kernel gives them.
        count
            How many there are.
        words
            Makes place and reason of the words that are listed.
        """
        room = min(max(LISTED_PROBLEMS - len(self.problems), 0), count)
        for place, reason in itertools.islice(rows, room):
            self.problems.append(ReadProblem(*words(int(place), int(reason))))
        self.problem_count += count

    def add_problem(self, place: str, reason: str) -> None:
        """Count a problem, and list it while there is room."""
        self.problem_count += 1
        if len(self.problems) < LISTED_PROBLEMS:
            self.problems.append(ReadProblem(place, reason))
