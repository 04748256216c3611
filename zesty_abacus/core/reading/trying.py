"""A layout tried on the frames of a kind: what each field, check and array of it gives."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from ..codec import wording
from ..codec.columns import ArrayColumns, CheckColumn, CheckState, FieldColumn, Validity
from ..codec.kinds import decode_frames
from ..codec.plan import Plan
from ..frames.capture import Capture
from ..frames.decimate import Curve
from ..frames.segment_frames import KindFrames
from ..layouts.model import Check, Field, FieldKind
from ..progress import Progress


@dataclass(frozen=True, slots=True, eq=False)
class TriedField:
    """What a field of a layout gives on the open capture.

    Attributes
    ----------
    low, high
        Range of the values that are drawn, also outside limits; NaN if there is none.
    frames, present, outside, silent
        Frames of the kind; those in which the field is present; outside limits; not available.
    unnamed
        Present frames whose value has no name, of a field with named values.
    text
        Of a text or of bytes the first that is there, with dots behind it if there are others; empty of numbers.
    """

    field: Field
    curve: Curve
    low: float
    high: float
    frames: int
    present: int
    outside: int
    silent: int
    unnamed: int
    text: str = ""


@dataclass(frozen=True, slots=True)
class TriedCheck:
    """How a check of a layout comes out on the open capture.

    Attributes
    ----------
    agrees, disagrees
        Frames; the others could not be checked.
    first_wrong_ns
        Time of the first frame in which it disagrees, None if there is none.
    """

    check: Check
    agrees: int
    disagrees: int
    first_wrong_ns: int | None


@dataclass(frozen=True, slots=True)
class TriedArray:
    """What an array or a list gives: in how many frames, how many items there, fewest and most."""

    name: str
    frames: int
    fewest: int
    most: int
    words: str


@dataclass(frozen=True, slots=True, eq=False)
class Tried:
    """What a layout gives on the open capture.

    Attributes
    ----------
    cut
        Frames that end before the layout does.
    others
        Frames of the kind that the layout does not ask for.
    """

    fields: tuple[TriedField, ...] = ()
    checks: tuple[TriedCheck, ...] = ()
    arrays: tuple[TriedArray, ...] = ()
    cut: int = 0
    others: int = 0


def try_layout(capture: Capture, plan: Plan, frames: KindFrames, progress: Progress) -> Tried:
    """Decode everything of a layout on the frames of a kind."""
    decoded = decode_frames(capture, plan, frames)
    fields = []
    for number, column in enumerate(decoded.columns.values()):
        progress.step(number / max(len(decoded.columns), 1), "trying on the capture")
        fields.append(_tried_field(column, frames))
    others = 0
    if decoded.columns and plan.layout.applies.looks_at_payload:
        others = int((next(iter(decoded.columns.values())).validity == Validity.OTHER_SHAPE).sum())
    cut = 0 if decoded.cut is None else int(decoded.cut.sum())
    checks = tuple(_tried_check(column, frames) for column in decoded.checks.values())
    arrays = tuple(_tried_array(array, len(frames)) for array in decoded.arrays.values())
    return Tried(tuple(fields), checks, arrays, cut, others)


def _tried_field(column: FieldColumn, frames: KindFrames) -> TriedField:
    curve = Curve.build(frames.time_ns, column.plot_values())
    low, high = curve.value_range()
    validity = column.validity
    absent = np.isin(validity, (Validity.ABSENT, Validity.TOO_SHORT, Validity.OTHER_SHAPE))
    unnamed = 0
    if column.field.kind is FieldKind.NAMES:
        unnamed = int(((column.label_codes() < 0) & column.has_value).sum())
    elif column.field.kind is FieldKind.BITS and column.raw is not None:
        known = sum(1 << named.raw for named in column.field.names)
        unnamed = int(((column.raw & ~column.raw.dtype.type(known) != 0) & column.has_value).sum())
    return TriedField(
        column.field, curve, low, high, len(validity), int((~absent).sum()),
        int((validity == Validity.OUTSIDE_LIMITS).sum()), int((validity == Validity.NOT_AVAILABLE).sum()), unnamed,
        _text_of(column),
    )  # fmt: skip


def _text_of(column: FieldColumn) -> str:
    if column.content is None or not len(there := np.flatnonzero(column.has_value)):
        return ""
    first = int(there[0])
    alike = (column.content[there] == column.content[first]).all(axis=1)
    if column.lengths is not None:
        alike &= column.lengths[there] == column.lengths[first]
    return wording.value_text(column, first) + ("" if alike.all() else " …")


def _tried_check(column: CheckColumn, frames: KindFrames) -> TriedCheck:
    wrong = np.flatnonzero(column.state == CheckState.DISAGREES)
    first = int(frames.time_ns[wrong[0]]) if len(wrong) else None
    return TriedCheck(column.check, column.count(CheckState.AGREES), len(wrong), first)


def _tried_array(array: ArrayColumns, count: int) -> TriedArray:
    per_frame = np.bincount(array.frame, minlength=count)
    numbers = () if array.lists else [column for column in array.columns.values() if not column.field.names]
    words = next((said for column in numbers if (said := wording.spread_words(column))), "")
    inside = per_frame[per_frame > 0]
    fewest, most = (int(inside.min()), int(inside.max())) if len(inside) else (0, 0)
    return TriedArray(array.name, len(inside), fewest, most, words)
