"""Fields that move together: once, an array by count, by bytes or to the end; may hold parts."""

from __future__ import annotations

import enum
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, ClassVar, Self
from uuid import UUID, uuid4

import msgspec
import numpy as np
from numpy.typing import NDArray

from ...errors import MisuseError
from ...expressions.expression import Expression
from ..attribute import Attribute, optional_expression, whole
from ..checks.check import Check
from ..computed import Computed
from ..fields import Field, FieldKind, Selected, new_field
from ..places import parse_places
from ..problems import Said, is_hex
from ..raw_sets import RawSet
from ..template import NothingToDoError, Template, free_name
from .part import MAX_BYTES, Part, all_fields_in, example_item

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import AnyCheck, AnyPart, Layout
    from ..validate_parts import PartWalk
    from .part import Columns

MAX_ITEMS = 1 << 26
"""Items of one array over all frames; what goes beyond is left out and said to be cut."""
_USUAL_END = "00"
"""What ends an array until somebody says otherwise: a byte of nothing, as behind a string."""


class Repeat(enum.Enum):
    """How often the items of a group follow one another."""

    ONCE = "once"
    COUNT = "count"
    """As many items as ``amount`` says."""
    BYTES = "bytes"
    """Items as long as they fit the bytes that ``amount`` says."""
    TO_END = "to-end"
    """Items as long as they fit the payload, less ``amount`` bytes if there is an amount."""
    UNTIL = "until"
    """Items up to the bytes that end them."""


