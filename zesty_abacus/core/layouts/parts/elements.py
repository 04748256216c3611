"""A list of type, length and value; each type has fields of its own."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import TYPE_CHECKING, Any, ClassVar
from uuid import UUID, uuid4

import msgspec
import numpy as np
from numpy.typing import NDArray

from ...expressions.expression import Expression
from ..attribute import NAME, Attribute, optional_expression, raw_set, whole, whole_or_one
from ..fields import Field, FieldKind, NamedValue, new_field
from ..item import LayoutItem
from ..places import Places, parse_places
from ..problems import Said
from ..raw_sets import RawSet
from ..template import Template, free_name
from .part import MAX_BYTES, Part, all_fields_in, example_item
from .run import Run

if TYPE_CHECKING:
    # the codec stands on layouts; what it hands in is named here, never loaded
    from ...codec.moving import PartReader, Stretches
    from ...codec.region import Region
    from ..model import AnyPart, Layout
    from ..validate_parts import PartWalk
    from .part import Columns


class ElementCase(LayoutItem, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """What elements of some types hold; places count from the first byte of the value."""

    id: UUID
    name: str
    types: RawSet
    fields: tuple[Field, ...] = ()
    parts: tuple[AnyPart, ...] = ()
    note: str = ""

    attributes: ClassVar[tuple[Attribute, ...]] = (NAME, Attribute("types", "of types", "1, 4..7", raw_set))
    fits_inside: ClassVar[str] = "a field"

    @property
    def reach(self) -> int:
        """Bytes that the fields with places take."""
        return max((field.places.size_needed for field in self.fields), default=0)

    def one_more_inside(self, layout: Layout) -> ElementCase:
        """Return it with one more field behind the others."""
        field = new_field(free_name(layout, "field"), parse_places(f"B{self.reach}"))
        return msgspec.structs.replace(self, fields=(*self.fields, field))

    def words(self) -> str:
        return f"types {self.types}"


class Elements(Part, frozen=True, kw_only=True, omit_defaults=True, tag="elements"):
    """A list of elements, each with a type, a length and a value of that length.

    Attributes
    ----------
    head
        Bytes before the value, 1 to 8.
    type, length
        Unsigned fields with places within the head.
    extra
        Bytes of the value are ``length * length_unit + extra``; -1 where the length counts the type.
    amount
        Bytes of the whole list; None is to the end.
    ends
        Types that end the list; such an element has no length and no value.
    alone
        Types of elements without a length and a value behind which the list goes on, as those that do nothing.
    """

    head: int
    type: Field
    length: Field
    length_unit: int = 1
    extra: int = 0
    amount: Expression | None = None
    ends: RawSet = RawSet()
    alone: RawSet = RawSet()
    cases: tuple[ElementCase, ...] = ()

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *Part.attributes, Attribute("head", "bytes of head", "", whole),
        Attribute("length_unit", "length counts", "1", whole_or_one), Attribute("extra", "and besides", "0", whole),
        Attribute("amount", "bytes in all", "to the end", optional_expression),
        Attribute("ends", "types that end it", "none", raw_set),
        Attribute("alone", "types without a length", "none", raw_set),
    )  # fmt: skip
    rank: ClassVar[int] = 2
    fits_inside: ClassVar[str] = "a type"

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (
            Template("List of type, length and value", "moving parts", _add),
            Template("Advertising structures (Bluetooth LE)", "moving parts", _add_advertising),
        )

    def words(self) -> str:
        return "type and length list"

    def all_fields(self) -> Iterator[Field]:
        yield self.type
        yield self.length
        for case in self.cases:
            yield from case.fields
            yield from all_fields_in(case.parts)

    def field_groups(self) -> Iterator[tuple[UUID, tuple[Field, ...]]]:
        for case in self.cases:
            yield case.id, case.fields
            for part in case.parts:
                yield from part.field_groups()

    def with_parts_inside(self, change: Callable[[tuple[Part, ...]], tuple[Part, ...]]) -> Part:
        cases = tuple(msgspec.structs.replace(case, parts=change(case.parts)) for case in self.cases)
        return self if cases == self.cases else msgspec.structs.replace(self, cases=cases)

    def one_more_inside(self, layout: Layout) -> Part:
        known = RawSet(span for case in self.cases for span in case.types.spans)
        free = next(raw for raw in range(1 << 16) if raw and raw not in known)
        case = ElementCase(id=uuid4(), name=f"type {free}", types=RawSet.of(free))
        return msgspec.structs.replace(self, cases=(*self.cases, case))

    def problems(self) -> Said:
        if not 1 <= self.head <= 8:
            yield "head", f"The head of an element has 1 to 8 bytes, not {self.head}."
        if not 1 <= self.length_unit <= MAX_BYTES:
            yield "length_unit", f"A length counts units of {self.length_unit} bytes."
        if abs(self.extra) > MAX_BYTES:
            yield "extra", f"{self.extra} bytes besides the length are more than a payload has."
        if self.alone.meets(self.ends):
            yield "alone", f"{self.name} has a type that ends the list and does not."

    def look_inside(self, walk: PartWalk, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        walk.fields((self.type, self.length), (self.type, self.length), self.head)
        for field in (self.type, self.length):
            if field.kind not in (FieldKind.UNSIGNED, FieldKind.NAMES) or field.ratio != 1 or field.offset != 0:
                walk.say(field.id, "kind", f"{field.name} is to be unsigned and unscaled.")
        taken = self.ends
        for case in self.cases:
            if case.types.meets(taken):
                walk.say(case.id, "types", f"{case.name} has a type that another case has, too.")
            taken = RawSet((*taken.spans, *case.types.spans))
            inner = (*scope, self.type, self.length, *case.fields)
            walk.fields(case.fields, inner, MAX_BYTES)
            walk.parts(case.parts, inner, depth + 1)
        return scope

    # reading

    def decode(self, here: Stretches, reader: PartReader) -> tuple[Columns, NDArray[np.int64]]:
        from ...kernels.stretches import walk_elements  # compiled code loads when frames are read, not with a layout

        limit = here.limit
        if self.amount is not None:
            limit = np.minimum(limit, here.start + here.amount(self.amount))
        walked = walk_elements(
            np.ascontiguousarray(here.matrix), here.row, here.start, limit, (self.head, self.length_unit, self.extra),
            (reader.head_steps(self.type), reader.head_steps(self.length)), _ends_of(self.ends), _ends_of(self.alone),
        )  # fmt: skip
        owner, number, begin, size, types, lengths, after, cut = walked
        reader.cut(here, cut)
        items = here.pick(owner, begin, begin + size, number)
        heads = {one.id: reader.unscaled(one, raw) for one, raw in ((self.type, types), (self.length, lengths))}
        is_alone = self.alone.holds(types)
        reader.leave_out(heads[self.length.id], is_alone)
        items.scope.add(heads)
        before = np.where(is_alone, self.type.places.size_needed, self.head)
        reader.own_places((self.type, self.length), heads, replace(items, start=begin - before))
        reader.keep(self.id, self.name, items, heads, lists=True)
        for case in self.cases:
            rows = np.flatnonzero(case.types.holds(types))
            inner = replace(items.pick(rows, begin[rows]), limit=(begin + size)[rows])
            _decode_case(case, inner, reader)
        return {}, after

    def lists(self) -> Iterator[Part]:
        yield self

    def example(self) -> str:
        case = self.cases[0] if self.cases else None
        return f'[["{case.name}", {example_item(case.fields)}]]' if case is not None else '[[1, "00 FF"]]'

    # writing

    def build(self, region: Region, begin: int, unused: dict[str, Any]) -> int:
        """Write elements, each given as ``(kind, item)``: the name of a case, a named type or a raw type."""
        elements = unused.pop(self.name, ())
        if isinstance(elements, str | bytes) or not isinstance(elements, Sequence):
            raise region.refused("elements are a list.", self.name)
        content = b""
        for number, element in enumerate(elements):
            # a list of two, or a mapping of one name, as JSON has no pairs
            pair = next(iter(element.items())) if isinstance(element, Mapping) and len(element) == 1 else element
            if isinstance(pair, str | bytes) or not isinstance(pair, Sequence) or len(pair) != 2:
                raise region.refused(f"element {number} is a type and what it holds.", self.name)
            content += self._build_element(region, number, pair[0], pair[1])
        if self.amount is not None:
            region.make_true(self.amount, len(content), f"{self.name} takes")
        return region.place(begin, content)

    def _build_element(self, region: Region, number: int, kind: object, item: object) -> bytes:
        path = f"{self.name}[{number}]."
        head = region.inner(path, (self.type, self.length), self.head)
        # which kind it is comes first: of one that there is not, everything it holds would be wrong
        case, raw = self._kind_of(kind, head)
        if isinstance(item, Mapping):
            fields, parts, reach = (case.fields, case.parts, case.reach) if case is not None else ((), (), 0)
            value = region.build_inner(path, fields, parts, reach, item)
        else:
            value = _content(region, path, item)
        units, rest = divmod(len(value) - self.extra, self.length_unit)
        if rest:
            raise head.refused(f"{len(value)} bytes are not whole units of {self.length_unit}.")
        head.put(self.type, 0, raw)
        if raw in self.ends or raw in self.alone:
            if value:
                raise head.refused(f"elements of type {raw} hold nothing.")
            return bytes(head.data[: self.type.places.size_needed])
        head.set(self.length, 0, units)
        return bytes(head.data) + value

    def _kind_of(self, kind: object, head: Region) -> tuple[ElementCase | None, int]:
        """Return the case that an element is of, if it is of one, and its type."""
        for case in self.cases:
            if case.name == kind:
                return case, case.types.spans[0][0]
        raw = kind if isinstance(kind, int) else head.whole(self.type, str(kind))
        return next((case for case in self.cases if raw in case.types), None), raw


def _ends_of(raws: RawSet) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the lowest and the highest value of each span."""
    return tuple(np.array([span[end] for span in raws.spans], np.int64) for end in (0, 1))  # type: ignore[return-value]


