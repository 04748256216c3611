"""What bears out the values of a layout: checks, counters, names, limits and references that hold."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.checks import FramesInScope
from ..codec.columns import CheckState, Decoded, FieldColumn, Validity
from ..codec.plan import Plan
from ..codec.scope import Scope
from ..frames.capture import Capture
from ..frames.segment_frames import KindFrames
from ..layouts.model import Field, FieldKind, Layout

_TIE_HOLDS = 0.98
_TELLING = 0.25
"""Names or limits that a quarter of all values would keep say little about a layout that was tied by hand."""
_BY_CHANCE_CHECK = 1 / 16
"""A check of four bits, the narrowest in use, agrees this often by chance."""


def says_something(field: Field) -> bool:
    """Return whether a field says what its bits mean: raw bytes and a text without a name of its own do not."""
    if field.kind is FieldKind.TEXT:
        return field.name.rstrip("0123456789 ").casefold() not in ("", "text", "field", "string")
    return field.kind is not FieldKind.BYTES


@dataclass(slots=True, eq=False)
class Proofs:
    """What holds in frames that something could have contradicted.

    Attributes
    ----------
    under : bool (n, w * 8)
        Bits under a check over bytes that agrees.
    fields
        By id, in which frames a field's value is borne out; bool (n,).
    chance
        How likely all that could be checked would hold by chance in one frame, roughly.
    kept
        Share of the frames in which nothing was contradicted.
    """

    under: NDArray[np.bool_]
    fields: dict[UUID, NDArray[np.bool_]]
    chance: float = 1.0
    kept: float = 1.0

    @classmethod
    def of(cls, capture: Capture, plan: Plan, decoded: Decoded, frames: KindFrames) -> Proofs:
        """Look at checks, names and limits."""
        made = cls(np.zeros((len(frames), frames.matrix.shape[1] * 8), np.bool_), {})
        made._look_at_checks(capture, plan, decoded, frames)
        for column in decoded.columns.values():
            made._look_at_values(plan.layout, column, np.arange(len(frames)), len(frames))
        for array in decoded.arrays.values():
            for column in array.columns.values():
                made._look_at_values(plan.layout, column, array.frame, len(frames))
        return made

    @property
    def are_telling(self) -> bool:
        """Whether a layout that only a tie brought here may count."""
        return self.chance <= _TELLING and self.kept >= _TIE_HOLDS

    def bear_out(self, decoded: Decoded, fields: Collection[UUID]) -> None:
        """Note that fields agree with a reference, wherever they have a value."""
        for field_id in fields:
            column = decoded.columns.get(field_id)
            if column is not None:
                self._add(field_id, column.has_value)

    def _look_at_checks(self, capture: Capture, plan: Plan, decoded: Decoded, frames: KindFrames) -> None:
        scope = Scope(len(frames))
        scope.add_special("size", frames.sizes)
        scope.add_special("address", capture.frames.addresses(frames.rows))
        scope.add(decoded.columns)
        checked = FramesInScope(frames.matrix, frames.sizes, scope, plan.layout.fields)
        over_frames = {check.id for check in plan.layout.checks}
        for column in decoded.checks.values():
            check, agrees = column.check, column.state == CheckState.AGREES
            # what a check of a part is taken over is counted from the part, which is elsewhere in every frame
            under = check.bits_under(checked) if check.id in over_frames else None
            borne_out = check.bears_out(plan.layout)
            if borne_out or under is not None:
                self._note(agrees, agrees | (column.state == CheckState.NOT_THERE), _BY_CHANCE_CHECK)
            for field_id in borne_out:
                self._add(field_id, agrees)
            if under is not None:
                self.under |= agrees[:, None] & under

    def _look_at_values(self, layout: Layout, column: FieldColumn, frame: NDArray[np.int64], count: int) -> None:
        computed = next((value for value in layout.all_computed() if value.id == column.field.id), None)
        # any result of an expression may be a number, so that some have names says nothing of bits
        likely = 1.0 if computed is not None and computed.names else _likely_by_chance(column.field)
        if likely >= 1 or column.raw is None:
            return
        good = column.has_value & (column.validity != Validity.OUTSIDE_LIMITS)
        if column.field.kind is FieldKind.NAMES:
            good &= column.label_codes() >= 0
        bad = np.zeros(count, np.bool_)
        bad[frame[column.has_value & ~good]] = True
        held = np.zeros(count, np.bool_)
        held[frame[good]] = True
        moves = len(column.raw) > 1 and bool((column.raw != column.raw[0]).any())
        self._note(held & ~bad, ~bad, likely if moves else 1.0)
        if computed is None:
            self._add(column.field.id, held & ~bad)
        else:
            self._hold(layout, computed.names_used, held & ~bad)

    def _hold(self, layout: Layout, names: Collection[str], frames: NDArray[np.bool_]) -> None:
        """Note that what an expression says of fields holds."""
        for field in layout.all_fields():
            if field.name in names:
                self._add(field.id, frames)

    def _add(self, field_id: UUID, frames: NDArray[np.bool_]) -> None:
        self.fields[field_id] = self.fields[field_id] | frames if field_id in self.fields else frames

    def _note(self, held: NDArray[np.bool_], kept: NDArray[np.bool_], likely: float) -> None:
        if held.any():
            self.chance *= likely
        self.kept = min(self.kept, float(kept.mean()) if len(kept) else 1.0)


def _likely_by_chance(field: Field) -> float:
    """Return which share of all raw values names or limits let through; 1 if they could contradict nothing."""
    low, high = field.raw_range()
    width = high - low + 1
    if field.kind is FieldKind.NAMES:
        return min(sum(min(named.last, high) - max(named.raw, low) + 1 for named in field.names) / width, 1.0)
    if (field.low is None and field.high is None) or field.kind is FieldKind.FLOAT or field.is_curved:
        # of floats and curves the share is not this simple: limits that most bit patterns break
        return _TELLING if field.low is not None or field.high is not None else 1.0
    ends = sorted([_raw_at(field, field.low, low), _raw_at(field, field.high, high)])
    return max(min(ends[1], high) - max(ends[0], low) + 1, 0) / width


def _raw_at(field: Field, value: object, without: int) -> float:
    """Return the raw value that a limit stands at, ``without`` if there is no limit on this side."""
    if value is None or not field.ratio:
        return without if not field.ratio or field.ratio > 0 else sum(field.raw_range()) - without
    return float((value - field.offset) / field.ratio)  # type: ignore[operator]
