"""A string, raw bytes or a number in digits: with a length, up to an end, or all the rest."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any, ClassVar
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import Attribute, optional_expression
from ..fields import FieldKind, new_field
from ..places import Places
from ..problems import Said, is_hex
from ..template import Template, free_name
from .characters import character_problems
from .one_field import OneField

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import Layout
    from .part import Columns


class Run(OneField, frozen=True, kw_only=True, omit_defaults=True, tag="run"):
    """A string, raw bytes, or a number that is written in characters.

    Attributes
    ----------
    field
        Without places. A number is read in its base, as a column of text is: hex digits at a place are one of base 16.
    length
        How many bytes; None is up to ``end``, or all the rest.
    end
        Hex digits of the bytes that end it, which are not part of it; empty is none.
    """

    length: Expression | None = None
    end: str = ""

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *OneField.attributes, Attribute("length", "bytes", "to the end", optional_expression),
        Attribute("end", "ends at", "hex such as 00"),
    )  # fmt: skip
    rank: ClassVar[int] = 1

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("String up to a zero", "moving parts", _add),)

    def words(self) -> str:
        return "digits" if self.field.raw_is_number else "string"

    def problems(self) -> Said:
        yield from super().problems()
        if self.field.raw_is_number:
            yield from character_problems(self.field)
        if self.end and not is_hex(self.end):
            yield "end", f"{self.end!r} is not hex digits."

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        from ...kernels.stretches import find_end  # compiled code loads when frames are read, not with a layout

        limit = here.end
        end, after = limit, limit
        complete = here.start <= limit
        if self.length is not None:
            length = here.evaluate(self.length)
            wanted = here.start + np.clip(length.whole(0), 0, 1 << 32)
            end = after = np.minimum(wanted, limit)
            complete &= (wanted <= limit) & length.known_rows()
        elif self.end:
            mark = np.frombuffer(bytes.fromhex(self.end), np.uint8)
            place = find_end(here.matrix, here.row, here.start, limit, mark)
            end = np.where(place < 0, limit, place)
            after = np.where(place < 0, limit, place + len(mark))
            complete &= place >= 0
        if self.field.raw_is_number:
            column = reader.written(self.field, here, np.where(complete, here.start, -1), end)
        else:
            column = reader.content(self.field, here, here.start, end, complete)
        reader.cut(here, ~complete)
        reader.own_bytes(self.field, here, here.start, after)
        return {self.field.id: column}, np.maximum(after, here.start)

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        content = self._content(region, unused)
        if not content and self.field.raw_is_number and self.length is not None:
            # not given, and perhaps worked out of what follows: zeros until then
            return region.place(begin, b"0" * int(region.evaluate(self.length)))
        if self.length is not None:
            region.make_true(self.length, len(content), f"{self.name} has")
        elif self.end:
            mark = bytes.fromhex(self.end)
            if mark in content:
                raise region.refused("it holds the bytes that end it.", self.name)
            content += mark
        return region.place(begin, content)

    def _content(self, region: Region, unused: dict[str, Any]) -> bytes:
        if self.field.raw_is_number:
            return region.column(self.field, unused).encode("latin-1")
        name = self.field.name if self.field.name in unused else self.name
        return region.content(self.field, unused.pop(name, b""))


def _add(layout: Layout) -> Layout:
    name = free_name(layout, "text")
    return layout.with_item(Run(id=uuid4(), name=name, field=new_field(name, Places(()), FieldKind.TEXT), end="00"))


PART = Run
