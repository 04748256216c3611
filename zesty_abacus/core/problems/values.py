"""Values outside their limits, that stand still, or that are not available."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded, FieldColumn, Validity
from ..layouts.model import Field, FieldKind, Layout
from ..words import figure_text, grouped, span_text
from .problem import Problem, ProblemKind
from .runs import Runs, RunTable
from .seen import KindSeen
from .watch import Watch

_LONG = 30
"""Frames that a value stands still for at least before anybody wonders."""
_APART = 5
"""Times that a run is longer than all usual ones: a slow value has runs of all lengths, one that hangs has not."""
_MOST_STUCK = 5
_LIVELY = 0.3
"""Share of frames in which a value moves that is alive; slower ones stand still by themselves."""
_MANY_STRETCHES = 8
_USUAL_TIMES = 3


class OutsideLimits(Watch):
    """Values that are there and outside the limits of the layout, those of arrays too."""

    def __init__(self, layout: Layout) -> None:
        super().__init__(layout)
        self._fields: dict[UUID, Field] = {}
        self._found: defaultdict[UUID, list[tuple[NDArray[np.int64], NDArray[np.float64]]]] = defaultdict(list)
        self._present: defaultdict[UUID, int] = defaultdict(int)

    def add(self, places: NDArray[np.int64], decoded: Decoded) -> None:
        for column in decoded.columns.values():
            self._take(places, column)
        for array in decoded.arrays.values():
            for column in array.columns.values():
                self._take(places[array.frame], column)

    def _take(self, places: NDArray[np.int64], column: FieldColumn) -> None:
        field = column.field
        if (field.low is None and field.high is None) or column.value is None:
            return
        outside = np.flatnonzero(column.validity == Validity.OUTSIDE_LIMITS)
        self._present[field.id] += int(column.has_value.sum())
        if len(outside):
            self._fields[field.id] = field
            self._found[field.id].append((places[outside], column.value[outside].astype(np.float64)))

    def problems(self, seen: KindSeen) -> Iterator[Problem]:
        for key, field in self._fields.items():
            places = np.concatenate([found for found, _ in self._found[key]])
            values = np.concatenate([found for _, found in self._found[key]])
            frames, inverse = np.unique(places, return_inverse=True)
            beyond = _beyond(field, values)
            amounts = np.zeros(len(frames))
            np.maximum.at(amounts, inverse.reshape(-1), beyond)
            worst = float(values[int(np.argmax(beyond))])
            which = "1 value is" if len(values) == 1 else f"{grouped(len(values))} values are"
            yield seen.problem(
                ProblemKind.OUTSIDE_LIMITS, frames,
                f"{which} outside {_limits_text(field)}, at worst {_with_unit(worst, field)}.",
                field=field.name, message=self.layout.name, amounts=amounts, worst=worst,
                share=len(values) / max(self._present[key], 1),
            )  # fmt: skip


def _beyond(field: Field, values: NDArray[np.float64]) -> NDArray[np.float64]:
    below = float(field.low) - values if field.low is not None else np.full(len(values), -np.inf)
    above = values - float(field.high) if field.high is not None else np.full(len(values), -np.inf)
    return np.nan_to_num(np.maximum(below, above), nan=0.0)


def _limits_text(field: Field) -> str:
    low = None if field.low is None else figure_text(float(field.low))
    high = None if field.high is None else figure_text(float(field.high))
    unit = f" {field.unit}" if field.unit else ""
    if low is None or high is None:
        return f"the highest {high}{unit}" if low is None else f"the lowest {low}{unit}"
    return f"{low} to {high}{unit}"


def _with_unit(value: float, field: Field) -> str:
    return f"{figure_text(value)} {field.unit}".strip()


class Stuck(Watch):
    """Numbers that move in many frames, and then do not for far longer than ever."""

    def __init__(self, layout: Layout) -> None:
        super().__init__(layout)
        # a checksum stands still if all that it is over does, which is told of that
        held = {one for check in layout.checks if check.spoils for one in check.held_by()}
        self._fields = {
            field.id: field for field in layout.once_a_frame()
            if field.kind not in (FieldKind.FLAG, FieldKind.NAMES, FieldKind.TEXT, FieldKind.BYTES)
            and not field.names and field.id not in held
        }  # fmt: skip
        self._runs = {key: Runs(_LONG // 2) for key in self._fields}

    def add(self, places: NDArray[np.int64], decoded: Decoded) -> None:
        for key in self._fields:
            column = decoded.columns.get(key)
            if column is None or column.raw is None:
                continue
            known = column.has_value
            if known.all():
                self._runs[key].add(column.raw, places)
            else:
                self._runs[key].add(column.raw[known], places[known])

    def problems(self, seen: KindSeen) -> Iterator[Problem]:
        for key, field in self._fields.items():
            runs = self._runs[key]
            found = runs.finish()
            limit = seen.limit(ProblemKind.STUCK, field.name)
            if found is None:
                continue
            lengths_ns = seen.heard_ns[found.end] - seen.heard_ns[found.begin]
            chosen = _stuck(runs, found) if limit is None else np.flatnonzero(lengths_ns > limit * 1e9)
            if not len(chosen):
                continue
            lengths = lengths_ns[chosen]
            moves = (runs.count - 1) / max(runs.frames - int(found.length[chosen].sum()), 1)
            stretches = "once" if len(chosen) == 1 else f"{len(chosen)} times"
            yield seen.problem(
                ProblemKind.STUCK, found.begin[chosen],
                f"Moves in {min(moves, 1):.0%} of its frames, but stood still {stretches}, "
                f"{'' if len(chosen) == 1 else 'at longest '}for {span_text(int(lengths.max()))}.",
                field=field.name, message=self.layout.name, amounts=lengths / 1e9,
                share=float(found.length[chosen].sum()) / max(runs.frames, 1),
            )  # fmt: skip


def _stuck(runs: Runs, found: RunTable) -> NDArray[np.int64]:
    """Return which runs stand apart from all others of a value that is alive otherwise."""
    order = np.argsort(-found.length, kind="stable")
    lengths = found.length[order]
    # what lies below a run: the next one, or one that was too short to be kept
    below = np.append(lengths[1:], _LONG // 2)[: len(lengths)]
    jumps = np.flatnonzero((lengths >= _LONG) & (lengths >= _APART * below))
    jumps = jumps[jumps < _MOST_STUCK]
    if not len(jumps):
        return np.empty(0, np.int64)
    apart = order[: int(jumps[0]) + 1]
    moving = runs.frames - int(found.length[apart].sum())
    if runs.count - 1 < _LIVELY * moving or moving < _LONG:
        return np.empty(0, np.int64)
    # what is off or empty rests at nothing
    return np.sort(apart[found.value[apart] != 0])


class Unavailable(Watch):
    """Values that are not available, or a fault, for longer than usual."""

    def __init__(self, layout: Layout) -> None:
        super().__init__(layout)
        self._fields = {field.id: field for field in layout.once_a_frame() if field.unavailable or field.errors}
        self._runs = {key: Runs() for key in self._fields}

    def add(self, places: NDArray[np.int64], decoded: Decoded) -> None:
        for key in self._fields:
            column = decoded.columns.get(key)
            if column is None:
                continue
            there = column.has_value
            gone = (column.validity == Validity.NOT_AVAILABLE) | (column.validity == Validity.FAULT)
            said = np.flatnonzero(there | gone)
            self._runs[key].add(gone[said], places[said])

    def problems(self, seen: KindSeen) -> Iterator[Problem]:
        for key, field in self._fields.items():
            found = self._runs[key].finish()
            if found is None or bool(found.value.all()):
                # never available is usual: the sensor is not fitted
                continue
            gone = np.flatnonzero(found.value)
            lengths_ns = seen.heard_ns[found.end] - seen.heard_ns[found.begin]
            limit = seen.limit(ProblemKind.UNAVAILABLE, field.name)
            if limit is not None:
                gone = gone[lengths_ns[gone] > limit * 1e9]
            elif len(gone) >= _MANY_STRETCHES:
                gone = gone[found.length[gone] > _USUAL_TIMES * np.median(found.length[gone])]
            if len(gone):
                yield self._problem(seen, field, found.take(gone), int(found.length.sum()))

    def _problem(self, seen: KindSeen, field: Field, gone: RunTable, present: int) -> Problem:
        lengths = seen.heard_ns[gone.end] - seen.heard_ns[gone.begin]
        frames = int(gone.length.sum())
        in_frames = "1 frame" if frames == 1 else f"{grouped(frames)} frames"
        stretches = "once" if len(gone) == 1 else f"{len(gone)} times"
        longest = f", at longest for {span_text(int(lengths.max()))}" if lengths.max() else ""
        return seen.problem(
            ProblemKind.UNAVAILABLE, gone.begin, f"Not available {stretches}, in {in_frames}{longest}.",
            field=field.name, message=self.layout.name, amounts=lengths / 1e9, share=frames / max(present, 1),
        )  # fmt: skip
