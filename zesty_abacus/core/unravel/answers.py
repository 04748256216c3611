"""What was done against what answered it: actions down the side, bits across."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

from .finding import Finding, When


@dataclass(frozen=True, slots=True)
class AnswerPlace:
    """Bits that answer an action.

    Attributes
    ----------
    kind
        Number of the message in the capture.
    lane, address, places, when
        As findings have them.
    """

    kind: int
    lane: str
    address: int
    places: str
    when: tuple[When, ...]


@dataclass(frozen=True, slots=True)
class AnswerTable:
    """Answers by action and place.

    Attributes
    ----------
    actions
        What was done, as often as it was; in the order in which it was first done.
    places
        What answers any of them: what answers most of them first, then lane by lane.
    cells
        The finding of an action at a place, where there is one.
    """

    actions: tuple[tuple[str, int], ...]
    places: tuple[AnswerPlace, ...]
    cells: dict[tuple[str, AnswerPlace], Finding]


def answer_table(pairs: Iterable[tuple[int, Finding]], done: Sequence[str]) -> AnswerTable:
    """Return a table of reactions.

    Parameters
    ----------
    pairs
        Kinds and findings; those that are no reactions are left out.
    done
        The text of every action, in order of time.
    """
    cells: dict[tuple[str, AnswerPlace], Finding] = {}
    for kind, one in pairs:
        if one.kind == "reaction":
            key = str(one.parameters["moment"]), AnswerPlace(kind, one.lane, one.address, one.places, one.when)
            if key not in cells or one.confidence > cells[key].confidence:
                cells[key] = one
    answered: dict[AnswerPlace, int] = {}
    for _, place in cells:
        answered[place] = answered.get(place, 0) + 1
    ordered = sorted(answered, key=lambda place: (-answered[place], place.lane, place.address, place.places))
    return AnswerTable(tuple((text, done.count(text)) for text in dict.fromkeys(done)), tuple(ordered), cells)
