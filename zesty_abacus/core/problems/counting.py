"""Frames that are missing by their counter."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded
from ..layouts.checks.counter import Counter
from ..layouts.model import Layout
from ..words import grouped
from .problem import Problem, ProblemKind
from .seen import KindSeen
from .watch import Watch


@dataclass(frozen=True, slots=True, eq=False)
class Counted:
    """The numbers of a counter, as far as they can be believed.

    Attributes
    ----------
    places : int64 (n,)
        Which frames of the kind.
    numbers : int64 (n,)
    sender : int64 (n,)
        Equal for frames of one sender; how many frames each sender has sent up to this one stands in ``order``.
    order : int64 (n,)
    step, wraps
    """

    places: NDArray[np.int64]
    numbers: NDArray[np.int64]
    sender: NDArray[np.int64]
    order: NDArray[np.int64]
    step: int
    wraps: int

    def losses(self) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Return before which of the frames some are missing, and how many; int64 (m,) each.

        A number that stands still is a frame that came twice. Frames whose checks disagree are not missing, though
        their numbers are not looked at.
        """
        same = self.sender[1:] == self.sender[:-1]
        moved = self.numbers[1:] - self.numbers[:-1]
        expected = self.step * (self.order[1:] - self.order[:-1])
        behind = (moved - expected) % self.wraps
        found = np.flatnonzero(same & (behind != 0) & (moved % self.wraps != 0))
        steps = behind[found]
        if abs(self.step) != 1:
            # not every distance is a number of steps: what is none is one loss of an unknown size
            steps = np.where(steps % self.step == 0, steps // self.step, 1)
        elif self.step < 0:
            steps = (-steps) % self.wraps
        return found + 1, steps


class Losses(Watch):
    """Frames missing by the counters of a layout."""

    def __init__(self, layout: Layout) -> None:
        super().__init__(layout)
        self.counters = [check for check in layout.checks if isinstance(check, Counter)]
        self._seen = 0
        self._places: dict[Counter, list[NDArray[np.int64]]] = {one: [] for one in self.counters}
        self._orders: dict[Counter, list[NDArray[np.int64]]] = {one: [] for one in self.counters}
        self._columns: dict[Counter, list[NDArray[np.int64]]] = {one: [] for one in self.counters}

    def add(self, places: NDArray[np.int64], decoded: Decoded) -> None:
        for counter in self.counters:
            columns = [decoded.columns.get(one) for one in (counter.field, *counter.per)]
            if any(column is None or column.raw is None for column in columns):
                continue
            raw = np.stack([column.raw.astype(np.int64) for column in columns])  # type: ignore[union-attr]
            good = columns[0].has_value  # type: ignore[union-attr]
            self._places[counter].append(places[good])
            self._orders[counter].append(np.flatnonzero(good) + self._seen)
            self._columns[counter].append(raw[:, good])
        self._seen += len(places)

    def counted(self, counter: Counter) -> Counted | None:
        """Return the numbers of a counter, in order of sender and time; None if there are too few."""
        if sum(map(len, self._places[counter])) < 2:
            return None
        places, orders = np.concatenate(self._places[counter]), np.concatenate(self._orders[counter])
        columns = np.concatenate(self._columns[counter], axis=1)
        width = next(len(field.places) for field in self.layout.once_a_frame() if field.id == counter.field) or 62
        wraps = counter.wraps_at or 1 << min(width, 62)
        sender = np.zeros(len(places), np.int64)
        if counter.per:
            sender = np.unique(columns[1:], axis=1, return_inverse=True)[1].reshape(-1)
            order = np.argsort(sender, kind="stable")
            places, columns, sender = places[order], columns[:, order], sender[order]
            # with several senders only their own frames count, so a bad one of theirs is told as missing
            orders = np.arange(len(places))
        return Counted(places, columns[0], sender, orders, counter.step, wraps)

    def problems(self, seen: KindSeen) -> Iterator[Problem]:
        for counter in self.counters:
            counted = self.counted(counter)
            if counted is None:
                continue
            for part in _of_each_sender(counted, seen.of_another):
                found, missing = part.losses()
                # between two stretches of the recording nobody counted
                stretches = seen.stretches[part.places]
                heard = stretches[found] == stretches[found - 1]
                found, missing = found[heard], missing[heard]
                if len(found):
                    yield self._problem(seen, counter, part.places[found], missing, len(part.places))

    def _problem(
        self, seen: KindSeen, counter: Counter, places: NDArray[np.int64], missing: NDArray[np.int64], counted: int
    ) -> Problem:
        order = np.argsort(places, kind="stable")
        places, missing = places[order], missing[order]
        total = int(missing.sum())
        name = next(field.name for field in self.layout.once_a_frame() if field.id == counter.field)
        frames = "1 frame is" if total == 1 else f"{grouped(total)} frames are"
        where = "in one place" if len(places) == 1 else f"in {grouped(len(places))} places"
        most = "" if len(places) == 1 else f", at most {int(missing.max())} at once"
        return seen.problem(
            ProblemKind.LOST_COUNT, places, f"By its counter {frames} missing {where}{most}.", field=name,
            message=self.layout.name, amounts=missing.astype(np.float64), share=min(total / max(counted, 1), 1.0),
        )  # fmt: skip


def _of_each_sender(counted: Counted, of_another: NDArray[np.bool_]) -> Iterator[Counted]:
    others = of_another[counted.places]
    if not others.any():
        yield counted
        return
    first = np.flatnonzero(~others)
    # whoever sends the others has a counter of its own, which nobody waits for
    yield Counted(
        counted.places[first], counted.numbers[first], counted.sender[first], np.arange(len(first)), counted.step,
        counted.wraps,
    )  # fmt: skip
