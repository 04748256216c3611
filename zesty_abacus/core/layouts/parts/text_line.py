"""Text in columns with a separator: once, or an array of columns that go on."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import uuid4

import msgspec
import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import YES_NO, Attribute, escaped, optional_expression, with_escapes, yes
from ..computed import Computed
from ..fields import Field, new_field
from ..places import Places
from ..problems import Said
from ..template import Template, free_name
from .characters import character_problems
from .group import MAX_ITEMS, Repeat, Repeated, repeat_attribute
from .part import Part, example_item

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ...kernels.text import Columns as Split
    from ...kernels.text import Marks
    from ..model import Layout
    from ..validate_parts import PartWalk
    from .part import Columns

NO_PLACES = Places(())
_Spot = tuple[NDArray[np.int64], NDArray[np.int64]]


class TextLine(Repeated, frozen=True, kw_only=True, omit_defaults=True, tag="text-line"):
    """Text in columns.

    Attributes
    ----------
    columns
        Fields without places, in order; numbers are read in their ``base``. A column with an empty name is
        passed over.
    separator, quote
        One character each; no quote if empty. A quote within quotes is written twice.
    merges
        A run of separators counts as one, as blanks between columns often do.
    begins, ends
        What stands before the first column and behind the last one, and belongs to neither.
    repeat, amount
        How often the columns follow one another: an array has an item for each time, ``amount`` of them, or all to the
        end of the line.
    goes_on
        What stands behind the last column is read by the part behind, not passed over.
    computed
        Of the line; of an array, of each item.
    """

    columns: tuple[Field, ...]
    separator: str = ","
    quote: str = ""
    merges: bool = False
    begins: str = ""
    ends: str = ""
    repeat: Repeat = Repeat.ONCE
    amount: Expression | None = None
    goes_on: bool = False
    computed: tuple[Computed, ...] = ()

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *Part.attributes, Attribute("separator", "separator", ",", with_escapes, writer=escaped),
        Attribute("quote", "quote", "none"), Attribute("merges", "runs count once", "", yes, YES_NO),
        Attribute("begins", "begins with", "", with_escapes, writer=escaped),
        Attribute("ends", "ends with", r"such as * or \r\n", with_escapes, writer=escaped),
        repeat_attribute(Repeat.ONCE, Repeat.COUNT, Repeat.TO_END),
        Attribute("amount", "amount", "count", optional_expression),
        Attribute("goes_on", "goes on behind", "", yes, YES_NO),
    )  # fmt: skip
    rank: ClassVar[int] = 3
    fits_inside: ClassVar[str] = "a column"

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Text columns", "moving parts", _add, reads_lines=True),)

    def words(self) -> str:
        return "text line" if self.repeat is Repeat.ONCE else "array of text columns"

    def all_fields(self) -> Iterator[Field]:
        yield from self.columns

    def fields_once(self) -> Iterator[Field]:
        if self.repeat is Repeat.ONCE:
            yield from (field for field in self.columns if field.name)
            yield from (value.as_field() for value in self.computed)

    def computed_inside(self) -> Iterator[Computed]:
        yield from self.computed

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
        if self.repeat in (Repeat.BYTES, Repeat.UNTIL):
            yield "repeat", f"Columns of text are counted, or go on to the end; {self.name} cannot count bytes."
        if self.repeat is Repeat.COUNT and self.amount is None:
            yield "amount", f"{self.name} does not say how many."
        if not self.columns:
            yield "columns", f"{self.name} has no columns."
        if self.repeat is not Repeat.ONCE and not any(field.name for field in self.columns):
            yield "columns", f"{self.name} repeats columns that are all passed over."

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        for field in self.columns:
            walk.meaning(field)
            for attribute, sentence in _column_problems(field):
                walk.say(field.id, attribute, sentence)
        named = tuple(field for field in self.columns if field.name)
        names = [field.name for field in named]
        for number, field in enumerate(named):
            if field.name in names[:number]:
                walk.say(field.id, "name", f"Two columns are called {field.name}.")
        inner = walk.items((), self.computed, (*scope, *named))
        return inner if self.repeat is Repeat.ONCE else scope

    # reading

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        from ...kernels.text import Marks, split_text  # compiled code loads when frames are read, not with a layout

        matrix = np.ascontiguousarray(here.matrix)
        first, last = self._between_marks(here)
        marks = Marks(ord(self.separator), ord(self.quote) if self.quote else 0, self.merges)
        width = len(self.columns)
        count, items = np.ones(len(here), np.int64), here
        if self.repeat is not Repeat.ONCE:
            count, items = self._items(here, first, last, marks, reader)
        split = split_text(matrix, here.row, first, last, marks, count * width)
        spots = list(self._spots(split))
        columns = self._columns(items, spots, reader)
        if self.repeat is Repeat.ONCE:
            reader.cut(here, split.found < width)
        else:
            reader.keep(self.id, self.name, items, columns)
        if self.goes_on:
            # nothing was split off where nothing was wanted
            after = np.where(count == 0, np.minimum(first, last), split.after)
        else:
            after = np.where(last < here.limit, last + len(self.ends), last)
        whole = split.found >= width if self.repeat is Repeat.ONCE else count > 0
        reader.own_structure(here, here.start, np.where(whole, after, here.start))
        for one, (begin, end) in zip(self.columns, spots, strict=True):
            reader.own_bytes(one, items, begin, end)
        return columns if self.repeat is Repeat.ONCE else {}, after

    def _items(
        self, here: Stretches, first: NDArray[np.int64], last: NDArray[np.int64], marks: Marks, reader: PartReader
    ) -> tuple[NDArray[np.int64], Stretches]:
        """Return how many items each line has, and the items."""
        from ...kernels.stretches import items_of  # compiled code loads when frames are read, not with a layout
        from ...kernels.text import count_columns

        matrix = np.ascontiguousarray(here.matrix)
        there = count_columns(matrix, here.row, first, last, marks) // len(self.columns)
        count = np.where(first < last, there, 0)
        if self.repeat is Repeat.COUNT:
            wanted = here.amount(self.amount)
            reader.cut(here, count < wanted)
            count = np.minimum(count, wanted)
        count = np.where(np.cumsum(count) > MAX_ITEMS, 0, count)
        owner, number = items_of(count)
        return count, here.pick(owner, here.start[owner], None, number)

    def _columns(self, items: Stretches, spots: list[_Spot], reader: PartReader) -> Columns:
        columns = {}
        for one, (begin, end) in zip(self.columns, spots, strict=True):
            if one.name:
                columns[one.id] = reader.written(one, items, begin, end, quote=self.quote)
        items.scope.add(columns)
        return columns | reader.computed(self.computed, items)

    def _spots(self, split: Split) -> Iterator[_Spot]:
        """Yield where each column begins and ends, one an item."""
        begin, end = split.begin.reshape(-1, len(self.columns)), split.end.reshape(-1, len(self.columns))
        for number in range(len(self.columns)):
            yield np.ascontiguousarray(begin[:, number]), np.ascontiguousarray(end[:, number])

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

    def lists(self) -> Iterator[Part]:
        if self.repeat is not Repeat.ONCE:
            yield self

    def example(self) -> str:
        return f"[{example_item(self.columns)}]"

    # writing

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        if self.repeat is Repeat.ONCE:
            texts = [self._text(region, field, unused) for field in self.columns]
        else:
            texts = self._item_texts(region, unused)
        line = self.separator.join(texts)
        if self.goes_on and texts:
            line += self.separator
        return region.place(
            begin, f"{self.begins}{line}{'' if self.goes_on else self.ends}".encode("latin-1", "replace")
        )

    def _item_texts(self, region: Region, unused: dict[str, Any]) -> list[str]:
        items = unused.pop(self.name, ())
        if isinstance(items, str | bytes) or not isinstance(items, Sequence):
            raise region.refused("an array takes a list of items.", self.name)
        named = [field for field in self.columns if field.name]
        texts = []
        for number, item in enumerate(items):
            if not isinstance(item, Mapping):
                if len(named) != 1:
                    raise region.refused(f"item {number} takes a value for each of its columns.", self.name)
                item = {named[0].name: item}
            inner = region.inner(f"{self.name}[{number}].", (), 0)
            values = dict(item)
            texts += [self._text(inner, field, values) for field in self.columns]
            if values:
                raise inner.refused(f"there is no column {next(iter(values))!r}.")
        if self.repeat is Repeat.COUNT and self.amount is not None:
            region.make_true(self.amount, len(items), f"{self.name} has")
        return texts

    def _text(self, region: Region, field: Field, unused: dict[str, Any]) -> str:
        text = region.column(field, unused) if field.name else ""
        if self.ends and self.ends in text:
            raise region.refused(f"{text!r} holds what ends the line.", field.name)
        if self.separator not in text and not (self.quote and self.quote in text):
            return text
        if not self.quote:
            raise region.refused(f"{text!r} holds the separator.", field.name)
        return f"{self.quote}{text.replace(self.quote, self.quote * 2)}{self.quote}"


def _column_problems(field: Field) -> Said:
    if field.code is not None:
        yield "symbols", f"{field.name} is a column of characters; a code table is for bits."
    if len(field.places):
        yield "places", f"{field.name} is a column and has no places."
    yield from character_problems(field)


def _add(layout: Layout) -> Layout:
    columns = tuple(new_field(f"column {number}", NO_PLACES) for number in (1, 2))
    return layout.with_item(TextLine(id=uuid4(), name=free_name(layout, "line"), columns=columns))


PART = TextLine
