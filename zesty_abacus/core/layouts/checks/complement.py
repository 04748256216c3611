"""A field that is another one with every bit turned round."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import UUID, uuid4

import numpy as np

from ..attribute import NAME, Attribute, field_named, name_of_field
from ..fields import Field
from ..problems import Said
from ..template import NothingToDoError, Template, free_name
from .check import Came, Check, CheckedFrames, FrameInHand

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Complement(Check, frozen=True, kw_only=True, omit_defaults=True, tag="complement"):
    """``field`` has every bit of ``of`` turned round."""

    field: UUID
    of: UUID

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("field", "field", "", field_named, writer=name_of_field),
        Attribute("of", "inverse of", "", field_named, writer=name_of_field),
    )  # fmt: skip
    rank: ClassVar[int] = 4

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Complement of another field", "checks", _add),)

    def words(self) -> str:
        return "complement"

    def fields(self) -> tuple[UUID, ...]:
        return self.field, self.of

    def held_by(self) -> tuple[UUID, ...]:
        return (self.field,)

    def asks(self, known: Mapping[str, Field]) -> tuple[UUID, ...]:
        return (self.of,)

    def problems(self, known: Mapping[str, Field]) -> Said:
        widths = {len(field.places) for field in known.values() if field.id in (self.field, self.of)}
        if len(widths) > 1:
            yield "of", f"{self.name} compares fields of different widths."

    def agrees(self, frames: CheckedFrames) -> Came:
        bits, width, there = frames.bits(self.field)
        others, _, other_there = frames.bits(self.of)
        return (bits ^ others) == np.uint64((1 << width) - 1), there & other_there

    def fill(self, frame: FrameInHand) -> None:
        if frame.is_free(self.field):
            others, width = frame.bits_of(self.of)
            frame.put_bits(self.field, others ^ ((1 << width) - 1))


def _add(layout: Layout) -> Layout:
    pairs = [
        (a, b)
        for n, a in enumerate(layout.fields)
        for b in layout.fields[n + 1 :]
        if len(a.places) == len(b.places) > 1
    ]
    if not pairs:
        raise NothingToDoError("A complement needs two fields of one width; make them first.")
    first, second = pairs[-1]
    return layout.with_item(Complement(id=uuid4(), name=free_name(layout, "complement"), field=second.id, of=first.id))


CHECK = Complement
