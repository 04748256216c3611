"""Common parts, checks and values, ready to be dropped into a layout and filled in."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from uuid import uuid4

from msgspec.structs import replace

from ..expressions.expression import Expression, quoted
from .checks import Complement, Counter, Coverage, Crc, Reserved, Rule, Sum, Xor
from .fields import Field, FieldKind, Selected, new_field
from .model import Computed, Layout
from .parts import ElementCase, Elements, Group, Repeat, Run, TextLine
from .places import Places, parse_places
from .raw_sets import RawSet

NO_PLACES = Places(())


class NothingToDoError(ValueError):
    """A template that has no place in this layout; the message says why."""


@dataclass(frozen=True, slots=True)
class Template:
    """Something that can be dropped in.

    Attributes
    ----------
    name
        As a menu says it.
    family
        ``moving parts``, ``checks`` or ``values``.
    add
        Returns the layout with it; raises :class:`NothingToDoError` where it has no place.
    """

    name: str
    family: str
    add: Callable[[Layout], Layout]


def free_name(layout: Layout, word: str) -> str:
    """Return a word, with a number if something of the layout is called so already."""
    taken = {item.name for item in (*layout.named_items(), *layout.parts, *layout.checks)}
    number = 1
    name = word
    while name in taken:
        number += 1
        name = f"{word} {number}"
    return name


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


def _add_string(layout: Layout) -> Layout:
    name = free_name(layout, "text")
    return layout.with_item(Run(id=uuid4(), name=name, field=new_field(name, NO_PLACES, FieldKind.TEXT), end="00"))


def _add_elements(layout: Layout) -> Layout:
    case = ElementCase(
        id=uuid4(), name="type 1", types=RawSet.of(1), fields=(new_field("value", parse_places("B0")),)
    )  # fmt: skip
    part = Elements(
        id=uuid4(), name=free_name(layout, "elements"), head=2, type=new_field("type", parse_places("B0")),
        length=new_field("length", parse_places("B1")), cases=(case,),
    )  # fmt: skip
    return layout.with_item(part)


def _add_line(layout: Layout) -> Layout:
    columns = tuple(new_field(f"column {number}", NO_PLACES) for number in (1, 2))
    return layout.with_item(TextLine(id=uuid4(), name=free_name(layout, "line"), columns=columns))


def _field_for_check(layout: Layout, words: tuple[str, ...]) -> Field:
    """Return the field that looks like the check: by its name, else the last whole byte of its own."""
    for field in layout.fields:
        if any(word in field.name.lower() for word in words):
            return field
    whole = [field for field in layout.fields if field.kind is FieldKind.UNSIGNED and len(field.places) % 8 == 0]
    if not whole:
        raise NothingToDoError("A check needs an unsigned field of whole bytes that holds it; make one first.")
    return whole[-1]


def _before(field: Field, layout: Layout) -> Coverage:
    first = min(field.places.bits, default=0) // 8
    if layout.parts or not len(field.places):
        return Coverage(end=Expression("size - 1"))
    return Coverage(end=Expression(str(first))) if first else Coverage(first=Expression("1"))


def _add_crc(width: int, polynomial: int, start: int, final: int, reflected: bool) -> Callable[[Layout], Layout]:
    def add(layout: Layout) -> Layout:
        field = _field_for_check(layout, ("crc", "check"))
        crc = Crc(
            id=uuid4(), name=free_name(layout, f"CRC-{width}"), field=field.id, coverage=_before(field, layout),
            width=width, polynomial=polynomial, start=start, final=final, reflect_in=reflected, reflect_out=reflected,
        )  # fmt: skip
        return layout.with_item(crc)

    return add


def _add_sum(layout: Layout) -> Layout:
    field = _field_for_check(layout, ("sum", "check"))
    return layout.with_item(
        Sum(id=uuid4(), name=free_name(layout, "sum check"), field=field.id, coverage=_before(field, layout))
    )


def _add_xor(layout: Layout) -> Layout:
    field = _field_for_check(layout, ("xor", "check"))
    return layout.with_item(
        Xor(id=uuid4(), name=free_name(layout, "exclusive or"), field=field.id, coverage=_before(field, layout))
    )


def _add_counter(layout: Layout) -> Layout:
    found = next((f for f in layout.fields if "count" in f.name.lower() and f.kind is FieldKind.UNSIGNED), None)
    field = found or next((f for f in layout.fields if f.kind is FieldKind.UNSIGNED), None)
    if field is None:
        raise NothingToDoError("A counter needs an unsigned field; make one first.")
    return layout.with_item(Counter(id=uuid4(), name=free_name(layout, f"{field.name} goes up"), field=field.id))


def _add_complement(layout: Layout) -> Layout:
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


def _add_reserved(layout: Layout) -> Layout:
    taken = set(layout.owners()) | layout.reserved_bits()
    free = [bit for bit in range(layout.size * 8) if bit not in taken][:64]
    if not free:
        raise NothingToDoError("Every bit belongs to a field already.")
    order = sorted(free, key=lambda bit: (bit // 8, -(bit % 8)))
    return layout.with_item(Reserved(id=uuid4(), name=free_name(layout, "reserved"), places=Places(order)))


def _add_rule(layout: Layout) -> Layout:
    return layout.with_item(
        Rule(id=uuid4(), name=free_name(layout, "length"), expression=Expression(f"size == {layout.size}"))
    )


def _add_computed(layout: Layout) -> Layout:
    numbers = [field for field in layout.fields if field.kind.is_number]
    if not numbers:
        raise NothingToDoError("A computed value needs a number to compute from; make a field first.")
    text = " * ".join(quoted(field.name) for field in numbers[:2])
    return layout.with_item(Computed(id=uuid4(), name=free_name(layout, "computed"), expression=Expression(text)))


TEMPLATES: tuple[Template, ...] = (
    Template("Array", "moving parts", _add_array),
    Template("Part behind a flag", "moving parts", _add_optional),
    Template("String up to a zero", "moving parts", _add_string),
    Template("List of type, length and value", "moving parts", _add_elements),
    Template("Text columns", "moving parts", _add_line),
    Template("Counter", "checks", _add_counter),
    Template("Sum over the bytes before", "checks", _add_sum),
    Template("Exclusive or over the bytes before", "checks", _add_xor),
    Template("CRC-8, polynomial 0x2F", "checks", _add_crc(8, 0x2F, 0xFF, 0xFF, False)),
    Template("CRC-16, polynomial 0x1021, start 0xFFFF", "checks", _add_crc(16, 0x1021, 0xFFFF, 0, False)),
    Template("CRC-16, polynomial 0x8005, reflected", "checks", _add_crc(16, 0x8005, 0xFFFF, 0, True)),
    Template("CRC-32, polynomial 0x04C11DB7, reflected", "checks",
             _add_crc(32, 0x04C11DB7, 0xFFFFFFFF, 0xFFFFFFFF, True)),
    Template("Complement of another field", "checks", _add_complement),
    Template("Reserved bits", "checks", _add_reserved),
    Template("Rule", "checks", _add_rule),
    Template("Computed value", "values", _add_computed),
)  # fmt: skip


def what_fits_inside(item: object) -> str:
    """Return what can be added inside a part, in words; nothing if nothing can."""
    if isinstance(item, Group | ElementCase):
        return "a field"
    if isinstance(item, TextLine):
        return "a column"
    return "a type" if isinstance(item, Elements) else ""


def with_one_more_inside(layout: Layout, item: Group | ElementCase | TextLine | Elements) -> Layout:
    """Return a layout with one more field, column or case inside an item; a group grows by the byte it takes."""
    name = free_name(layout, "column" if isinstance(item, TextLine) else "field")
    if isinstance(item, TextLine):
        return layout.with_item(replace(item, columns=(*item.columns, new_field(name, NO_PLACES))))
    if isinstance(item, Elements):
        known = RawSet(span for case in item.cases for span in case.types.spans)
        free = next(raw for raw in range(1 << 16) if raw and raw not in known)
        case = ElementCase(id=uuid4(), name=f"type {free}", types=RawSet.of(free))
        return layout.with_item(replace(item, cases=(*item.cases, case)))
    after = max((field.places.size_needed for field in item.fields), default=0)
    fields = (*item.fields, new_field(name, parse_places(f"B{after}")))
    if isinstance(item, Group):
        return layout.with_item(replace(item, fields=fields, size=max(item.size, after + 1)))
    return layout.with_item(replace(item, fields=fields))


def with_field_behind(layout: Layout) -> Layout:
    """Return a layout with a field in the first free register of a map, or the first byte with free bits.

    Where parts follow the fixed fields, it is the byte behind these, and the parts move on.
    """
    name = free_name(layout, "field")
    if layout.registers is not None:
        width = layout.registers.space.register_bits
        taken = {bit // width for field in layout.fields for bit in field.places}
        register = next(number for number in range(1 << 16) if number not in taken)
        first = register * width
        bits = [byte * 8 + bit for byte in range(first // 8, first // 8 + width // 8) for bit in range(7, -1, -1)]
        kind = FieldKind.FLAG if width == 1 else FieldKind.UNSIGNED
        return layout.with_field(new_field(name, Places(bits or [first]), kind))
    taken = {bit for field in layout.fields if field.selected is None for bit in field.places}
    for byte in range(0 if layout.moves else layout.size):
        free = [bit for bit in range(byte * 8 + 7, byte * 8 - 1, -1) if bit not in taken]
        if free:
            kind = FieldKind.FLAG if len(free) == 1 else FieldKind.UNSIGNED
            return layout.with_field(new_field(name, Places(free), kind))
    after = max((field.places.size_needed for field in layout.fields), default=0)
    grown = replace(layout, size=max(layout.size, after + 1))
    return grown.with_field(new_field(name, parse_places(f"B{after}")))
