"""A field that goes up by a step from frame to frame."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import UUID, uuid4

import numpy as np

from ..attribute import NAME, Attribute, field_named, name_of_field, optional_whole, whole_or_one
from ..fields import Field, FieldKind
from ..problems import Said
from ..template import NothingToDoError, Template, free_name
from .check import Came, Check, CheckedFrames

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Counter(Check, frozen=True, kw_only=True, omit_defaults=True, tag="counter"):
    """A field that goes up by ``step`` and starts again behind its highest value.

    Attributes
    ----------
    wraps_at
        How many values it runs through; None is as many as its bits hold.
    per
        Fields that tell senders apart; each counts for itself.
    """

    field: UUID
    step: int = 1
    wraps_at: int | None = None
    per: tuple[UUID, ...] = ()

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("field", "field", "", field_named, writer=name_of_field),
        Attribute("step", "step", "1", whole_or_one),
        Attribute("wraps_at", "values", "all its bits hold", optional_whole),
    )  # fmt: skip
    spoils: ClassVar[bool] = False
    compares: ClassVar[str] = "frames"
    rank: ClassVar[int] = 0

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Counter", "checks", _add),)

    def words(self) -> str:
        return "counter"

    def fields(self) -> tuple[UUID, ...]:
        return (self.field, *self.per)

    def held_by(self) -> tuple[UUID, ...]:
        return (self.field,)

    def bears_out(self, layout: Layout) -> tuple[UUID, ...]:
        return (self.field,)

    def problems(self, known: Mapping[str, Field]) -> Said:
        width = next((len(field.places) for field in known.values() if field.id == self.field), 0) or 62
        wraps = self.wraps_at if self.wraps_at is not None else 1 << min(width, 62)
        if not 2 <= wraps <= 1 << min(width, 62):
            yield "wraps_at", f"{self.name} cannot run through {wraps} values in {width} bits."
        elif not -(1 << 62) <= self.step <= 1 << 62:
            yield "step", f"{self.name} cannot go by {self.step}; its steps have at most 62 bits."
        elif not self.step % wraps:
            yield "step", f"{self.name} never moves with steps of {self.step}."

    def agrees(self, frames: CheckedFrames) -> Came:
        bits, width, there = frames.bits(self.field)
        wraps = self.wraps_at or 1 << min(width, 62)
        numbers = bits.astype(np.int64)
        agrees = np.ones(len(numbers), np.bool_)
        rows = np.flatnonzero(there)
        changes = np.zeros(len(rows), np.bool_)
        if self.per:
            # the frames of a sender one behind the other, each sender's first one excused
            senders = [frames.raw(one)[0] for one in self.per]
            rows = rows[np.lexsort((rows, *(sender[rows] for sender in senders)))]
            for sender in senders:
                changes[1:] |= sender[rows][1:] != sender[rows][:-1]
        moved = (numbers[rows][1:] - numbers[rows][:-1] - self.step) % wraps == 0
        agrees[rows[1:]] = moved | changes[1:]
        return agrees, there


def _add(layout: Layout) -> Layout:
    found = next((f for f in layout.fields if "count" in f.name.lower() and f.kind is FieldKind.UNSIGNED), None)
    field = found or next((f for f in layout.fields if f.kind is FieldKind.UNSIGNED), None)
    if field is None:
        raise NothingToDoError("A counter needs an unsigned field; make one first.")
    return layout.with_item(Counter(id=uuid4(), name=free_name(layout, f"{field.name} goes up"), field=field.id))


CHECK = Counter
