"""What each recording of an archive is like: how far it is explained, what is wrong, and the range of every field."""

from __future__ import annotations

from dataclasses import dataclass

from ..frames.activity import capture_activity
from ..problems.look import look_for_problems
from ..reading.explained import explain
from ..reading.meaning import Meaning
from .asking import distributions
from .task import Failed, Task, opened


@dataclass(frozen=True, slots=True)
class FieldRange:
    """What the good values of a field are like in one recording.

    Attributes
    ----------
    low, first_quartile, median, third_quartile, high
        In the unit of the field.
    """

    message: str
    field: str
    unit: str
    low: float
    first_quartile: float
    median: float
    third_quartile: float
    high: float


@dataclass(frozen=True, slots=True)
class Overview:
    """A recording.

    Attributes
    ----------
    frames
    claimed, proved
        Shares of the bits that move, 0 to 1; 0 where none does.
    problems
        How many faults there are, by their kind.
    fields
    """

    path: str
    frames: int
    claimed: float
    proved: float
    problems: dict[str, int]
    fields: tuple[FieldRange, ...]


def look_over(task: Task) -> Overview | Failed:
    """Return what a recording is like; in whatever process."""
    try:
        with opened(task) as meaning:
            return _overview(task.path, meaning)
    except Exception as error:
        # one bad recording must not stop a thousand others, whatever is wrong with it
        return Failed(task.path, str(error) or type(error).__name__)


def _overview(path: str, meaning: Meaning) -> Overview:
    capture = meaning.capture
    bits = [one.explained for one in explain(meaning, capture_activity(capture))]
    moving = sum(one.moving for one in bits) or 1
    problems: dict[str, int] = {}
    for problem in look_for_problems(meaning).problems:
        problems[problem.kind.value] = problems.get(problem.kind.value, 0) + problem.count
    fields: dict[tuple[str, str], FieldRange] = {}
    for kind in range(len(capture.kinds.keys)):
        for told in distributions(meaning, kind):
            # of several lanes with one message the first one speaks
            fields.setdefault((str(told["message"]), str(told["field"])), FieldRange(**told))  # type: ignore[arg-type]
    return Overview(
        path, len(capture), sum(one.claimed for one in bits) / moving, sum(one.proved for one in bits) / moving,
        problems, tuple(fields.values()),
    )  # fmt: skip