def _content(region: Region, path: str, item: object) -> bytes:
    try:
        return bytes.fromhex(item) if isinstance(item, str) else bytes(item)  # type: ignore[call-overload]
    except (TypeError, ValueError) as error:
        raise region.refused(f"{item!r} is neither values by name nor bytes in hex.", path.rstrip(".")) from error


def _decode_case(case: ElementCase, here: Stretches, reader: PartReader) -> None:
    columns, _ = reader.fields(case.id, here, case.reach)
    behind = np.minimum(here.start + case.reach, here.limit)
    more, _ = reader.parts(case.parts, here, behind)
    reader.keep(case.id, case.name, here, columns | more)


def _add(layout: Layout) -> Layout:
    case = ElementCase(
        id=uuid4(), name="type 1", types=RawSet.of(1), fields=(new_field("value", parse_places("B0")),)
    )  # fmt: skip
    part = Elements(
        id=uuid4(), name=free_name(layout, "elements"), head=2, type=new_field("type", parse_places("B0")),
        length=new_field("length", parse_places("B1")), cases=(case,),
    )  # fmt: skip
    return layout.with_item(part)


_FLAGS = ("limited discoverable", "general discoverable", "no classic Bluetooth", "both modes at once")


def _add_advertising(layout: Layout) -> Layout:
    """Add what a Bluetooth LE advertisement is made of (Core Specification 5.4, volume 3, part C, section 11)."""

    def case(name: str, types: RawSet, *fields: Field, rest: tuple[str, FieldKind] | None = None) -> ElementCase:
        parts = () if rest is None else (
            Run(id=uuid4(), name=f"{rest[0]} bytes", field=new_field(rest[0], Places(()), rest[1])),
        )  # fmt: skip
        return ElementCase(id=uuid4(), name=name, types=types, fields=fields, parts=parts)

    names = tuple(NamedValue(bit, label) for bit, label in enumerate(_FLAGS))
    cases = (
        case("flags", RawSet.of(0x01), new_field("modes", parse_places("B0"), FieldKind.BITS, names=names)),
        case("name", RawSet.of(0x08, 0x09), rest=("local name", FieldKind.TEXT)),
        case("power", RawSet.of(0x0A), new_field("sent with", parse_places("B0"), FieldKind.SIGNED, unit="dBm")),
        case(
            "maker", RawSet.of(0xFF), new_field("company", parse_places("B1 B0")),
            rest=("of the maker", FieldKind.BYTES),
        ),
    )  # fmt: skip
    part = Elements(
        id=uuid4(), name=free_name(layout, "structures"), head=2, extra=-1,
        # the length stands first, and counts the type
        length=new_field("structure length", parse_places("B0")), type=new_field("structure", parse_places("B1")),
        cases=cases,
    )  # fmt: skip
    return layout.with_item(part)


PART = Elements
