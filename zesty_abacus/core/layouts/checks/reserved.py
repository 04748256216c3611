"""Bits that always have one value."""

from __future__ import annotations

from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import UUID, uuid4

import numpy as np

from ..attribute import NAME, Attribute, optional_places, whole
from ..fields import Field
from ..places import Places
from ..problems import Said
from ..template import NothingToDoError, Template, free_name
from .check import Came, Check, CheckedFrames, FrameInHand

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout


class Reserved(Check, frozen=True, kw_only=True, omit_defaults=True, tag="reserved"):
    """Bits that always read ``value``; they count as explained."""

    places: Places
    value: int = 0

    attributes: ClassVar[tuple[Attribute, ...]] = (
        NAME, Attribute("places", "places", "", optional_places), Attribute("value", "reads", "0", whole)
    )  # fmt: skip
    spoils: ClassVar[bool] = False
    rank: ClassVar[int] = 5

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Reserved bits", "checks", _add),)

    def words(self) -> str:
        return "reserved"

    def still_bits(self) -> tuple[int, ...]:
        return self.places.bits

    def bears_out(self, layout: Layout) -> tuple[UUID, ...]:
        # that a bit never moves is what makes it reserved, not what bears it out
        return ()

    def problems(self, known: Mapping[str, Field]) -> Said:
        if not 1 <= len(self.places) <= 64:
            yield "places", f"{self.name} holds 1 to 64 bits, not {len(self.places)}."
        elif self.value < 0 or self.value >> len(self.places):
            yield "value", f"{self.value} does not fit the {len(self.places)} bits of {self.name}."

    def agrees(self, frames: CheckedFrames) -> Came:
        matrix = frames.matrix
        agrees = np.ones(len(matrix), np.bool_)
        width = len(self.places)
        for number, bit in enumerate(self.places):
            if bit // 8 >= matrix.shape[1]:
                break
            found = (matrix[:, bit // 8] >> np.uint8(bit % 8)) & 1
            agrees &= found == (self.value >> (width - 1 - number) & 1)
        return agrees, frames.sizes >= self.places.size_needed

    def fill(self, frame: FrameInHand) -> None:
        if not frame.keeps_what_it_has:
            frame.put_field(Field(id=self.id, name="", places=self.places), 0, self.value)


def _add(layout: Layout) -> Layout:
    taken = set(layout.owners()) | layout.reserved_bits()
    free = [bit for bit in range(layout.size * 8) if bit not in taken][:64]
    if not free:
        raise NothingToDoError("Every bit belongs to a field already.")
    order = sorted(free, key=lambda bit: (bit // 8, -(bit % 8)))
    return layout.with_item(Reserved(id=uuid4(), name=free_name(layout, "reserved"), places=Places(order)))


CHECK = Reserved
