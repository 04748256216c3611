"""All that is ready to be dropped into a layout: what parts and checks bring, and computed values."""

from __future__ import annotations

from uuid import uuid4

from msgspec.structs import replace

from ..expressions.expression import Expression, quoted
from .checks.registry import check_kinds
from .fields import FieldKind, new_field
from .joined import JoinedText
from .model import Computed, ElementCase, Group, Layout, Part
from .parts.registry import part_kinds
from .places import Places, byte_bits, parse_places
from .template import NothingToDoError, Template, free_name


def _add_computed(layout: Layout) -> Layout:
    numbers = [field for field in layout.fields if field.kind.is_number]
    if not numbers:
        raise NothingToDoError("A computed value needs a number to compute from; make a field first.")
    text = " * ".join(quoted(field.name) for field in numbers[:2])
    return layout.with_item(Computed(id=uuid4(), name=free_name(layout, "computed"), expression=Expression(text)))


def _add_text(layout: Layout) -> Layout:
    named = [field.name for field in layout.once_a_frame() if field.name]
    if not named:
        raise NothingToDoError("A text is put together of fields; make one first.")
    text = JoinedText(" ".join(f"{{{name}}}" for name in named[:2]))
    return layout.with_item(Computed(id=uuid4(), name=free_name(layout, "text"), text=text))


FAMILIES_INSIDE = ("checks", "values")
"""Of what is dropped in, those that a group may have of its own."""

TEMPLATES: tuple[Template, ...] = (
    *(template for kind in (*part_kinds(), *check_kinds()) for template in kind.templates()),
    Template("Computed value", "values", _add_computed),
    Template("Text of several fields", "values", _add_text),
)


def with_one_more_inside(layout: Layout, item: Part | ElementCase) -> Layout:
    """Return a layout with one more of what fits inside an item: a field, a column or a case."""
    return layout.with_item(item.one_more_inside(layout))


def with_template_inside(layout: Layout, group: Group, template: Template) -> Layout:
    """Return a layout with something dropped into a group of it: a check or a computed value of each item.

    Raises
    ------
    NothingToDoError
        If it has no place there.
    """
    # an item is a small message of its own, to whatever is dropped into it
    alone = Layout(
        id=group.id, name=group.name, applies=layout.applies, size=group.size, fields=group.fields, parts=group.parts,
        checks=group.checks, computed=group.computed,
    )  # fmt: skip
    made = template.add(alone)
    return layout.with_item(
        replace(group, size=made.size, fields=made.fields, parts=made.parts, checks=made.checks, computed=made.computed)
    )


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
        bits = list(byte_bits(range(first // 8, (first + width) // 8)))
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