class Axis(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """Where the items of an array stand: ``start + item * step``, so that the array is a curve."""

    name: str
    start: Expression
    step: Expression
    unit: str = ""


def _read_axis(text: str, _layout: Layout) -> Axis | None:
    if not text:
        return None
    name, colon, rest = text.partition(":")
    parts = [part.strip() for part in rest.split(",")]
    if not colon or len(parts) not in (2, 3):
        raise MisuseError(
            f"{text!r} is no axis.", hint="Write a name, where it starts and its step: distance: 0, 5, m."
        )
    return Axis(name.strip(), Expression(parts[0]), Expression(parts[1]), parts[2] if len(parts) == 3 else "")


def _axis_text(axis: Axis | None, _item: Any, _layout: Layout) -> str:
    if axis is None:
        return ""
    return f"{axis.name}: {axis.start}, {axis.step}{', ' + axis.unit if axis.unit else ''}"


def repeat_attribute(*ways: Repeat) -> Attribute:
    """Return the attribute that says how often something comes, in some of the ways."""
    return Attribute(
        "repeat", "how often", "", lambda text, _: Repeat(text), tuple(way.value for way in ways), choice_words={
            Repeat.COUNT.value: "so many times", Repeat.BYTES.value: "in so many bytes",
            Repeat.TO_END.value: "to the end", Repeat.UNTIL.value: "until an end",
        },
    )  # fmt: skip


class Repeated(Part, frozen=True, kw_only=True, omit_defaults=True):
    """A part that may come several times."""

    if TYPE_CHECKING:
        # each kind has them itself, so that the keys of a document stand in the order of its own class
        repeat: Repeat
        amount: Expression | None

    def settled(self, name: str) -> Self:
        """Return it with one as its amount where a count is needed and none is given yet."""
        is_needed = self.repeat in (Repeat.COUNT, Repeat.BYTES) and self.amount is None
        return msgspec.structs.replace(self, amount=Expression("1")) if name == "repeat" and is_needed else self


class Group(Repeated, frozen=True, kw_only=True, omit_defaults=True, tag="group"):
    """Fields that move together.

    Attributes
    ----------
    size
        Bytes of the fixed fields of one item; what ``parts`` hold comes behind them.
    end
        Hex digits of the bytes that end an array that goes on until them, where the next item would begin; they are
        passed over.
    axis
        Of an array: where each item stands.
    limit
        Of a group that is there once: the bytes it and its parts may take; None is all the rest.
    checks
        Over the bytes of each item by itself, which ``size`` counts and coverage counts from; where one disagrees, the
        item's values are invalid.
    computed
        Of each item.
    """

    size: int
    fields: tuple[Field, ...] = ()
    parts: tuple[AnyPart, ...] = ()
    repeat: Repeat = Repeat.ONCE
    amount: Expression | None = None
    end: str = ""
    axis: Axis | None = None
    limit: Expression | None = None
    checks: tuple[AnyCheck, ...] = ()
    computed: tuple[Computed, ...] = ()

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *Part.attributes, Attribute("size", "bytes an item", "", whole),
        repeat_attribute(*Repeat),
        Attribute("amount", "amount", "count", optional_expression),
        Attribute("end", "until", "hex such as 00"),
        Attribute("axis", "axis", "name: start, step, unit", _read_axis, writer=_axis_text),
    )  # fmt: skip
    rank: ClassVar[int] = 0
    fits_inside: ClassVar[str] = "a field"

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (
            Template("Array", "moving parts", _add_array),
            Template("Part behind a flag", "moving parts", _add_optional),
        )

    def words(self) -> str:
        return {
            Repeat.ONCE: "optional part" if self.selected is not None else "part",
            Repeat.COUNT: "array, counted",
            Repeat.BYTES: "array, by its bytes",
            Repeat.TO_END: "array to the end",
            Repeat.UNTIL: "array up to an end",
        }[self.repeat]

    def all_fields(self) -> Iterator[Field]:
        yield from self.fields
        yield from all_fields_in(self.parts)

    def fields_once(self) -> Iterator[Field]:
        if self.repeat is Repeat.ONCE:
            yield from self.fields
            for part in self.parts:
                yield from part.fields_once()
            yield from (value.as_field() for value in self.computed)

    def lists(self) -> Iterator[Part]:
        if self.repeat is not Repeat.ONCE:
            yield self
            return
        for part in self.parts:
            yield from part.lists()

    def example(self) -> str:
        return f"[{example_item(self.fields)}]"

    def checks_inside(self) -> Iterator[Check]:
        yield from self.checks
        for part in self.parts:
            yield from part.checks_inside()

    def computed_inside(self) -> Iterator[Computed]:
        yield from self.computed
        for part in self.parts:
            yield from part.computed_inside()

    def expressions(self) -> Iterator[tuple[str, Expression]]:
        yield from super().expressions()
        if self.axis is not None:
            yield "axis", self.axis.start
            yield "axis", self.axis.step

    def field_groups(self) -> Iterator[tuple[UUID, tuple[Field, ...]]]:
        yield self.id, self.fields
        for part in self.parts:
            yield from part.field_groups()

    def with_parts_inside(self, change: Callable[[tuple[Part, ...]], tuple[Part, ...]]) -> Part:
        inner = change(self.parts)
        return self if inner is self.parts else msgspec.structs.replace(self, parts=inner)

    def one_more_inside(self, layout: Layout) -> Part:
        # the group grows by the byte that the field takes
        after = max((field.places.size_needed for field in self.fields), default=0)
        field = new_field(free_name(layout, "field"), parse_places(f"B{after}"))
        return msgspec.structs.replace(self, fields=(*self.fields, field), size=max(self.size, after + 1))

    def settled(self, name: str) -> Self:
        if name == "end" and self.end:
            return msgspec.structs.replace(self, repeat=Repeat.UNTIL)
        if name != "repeat":
            return self
        end = self.end or _USUAL_END if self.repeat is Repeat.UNTIL else ""
        return msgspec.structs.replace(super().settled(name), end=end)

    def problems(self) -> Said:
        if not 0 <= self.size <= MAX_BYTES or (self.size == 0 and not self.parts):
            yield "size", f"An item of {self.name} has {self.size} bytes."
        if self.repeat in (Repeat.COUNT, Repeat.BYTES) and self.amount is None:
            yield "amount", f"{self.name} does not say how many."
        if self.repeat is Repeat.UNTIL and not (self.end and is_hex(self.end)):
            yield "end", f"{self.end!r} is not hex digits that end {self.name}."
        if self.end and self.repeat is not Repeat.UNTIL:
            yield "end", f"{self.name} has an end, and does not go on until it."

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        walk.fields(self.fields, (*scope, *self.fields), self.size)
        inner = walk.parts(self.parts, (*scope, *self.fields), depth + 1)
        for check in self.checks:
            if not check.can_stand_in(is_array=self.repeat is not Repeat.ONCE):
                walk.say(check.id, "check", f"{check.name} compares {check.compares}; it cannot stand in {self.name}.")
        inner = walk.items(self.checks, self.computed, inner)
        return inner if self.repeat is Repeat.ONCE else scope

    # reading

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        if self.repeat is Repeat.ONCE:
            if self.limit is None:
                return self._decode_checked(here, reader)
            here = replace(here, limit=np.minimum(here.limit, here.start + here.amount(self.limit)))
            columns, _ = self._decode_checked(here, reader)
            return columns, here.limit
        if self.parts or self.repeat is Repeat.UNTIL:
            return {}, self._decode_moving_items(here, reader)
        from ...kernels.stretches import items_of  # compiled code loads when frames are read, not with a layout

        count, after = _count_items(self, here, reader)
        owner, number = items_of(count)
        items = here.pick(owner, here.start[owner] + number * self.size, None, number)
        columns, _ = self._decode_checked(items, reader)
        reader.keep(self.id, self.name, items, columns, self.axis)
        return {}, after

    def _decode_item(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        columns, sizes = reader.fields(self.id, here, self.size)
        reader.cut(here, sizes < self.size)
        more, after = reader.parts(self.parts, here, here.start + self.size)
        columns |= more
        columns |= reader.computed(self.computed, here)
        return columns, after

    def _decode_checked(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        """Decode items whose own checks are made as soon as their ends are known."""
        mark = reader.mark()
        columns, after = self._decode_item(here, reader)
        if self.checks:
            reader.check(self.checks, self.fields, here, np.minimum(after, here.end), columns, mark)
        return columns, after

    def _decode_moving_items(self, here: Stretches, reader: PartReader) -> NDArray[np.int64]:
        """Decode items that differ in size: the first of all stretches, the second of all, and so on."""
        amount, limit = here.amount(self.amount), here.end
        if self.repeat is Repeat.BYTES:
            limit = np.minimum(limit, here.start + amount)
        elif self.repeat is Repeat.TO_END:
            limit = limit - amount
        cursor = here.start.copy()
        read = np.zeros(len(here), np.int64)
        ended = np.zeros(len(here), np.bool_)
        number = 0
        while True:
            ended |= self._ends_at(here, cursor)
            going = (cursor < limit) & ~ended
            if self.repeat is Repeat.COUNT:
                going &= number < amount
            owner = np.flatnonzero(going)
            if not len(owner) and number:
                break
            items = here.pick(owner, cursor[owner], limit[owner], np.full(len(owner), number))
            columns, after = self._decode_checked(items, reader)
            reader.keep(self.id, self.name, items, columns, self.axis)
            # an item that takes no byte would be read for ever
            cursor[owner] = np.where(after > cursor[owner], after, limit[owner])
            read[owner] += 1
            number += 1
        if self.repeat is Repeat.COUNT:
            reader.cut(here, read < amount)
        elif self.repeat is Repeat.UNTIL:
            reader.cut(here, ~ended)
            cursor += ended * (len(self.end) // 2)
        return cursor

    def _ends_at(self, here: Stretches, cursor: NDArray[np.int64]) -> NDArray[np.bool_]:
        """Return where the bytes that end it stand; bool (n,)."""
        if self.repeat is not Repeat.UNTIL:
            return np.zeros(len(here), np.bool_)
        from ...kernels.stretches import find_end  # compiled code loads when frames are read, not with a layout

        mark = np.frombuffer(bytes.fromhex(self.end), np.uint8)
        end = np.minimum(here.end, cursor + len(mark))
        return find_end(np.ascontiguousarray(here.matrix), here.row, cursor, end, mark) == cursor

    # writing

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        if self.repeat is Repeat.ONCE:
            return self._build_once(region, begin, unused)
        items = unused.pop(self.name, ())
        if isinstance(items, str | bytes) or not isinstance(items, Sequence):
            raise region.refused("an array takes a list of items.", self.name)
        made = [self._build_item(region, number, item) for number, item in enumerate(items)]
        content = b"".join(made)
        if self.repeat is Repeat.COUNT and self.amount is not None:
            region.make_true(self.amount, len(items), f"{self.name} has")
        elif self.repeat is Repeat.BYTES and self.amount is not None:
            region.make_true(self.amount, len(content), f"{self.name} takes")
        elif self.repeat is Repeat.UNTIL:
            content = self._ended(region, made)
        return region.place(begin, content)

    def _ended(self, region: Region, items: list[bytes]) -> bytes:
        end = bytes.fromhex(self.end)
        for number in range(len(items)):
            if (b"".join(items[number:]) + end).startswith(end):
                raise region.refused(f"item {number} begins with the bytes that end it.", self.name)
        return b"".join(items) + end

    def _build_once(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        region.take_in(self.fields, begin, self.size)
        region.fill_fields(self.fields, begin, unused)
        end = region.build_parts(self.parts, begin + self.size, unused, begin)
        region.fill_checks(self.checks, begin, end)
        if self.limit is not None:
            region.make_true(self.limit, end - begin, f"{self.name} takes")
        return end

    def _build_item(self, region: Region, number: int, item: object) -> bytes:
        if not isinstance(item, Mapping):
            if len(self.fields) != 1:
                raise region.refused(f"item {number} takes a value for each of its fields.", self.name)
            item = {self.fields[0].name: item}
        return region.build_inner(f"{self.name}[{number}].", self.fields, self.parts, self.size, item, self.checks)


def _count_items(group: Group, here: Stretches, reader: PartReader) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return how many items each stretch has, an incomplete last one included, and where they end."""
    room = np.maximum(here.end - here.start, 0)
    amount = here.amount(group.amount)
    if group.repeat is Repeat.TO_END:
        return (kept := np.maximum(room - amount, 0) // group.size), here.start + kept * group.size
    wanted = amount if group.repeat is Repeat.COUNT else amount // group.size
    fitting = -(-room // group.size)
    count = np.minimum(wanted, fitting)
    if int(count.sum()) > MAX_ITEMS:
        count = np.where(np.cumsum(count) > MAX_ITEMS, 0, count)
    reader.cut(here, count < wanted)
    return count, here.start + (amount if group.repeat is Repeat.BYTES else wanted * group.size)


def _add_array(layout: Layout) -> Layout:
    count = next((field for field in layout.fields if field.name in ("count", "number", "n")), None)
    cell = new_field("cell", parse_places("B0"))
    group = Group(
        id=uuid4(), name=free_name(layout, "items"), size=1, fields=(cell,),
        repeat=Repeat.COUNT if count is not None else Repeat.TO_END,
        amount=Expression(count.name) if count is not None else None,
    )  # fmt: skip
    return layout.with_item(group)


def _add_optional(layout: Layout) -> Layout:
    flag = next((field for field in layout.fields if field.kind is FieldKind.FLAG), None)
    if flag is None:
        raise NothingToDoError("An optional part needs a flag to depend on; make one first.")
    group = Group(
        id=uuid4(), name=free_name(layout, f"if {flag.name}"), size=1, selected=Selected(flag.id, RawSet.of(1)),
        fields=(new_field(free_name(layout, "value"), parse_places("B0")),),
    )  # fmt: skip
    return layout.with_item(group)


PART = Group
