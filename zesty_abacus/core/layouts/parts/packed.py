"""Numbers that follow one another, whatever number of bits each takes: flags, half bytes, samples of twelve bits."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import UUID, uuid4

import msgspec
import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import YES_NO, Attribute, optional_expression, whole, yes
from ..fields import Field, new_field
from ..places import Places
from ..problems import Said
from ..template import Template, free_name
from .group import MAX_ITEMS, Repeat, Repeated, repeat_attribute
from .part import Part

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import Layout
    from ..validate_parts import PartWalk
    from .part import Columns

_MOST_BITS = 64


class Packed(Repeated, frozen=True, kw_only=True, omit_defaults=True, tag="packed"):
    """An array of numbers without gaps between them.

    Attributes
    ----------
    field
        A number, flag or state, without places.
    bits
        That each takes, 1 to 64.
    repeat, amount
        How many there are: so many, as many as fit so many bytes, or all to the end less so many bytes.
    low_first
        Whether they begin with the lowest bit of a byte, and each with its own lowest bit; else with the highest.
    """

    field: Field
    bits: int
    repeat: Repeat = Repeat.TO_END
    amount: Expression | None = None
    low_first: bool = False

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *Part.attributes, Attribute("bits", "bits a number", "", whole),
        repeat_attribute(Repeat.COUNT, Repeat.BYTES, Repeat.TO_END),
        Attribute("amount", "amount", "count", optional_expression),
        Attribute("low_first", "lowest bit first", "", yes, YES_NO),
    )  # fmt: skip
    rank: ClassVar[int] = 4

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Packed numbers", "moving parts", _add),)

    def words(self) -> str:
        return f"array of {self.bits}-bit numbers" if self.bits > 1 else "array of bits"

    def all_fields(self) -> Iterator[Field]:
        yield self.field

    def lists(self) -> Iterator[Part]:
        yield self

    def example(self) -> str:
        return "[0]"

    def field_groups(self) -> Iterator[tuple[UUID, tuple[Field, ...]]]:
        yield self.id, (self._placed,)

    @property
    def _placed(self) -> Field:
        """The field in bytes of its own, the highest first, that each number is put into to be read."""
        size = -(-self.bits // 8)
        return msgspec.structs.replace(
            self.field, places=Places((size - 1 - bit // 8) * 8 + bit % 8 for bit in reversed(range(self.bits)))
        )

    def problems(self) -> Said:
        if not 1 <= self.bits <= _MOST_BITS:
            yield "bits", f"A number of {self.name} takes {self.bits} bits; 1 to {_MOST_BITS} are read."
        if not self.field.raw_is_number:
            yield "field", f"{self.name} is to be numbers; text and bytes are a string."
        if len(self.field.places):
            yield "field", f"{self.name} is packed, so its field has no places."
        if self.repeat is Repeat.ONCE or self.repeat is Repeat.UNTIL:
            yield "repeat", f"{self.name} goes on for a count, so many bytes, or to the end."
        if self.repeat in (Repeat.COUNT, Repeat.BYTES) and self.amount is None:
            yield "amount", f"{self.name} does not say how many."

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        if 1 <= self.bits <= _MOST_BITS and self.field.raw_is_number and not len(self.field.places):
            walk.fields((self._placed,), scope, -(-self.bits // 8))
        return scope

    # reading

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        from ...kernels.packed import packed_numbers  # compiled code loads when frames are read, not with a layout
        from ...kernels.stretches import items_of

        count, after = self._count(here, reader)
        owner, number = items_of(count)
        items = here.pick(owner, here.start[owner], None, number)
        raw = packed_numbers(
            np.ascontiguousarray(here.matrix), items.row, items.start, number, self.bits, self.low_first
        )  # fmt: skip
        size = -(-self.bits // 8)
        content = raw.astype(">u8").view(np.uint8).reshape(-1, 8)[:, 8 - size :]
        columns = reader.put_together(self.id, np.ascontiguousarray(content), items)
        reader.own_bits(self.field, items, items.start * 8 + number * self.bits, self.bits, low_first=self.low_first)
        columns = {key: replace(column, field=self.field) for key, column in columns.items()}
        reader.keep(self.id, self.name, items, columns)
        return {}, after

    def _count(self, here: Stretches, reader: PartReader) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        """Return how many whole numbers each stretch has, and the byte behind them."""
        room = np.maximum(here.end - here.start, 0)
        amount = here.amount(self.amount)
        if self.repeat is Repeat.TO_END:
            kept = np.maximum(room - amount, 0)
            return _within(kept * 8 // self.bits), here.start + kept
        wanted = amount if self.repeat is Repeat.COUNT else amount * 8 // self.bits
        count = np.minimum(wanted, room * 8 // self.bits)
        reader.cut(here, count < wanted)
        behind = amount if self.repeat is Repeat.BYTES else -(-wanted * self.bits // 8)
        return _within(count), here.start + behind

    # writing

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        items = unused.pop(self.name, ())
        if isinstance(items, str | bytes) or not isinstance(items, Sequence):
            raise region.refused("an array takes a list of items.", self.name)
        number = 0
        for place, item in enumerate(items):
            value = item[self.field.name] if isinstance(item, Mapping) and set(item) == {self.field.name} else item
            own = region.bits(self._placed, value, f"{self.name}[{place}].")
            number |= own << (place * self.bits if self.low_first else (len(items) - 1 - place) * self.bits)
        size = -(-len(items) * self.bits // 8)
        if not self.low_first:
            number <<= size * 8 - len(items) * self.bits
        if self.repeat is Repeat.COUNT and self.amount is not None:
            region.make_true(self.amount, len(items), f"{self.name} has")
        elif self.repeat is Repeat.BYTES and self.amount is not None:
            region.make_true(self.amount, size, f"{self.name} takes")
        return region.place(begin, number.to_bytes(size, "little" if self.low_first else "big"))


def _within(count: NDArray[np.int64]) -> NDArray[np.int64]:
    return np.where(np.cumsum(count) > MAX_ITEMS, 0, count)


def _add(layout: Layout) -> Layout:
    number = new_field(free_name(layout, "number"), Places(()))
    return layout.with_item(Packed(id=uuid4(), name=free_name(layout, "numbers"), field=number, bits=12))


PART = Packed
