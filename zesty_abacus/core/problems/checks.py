"""Frames whose checks disagree: those of the link, and those of the layout that make values invalid."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import CheckState, Decoded
from ..frames import flags as F
from ..layouts.checks.check import Check
from ..layouts.model import Layout
from ..words import grouped
from .problem import Problem, ProblemKind
from .seen import KindSeen
from .watch import Watch


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield the frames of a kind that broke a check of their link."""
    places = np.flatnonzero(seen.flags & np.uint32(F.BAD_CHECK))
    if len(places):
        yield seen.problem(ProblemKind.CHECK, places, _reason("The check of the link", len(places), len(seen)))


class Disagreeing(Watch):
    """Frames in which a check of a layout disagrees."""

    def __init__(self, layout: Layout) -> None:
        super().__init__(layout)
        self._checks: dict[UUID, Check] = {}
        self._bad: defaultdict[UUID, list[NDArray[np.int64]]] = defaultdict(list)
        self._made: defaultdict[UUID, int] = defaultdict(int)

    def add(self, places: NDArray[np.int64], decoded: Decoded) -> None:
        # those of parts, and of what is carried, came out with the frames, too
        for key, column in decoded.checks.items():
            if column.check.spoils:
                self._checks[key] = column.check
                self._bad[key].append(places[column.state == CheckState.DISAGREES])
                self._made[key] += int((column.state != CheckState.NOT_THERE).sum())

    def problems(self, seen: KindSeen) -> Iterator[Problem]:
        for key, check in self._checks.items():
            places = np.concatenate([*self._bad[key], np.empty(0, np.int64)]).astype(np.int64)
            # what the link has told already is no second fault, though it may be the same sum
            places = places[seen.flags[places] & np.uint32(F.BAD_CHECK) == 0]
            if len(places):
                yield seen.problem(
                    ProblemKind.CHECK, places, _reason(f"Its {check.words()}", len(places), self._made[key]),
                    field=self._name(check), message=self.layout.name, share=len(places) / max(self._made[key], 1),
                )  # fmt: skip

    def _name(self, check: Check) -> str:
        """Return the field that holds it, its own name if none does."""
        held = check.held_by()
        return next((field.name for field in self.layout.all_fields() if field.id in held), check.name)


def _reason(what: str, bad: int, made: int) -> str:
    frames = "1 frame" if bad == 1 else f"{grouped(bad)} frames"
    return f"{what} disagrees in {frames} of {grouped(made)}."
