"""Layouts: immutable values that say what a message means.

An edit makes a new layout; undo, history and comparison follow from that. Layouts, fields, parts and checks
carry a UUID, so that a rename is not a delete. This module is the door to the whole model.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from typing import TYPE_CHECKING, TypeVar, Union
from uuid import UUID, uuid4

import msgspec

from ..expressions.expression import Expression
from .applies import Applies
from .checks.check import Check
from .checks.complement import Complement
from .checks.counter import Counter
from .checks.coverage import AddressKey, Coverage
from .checks.crc import Crc
from .checks.pair import Matched, Pair
from .checks.registry import check_kinds
from .checks.reserved import Reserved
from .checks.rule import Rule
from .checks.sum import Carry, Sum
from .checks.xor import Xor
from .computed import Computed
from .fields import TEXT_ENCODINGS, CurvePoint, Field, FieldKind, NamedValue, Selected, new_field
from .joined import JoinedText
from .parts.carried import Carried
from .parts.elements import ElementCase, Elements
from .parts.group import Axis, Group, Repeat
from .parts.labels import Labels
from .parts.packed import Packed
from .parts.part import Part
from .parts.registry import let_parts_hold, part_kinds
from .parts.run import Run
from .parts.text_line import TextLine
from .places import Places, format_places
from .raw_sets import RawSet
from .registers import RegisterMap, Space

if TYPE_CHECKING:
    AnyCheck = Check
    AnyPart = Part
else:
    # what documents may hold is what was found, also in packages from outside; no checker can know it
    AnyCheck = Union[check_kinds()]  # noqa: UP007 - of a tuple that is made at run time
    AnyPart = Union[part_kinds()]  # noqa: UP007 - of a tuple that is made at run time
    let_parts_hold(AnyPart, AnyCheck)


class Layout(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """What one message means.

    Attributes
    ----------
    size
        Payload bytes a frame should have; of a layout with parts, bytes of the fixed fields before them.
    fields
        Fixed fields; places count from the payload's first byte, or from the first register of a map.
    parts
        What follows and moves.
    checks, computed
    registers
        Makes the layout a register map; an exchange reads the stretch it covers.
    sender
        Who sends it, in words.
    """

    id: UUID
    name: str
    applies: Applies
    size: int
    fields: tuple[Field, ...] = ()
    parts: tuple[AnyPart, ...] = ()
    checks: tuple[AnyCheck, ...] = ()
    computed: tuple[Computed, ...] = ()
    registers: RegisterMap | None = None
    sender: str = ""
    note: str = ""

    @property
    def moves(self) -> bool:
        """Whether anything has no fixed place."""
        return bool(self.parts)

    def field(self, field_id: UUID) -> Field:
        """Return the fixed field with this id.

        Raises
        ------
        KeyError
            If there is none.
        """
        return _by_id(self.fields, field_id)

    def any_field(self, field_id: UUID) -> Field:
        """Return the field with this id, of the fixed ones or of a part; raises KeyError if there is none."""
        return _by_id(self.all_fields(), field_id)

    def places_text(self, places: Places) -> str:
        """Return places as people write them here: of a map of 16-bit registers whole ones as ``R111 R112``."""
        has_words = self.registers is not None and self.registers.space.register_bits == 16
        return format_places(places, registers=has_words)

    def field_named(self, name: str) -> Field | None:
        """Return the fixed field with this name, or None."""
        return next((field for field in self.fields if field.name == name), None)

    def all_fields(self) -> Iterator[Field]:
        """Yield the fixed fields and those of all parts, in reading order."""
        yield from self.fields
        for part in self.parts:
            yield from part.all_fields()

    def named_items(self) -> Iterator[Field | Computed]:
        """Yield all that has a name and a unit: fields, then computed values."""
        yield from self.all_fields()
        yield from self.all_computed()

    def once_a_frame(self) -> Iterator[Field]:
        """Yield the fields that are there once a frame, and computed values as fields."""
        yield from self.fields
        for part in self.parts:
            yield from part.fields_once()
        yield from (value.as_field() for value in self.computed)

    def lists(self) -> Iterator[Part]:
        """Yield the parts that are given as a list of items, once a frame."""
        for part in self.parts:
            yield from part.lists()

    def all_checks(self) -> Iterator[Check]:
        """Yield the checks over frames, then those of parts."""
        yield from self.checks
        for part in self.parts:
            yield from part.checks_inside()

    def all_computed(self) -> Iterator[Computed]:
        """Yield the values that are computed once a frame, then those of parts."""
        yield from self.computed
        for part in self.parts:
            yield from part.computed_inside()

    def with_field(self, field: Field) -> Layout:
        """Return a layout with the field of the same id replaced, also within parts, or added in order of place.

        Expressions follow a new name.
        """
        known = next((one for one in self.all_fields() if one.id == field.id), None)
        if known is None:
            fields = tuple(sorted((*self.fields, field), key=_first_place))
            return msgspec.structs.replace(self, fields=fields)
        changed = rewrite(self, lambda node: field if isinstance(node, Field) and node.id == field.id else node)
        return changed if known.name == field.name else renamed(changed, known.name, field.name)

    def without_field(self, field_id: UUID) -> Layout:
        """Return a layout without a field; what it selects is then always present, its checks go with it."""
        freed = _map_selected(self, lambda held: None if held.field == field_id else held)
        return msgspec.structs.replace(
            freed,
            fields=tuple(field for field in freed.fields if field.id != field_id),
            checks=tuple(check for check in freed.checks if field_id not in check.fields()),
        )

    def item(self, item_id: UUID) -> Item:
        """Return the field, part, case, check or computed value with this id, wherever it lies.

        Raises
        ------
        KeyError
            If there is none.
        """
        found: list[Item] = []

        def look(node):  # type: ignore[no-untyped-def]
            if getattr(node, "id", None) == item_id and not isinstance(node, Layout):
                found.append(node)
            return node

        rewrite(self, look)
        if not found:
            raise KeyError(item_id)
        return found[0]

    def with_item(self, item: Item) -> Layout:
        """Return a layout with a field, part, case, check or computed value replaced by id, or added at its end."""
        if isinstance(item, Field):
            return self.with_field(item)
        try:
            known = self.item(item.id)
        except KeyError:
            name = _shelf_of(item)
            return msgspec.structs.replace(self, **{name: (*getattr(self, name), item)})
        changed = rewrite(self, lambda node: item if node is known else node)
        if isinstance(item, Computed) and known.name != item.name:
            changed = renamed(changed, known.name, item.name)
        return changed

    def without_item(self, item_id: UUID) -> Layout:
        """Return a layout without what has this id, wherever it lies; what depends on a field that goes is freed."""
        item = self.item(item_id)
        if isinstance(item, Field) and any(field.id == item_id for field in self.fields):
            return self.without_field(item_id)
        gone = {item_id} | ({field.id for field in item.all_fields()} if isinstance(item, Part) else set())
        kept = _dropped(self, gone)
        return msgspec.structs.replace(
            kept, checks=tuple(check for check in kept.checks if not gone & {check.id, *check.fields()})
        )

    def owners(self) -> dict[int, list[int]]:
        """Return, for each explained bit of the fixed part, the numbers of the fields it belongs to."""
        owned: dict[int, list[int]] = {}
        for number, field in enumerate(self.fields):
            for bit in field.places:
                owned.setdefault(bit, []).append(number)
        return owned

    def reserved_bits(self) -> frozenset[int]:
        """Return the bits that the layout says never mean anything."""
        return frozenset(bit for check in self.checks for bit in check.still_bits())


_T = TypeVar("_T")


def _by_id(items: Iterable[_T], wanted: UUID) -> _T:
    for item in items:
        if item.id == wanted:  # type: ignore[attr-defined]
            return item
    raise KeyError(wanted)


Item = Field | Part | ElementCase | Check | Computed
"""Everything in a layout that has an identity and can be edited on its own."""


def _dropped(node, gone: set[UUID]):  # type: ignore[no-untyped-def]
    """Return a value of the model without the members of its tuples that have one of these ids."""
    if isinstance(node, msgspec.Struct):
        inner = {name: getattr(node, name) for name in node.__struct_fields__}
        replaced = {name: _dropped(value, gone) for name, value in inner.items()}
        moved = {name: value for name, value in replaced.items() if value is not inner[name]}
        return msgspec.structs.replace(node, **moved) if moved else node
    if isinstance(node, tuple):
        items = tuple(_dropped(item, gone) for item in node if getattr(item, "id", None) not in gone)
        return items if items != node else node
    return node


def _shelf_of(item: Item) -> str:
    if isinstance(item, Computed):
        return "computed"
    return "parts" if isinstance(item, Part) else "checks"


def renamed(layout: Layout, old: str, new: str) -> Layout:
    """Return a layout in which every expression and joined text says ``new`` where it said ``old``."""
    return rewrite(layout, lambda node: node.renamed(old, new) if isinstance(node, Expression | JoinedText) else node)


def rewrite(node, change):  # type: ignore[no-untyped-def]
    """Return a value of the model with ``change`` applied to everything in it, inside out."""
    if isinstance(node, msgspec.Struct):
        inner = {name: getattr(node, name) for name in node.__struct_fields__}
        replaced = {name: rewrite(value, change) for name, value in inner.items()}
        moved = {name: value for name, value in replaced.items() if value is not inner[name]}
        return change(msgspec.structs.replace(node, **moved) if moved else node)
    if isinstance(node, tuple):
        items = tuple(rewrite(item, change) for item in node)
        return items if any(a is not b for a, b in zip(items, node, strict=True)) else node
    return change(node)


def _map_selected(layout: Layout, change) -> Layout:  # type: ignore[no-untyped-def]
    return rewrite(layout, lambda node: change(node) if isinstance(node, Selected) else node)


def _first_place(field: Field) -> int:
    """Number a field by its first bit: by byte, then from the highest bit down, as people read a payload."""
    return min((bit // 8 * 8 + 7 - bit % 8 for bit in field.places.bits), default=1 << 40)


def new_layout(name: str, applies: Applies, size: int, fields: Iterable[Field] = (), **settings: object) -> Layout:
    """Return a layout with an identity of its own."""
    return Layout(id=uuid4(), name=name, applies=applies, size=size, fields=tuple(fields), **settings)  # type: ignore[arg-type]


__all__ = [
    "TEXT_ENCODINGS", "AddressKey", "Applies", "Axis", "Carried", "Carry", "Check", "Complement", "Computed",
    "Counter", "Coverage", "Crc", "CurvePoint", "ElementCase", "Elements", "Expression", "Field", "FieldKind",
    "Group", "Labels", "Layout", "Matched", "NamedValue", "Packed", "Pair", "Part", "Places", "RawSet",
    "RegisterMap", "Repeat", "Reserved", "Rule", "Run", "Selected", "Space", "Sum", "TextLine", "Xor", "new_field",
    "new_layout", "renamed", "rewrite",
]  # fmt: skip
