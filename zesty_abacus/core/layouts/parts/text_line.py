"""Text in columns with a separator."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import uuid4

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..attribute import Attribute
from ..fields import Field, new_field
from ..places import Places
from ..problems import Said
from ..template import Template, free_name
from .part import Part

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import Layout
    from .part import Columns

NO_PLACES = Places(())


class TextLine(Part, frozen=True, kw_only=True, omit_defaults=True, tag="text-line"):
    """Text in columns.

    Attributes
    ----------
    columns
        Fields without places, in order; numbers are read in their ``base``. A column with an empty name is
        passed over.
    separator, quote
        One character each; no quote if empty.
    begins, ends
        What stands before the first column and behind the last one, and belongs to neither.
    """

    columns: tuple[Field, ...]
    separator: str = ","
    quote: str = ""
    begins: str = ""
    ends: str = ""

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *Part.attributes, Attribute("separator", "separator", ","), Attribute("quote", "quote", "none"),
        Attribute("begins", "begins with"), Attribute("ends", "ends with"),
    )  # fmt: skip
    rank: ClassVar[int] = 3
    fits_inside: ClassVar[str] = "a column"

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Text columns", "moving parts", _add),)

    def words(self) -> str:
        return "text line"

    def all_fields(self) -> Iterator[Field]:
        yield from self.columns

    def fields_once(self) -> Iterator[Field]:
        yield from (field for field in self.columns if field.name)

    def one_more_inside(self, layout: Layout) -> Part:
        column = new_field(free_name(layout, "column"), NO_PLACES)
        return msgspec.structs.replace(self, columns=(*self.columns, column))

    def problems(self) -> Said:
        if len(self.separator) != 1 or not self.separator.isascii():
            yield "separator", f"The separator of {self.name} is one ASCII character."
        if len(self.quote) > 1 or (self.quote and self.quote == self.separator):
            yield "quote", f"The quote of {self.name} is one character other than the separator."
        for attribute in ("quote", "begins", "ends"):
            if not getattr(self, attribute).isascii():
                yield attribute, f"{getattr(self, attribute)!r} of {self.name} is not made of ASCII characters."
        if not self.columns:
            yield "columns", f"{self.name} has no columns."
        for field in self.columns:
            if len(field.places):
                yield "columns", f"{field.name} is a column and has no places."

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        from ...kernels.stretches import split_text  # compiled code loads when frames are read, not with a layout

        matrix = np.ascontiguousarray(here.matrix)
        first, last = self._between_marks(here)
        quote = ord(self.quote) if self.quote else 0
        begin, end, count = split_text(
            matrix, here.row, first, last, (ord(self.separator), quote), len(self.columns)
        )  # fmt: skip
        reader.cut(here, count < len(self.columns))
        after = np.where(last < here.limit, last + len(self.ends), last)
        reader.own_structure(here, here.start, np.where(count < len(self.columns), here.start, after))
        columns = {}
        for number, one in enumerate(self.columns):
            if one.name:
                columns[one.id] = reader.written(one, here, begin[number], end[number])
            reader.own_bytes(one, here, begin[number], end[number])
        return columns, after

    def _between_marks(self, here: Stretches) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
        from ...kernels.stretches import find_end  # compiled code loads when frames are read, not with a layout

        first, last = here.start, here.end
        if self.begins:
            code = np.frombuffer(self.begins.encode("latin-1"), np.uint8)
            place = find_end(here.matrix, here.row, first, last, code)
            first = np.where(place < 0, last + 1, place + len(code))
        if self.ends:
            place = find_end(here.matrix, here.row, first, last, np.frombuffer(self.ends.encode("latin-1"), np.uint8))
            last = np.where(place < 0, last, place)
        return first, last

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        texts = []
        for field in self.columns:
            text = region.written(field, unused.pop(field.name)) if field.name in unused else ""
            if self.separator in text:
                if not self.quote:
                    raise region.refused(f"{text!r} holds the separator.", field.name)
                text = f"{self.quote}{text}{self.quote}"
            texts.append(text)
        line = f"{self.begins}{self.separator.join(texts)}{self.ends}"
        return region.place(begin, line.encode("latin-1", "replace"))


def _add(layout: Layout) -> Layout:
    columns = tuple(new_field(f"column {number}", NO_PLACES) for number in (1, 2))
    return layout.with_item(TextLine(id=uuid4(), name=free_name(layout, "line"), columns=columns))


PART = TextLine
