"""Makes structs of a layout whose parts move."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from uuid import UUID

import msgspec

from ..codec.carried import Embedded
from ..expressions.expression import Expression
from ..expressions.tree import Name
from ..layouts.checks.check import Check
from ..layouts.computed import Computed
from ..layouts.fields import Field, FieldKind, Selected
from ..layouts.filling_order import in_filling_order
from ..layouts.model import Group, Layout, Part, RawSet
from ..layouts.parts.elements import ElementCase, Elements
from ..layouts.parts.group import Repeat
from ..layouts.parts.labels import Labels
from ..layouts.parts.packed import Packed
from ..layouts.parts.run import Run
from ..layouts.parts.text_line import TextLine
from ..protocols.registry import protocol_named
from .carried_fields import CarriedField
from .carried_message import CarriedMessage, CarriedValue
from .errors import CannotCarryError
from .naming import Forms, Members, Symbols
from .shapes import (
    MOST_ITEMS,
    Move,
    MovedField,
    MovedLine,
    MovedList,
    MovedRows,
    MovedStretch,
    MovedStruct,
    Stretch,
    constant,
)

_MOST_SAID = 256
"""Items of a list that says how many there are: each takes room in the struct."""
_HIGHEST = (1 << 64) - 1


def shaped(layout: Layout, name: str, symbols: Symbols, forms: Forms) -> CarriedMessage:
    """Return a message whose parts move.

    Raises
    ------
    CannotCarryError
        If there is something in it that no struct has.
    """
    return _Shaper(layout, symbols, forms).message(layout, name)


class _Shaper:
    """Makes the structs of one message.

    Attributes
    ----------
    longest
        Bytes of the longest payload that the protocol carries.
    """

    def __init__(self, layout: Layout, symbols: Symbols, forms: Forms) -> None:
        self._layout = layout
        self._symbols = symbols
        self._forms = forms
        self.longest: int = protocol_named(layout.applies.protocol).largest_payload

    def message(self, layout: Layout, name: str) -> CarriedMessage:
        """Return the struct of a message, or of a payload in it."""
        struct = _Struct(self, name, layout.fields, layout.parts, layout.computed, is_payload=True)
        fields, moves = struct.placed(layout.fields), struct.moves(layout.parts)
        stretch = Stretch(fields, layout.size, layout.size, moves, is_payload=True)
        return struct.made(layout, stretch, layout.checks)

    def inner(
        self, name: str, identity: UUID, fields: tuple[Field, ...], size: int, reach: int, parts: tuple[Part, ...] = (),
        checks: tuple[Check, ...] = (), computed: tuple[Computed, ...] = (), *, is_payload: bool = False,
    ) -> CarriedMessage:  # fmt: skip
        """Return the struct of something in a message; of a payload in it expressions may name the size."""
        struct = _Struct(self, name, fields, parts, computed, is_payload=is_payload)
        placed, moves, own = struct.placed(fields), struct.moves(parts), _that_spoil(checks, fields)
        stretch = Stretch(placed, size, reach, moves, own, is_payload)
        return struct.made(self._as_layout(name, identity, fields, size, computed), stretch, ())

    def row(self, name: str, line: TextLine) -> tuple[CarriedMessage, tuple[CarriedField | None, ...]]:
        """Return the struct of one row of a line, and its columns."""
        once = msgspec.structs.replace(line, repeat=Repeat.ONCE, selected=None)
        struct = _Struct(self, name, (), (once,), (), is_payload=False)
        columns = struct.columns(once)
        named = tuple(field for field in line.columns if field.name)
        return struct.made(self._as_layout(name, line.id, named, 0, ()), None, ()), columns

    def _as_layout(
        self, name: str, identity: UUID, fields: tuple[Field, ...], size: int, computed: tuple[Computed, ...]
    ) -> Layout:
        return msgspec.structs.replace(
            self._layout, id=identity, name=name, fields=fields, size=size, parts=(), checks=(), computed=computed
        )

    def struct_name(self, outer: str, member: str, identity: UUID) -> str:
        """Return a name for a struct in another one."""
        return self._symbols.give(f"{outer}_{member}", identity, *self._forms["struct"])

    @property
    def symbols(self) -> Symbols:
        """Names of the whole program."""
        return self._symbols

    @property
    def forms(self) -> Forms:
        """How symbols are made."""
        return self._forms

    def most_bytes(self) -> int:
        """Return how long a text can be at most where the protocol says; 0 where that is not worth saying."""
        return self.longest if self.longest <= _MOST_SAID else 0


def _that_spoil(checks: Iterable[Check], fields: Sequence[Field]) -> tuple[Check, ...]:
    return in_filling_order([check for check in checks if check.spoils], fields)


class _Struct:
    """One scope of names."""

    def __init__(
        self, shaper: _Shaper, name: str, fields: Sequence[Field], parts: Sequence[Part], computed: Sequence[Computed],
        *, is_payload: bool,
    ) -> None:  # fmt: skip
        self._shaper = shaper
        self._name = name
        self._computed = (*_computed_once(parts), *computed)
        if not is_payload:
            _refuse_sizes(self._computed)
        self._checks: list[Check] = []
        self._fields: list[CarriedField] = []
        named = {field.id: field.name for field in (*fields, *_fields_in(parts))}
        named |= {one.id: one.name for one in self._computed}
        members = Members(name, shaper.symbols, shaper.forms)
        self._names = members.give(named, "{}", "{}_raw", "{}_size", "{}_known", "{}_tens")
        self._names |= members.give_structs({part.id: part.name for part in _members_in(parts)})

    def made(self, layout: Layout, stretch: Stretch | None, checks: Iterable[Check]) -> CarriedMessage:
        """Return it with everything that was put in."""
        known = {one.field.id for one in self._fields}
        for one in self._fields:
            if one.field.selected is not None and one.field.selected.field not in known:
                what = f"{one.field.name} stands under a selector of outside"
                raise CannotCarryError(f"{what}, which is not carried yet.")
        own = _that_spoil(checks, [one.field for one in self._fields])
        inner = [check for check in (*(stretch.checks if stretch else ()), *self._checks) if check not in own]
        values = tuple(CarriedValue(one, self._names[one.id]) for one in self._computed)
        return CarriedMessage(layout, self._name, tuple(self._fields), values, (*own, *inner), None, stretch)

    def placed(self, fields: Iterable[Field]) -> tuple[CarriedField, ...]:
        """Take fields with places in."""
        made = tuple(CarriedField.placed(field, self._names[field.id]) for field in fields)
        self._fields += made
        return made

    def _moved(self, field: Field, part: Part, most: int) -> CarriedField:
        if field.kind is FieldKind.FLOAT and field.base != 10:
            raise CannotCarryError(f"{field.name} is floating point in hex digits of a text, which is not carried yet.")
        made = CarriedField.moved(
            self._under(field, part), self._names[field.id], most, is_labels=isinstance(part, Labels)
        )
        self._fields.append(made)
        return made

    def _under(self, field: Field, part: Part) -> Field:
        return field if field.selected is not None else msgspec.structs.replace(field, selected=part.selected)

    # parts, each as what it is to a struct

    def moves(self, parts: Iterable[Part]) -> tuple[Move, ...]:
        """Take parts in."""
        return tuple(self._move(part) for part in parts)

    def _move(self, part: Part) -> Move:
        where = part.name, part.start, part.align, part.selected
        if isinstance(part, Run | Labels):
            return MovedField(*where, self._moved(part.field, part, self._most_of(part)), part)
        if isinstance(part, TextLine):
            return MovedLine(*where, self.columns(part), part) if part.repeat is Repeat.ONCE else self._rows(part)
        if isinstance(part, Embedded):
            struct = self._shaper.struct_name(self._name, self._names[part.id], part.id)
            inner = self._shaper.inner(struct, part.id, part.fields, part.size, part.size, part.parts, part.checks,
                                       part.computed, is_payload=True)  # fmt: skip
            return MovedStruct(*where, inner, self._names[part.id], part.limit)
        if isinstance(part, _Case):
            struct = self._shaper.struct_name(self._name, self._names[part.id], part.id)
            inner = self._shaper.inner(struct, part.id, part.fields, 0, part.size, part.parts)
            return MovedStruct(*where, inner, self._names[part.id])
        if isinstance(part, Group) and part.repeat is Repeat.ONCE:
            return self._once(part)
        if isinstance(part, Group | Elements | Packed):
            member = self._names[part.id]
            struct = self._shaper.struct_name(self._name, member, part.id)
            return MovedList(*where, self._items(part, struct), member, self._most_items(part), part)
        raise CannotCarryError(f"{part.name} is a {part.words()}, which is not carried yet.")

    def columns(self, line: TextLine) -> tuple[CarriedField | None, ...]:
        """Take columns in."""
        most = self._shaper.most_bytes()
        return tuple(self._moved(one, line, most) if one.name else None for one in line.columns)

    def _rows(self, line: TextLine) -> MovedRows:
        if line.computed:
            raise CannotCarryError(f"{line.name} has computed values in its items, which is not carried yet.")
        member = self._names[line.id]
        items, columns = self._shaper.row(self._shaper.struct_name(self._name, member, line.id), line)
        where = line.name, line.start, line.align, line.selected
        return MovedRows(*where, items, member, self._most_items(line), line, columns)

    def _once(self, group: Group) -> MovedStretch:
        fields = self.placed(_once_fields(group))
        checks = _that_spoil(group.checks, group.fields)
        self._checks += checks
        stretch = Stretch(fields, group.size, group.size, self.moves(_once_parts(group)), checks)
        return MovedStretch(group.name, group.start, group.align, group.selected, stretch, group.limit)

    def _most_of(self, part: Run | Labels) -> int:
        said = constant(part.length) if isinstance(part, Run) else None
        return said if said is not None and 0 < said <= self._shaper.longest else self._shaper.most_bytes()

    def _most_items(self, part: Group | Elements | TextLine | Packed) -> int | None:
        if isinstance(part, Elements) or part.repeat is not Repeat.COUNT or part.amount is None:
            return None
        said = constant(part.amount)
        if said is not None and said > _MOST_SAID:
            raise CannotCarryError(f"{part.name} has {said} items, more than {_MOST_SAID}.")
        if said is not None:
            return max(said, 1)
        tree = part.amount.tree
        counting = [one for one in self._fields if isinstance(tree, Name) and one.field.name == tree.name]
        is_plain = len(counting) == 1 and counting[0].is_number and counting[0].field.ratio == 1
        highest = counting[0].raw_range[1] if is_plain and not counting[0].field.offset else _HIGHEST
        # no more than where nothing says
        return max(highest, 1) if highest <= MOST_ITEMS else None

    def _items(self, part: Group | Elements | Packed, struct: str) -> CarriedMessage:
        shaper = self._shaper
        if isinstance(part, Packed):
            (field,) = next(part.field_groups())[1]
            return shaper.inner(struct, part.id, (field,), -(-part.bits // 8), -(-part.bits // 8))
        if isinstance(part, Elements):
            return self._elements(part, struct)
        return shaper.inner(struct, part.id, part.fields, part.size, part.size, part.parts, part.checks, part.computed)

    def _elements(self, part: Elements, struct: str) -> CarriedMessage:
        """Return the struct of an element: its head, and a struct for each case, of which one is there at most."""
        length = part.length
        if part.alone:
            length = msgspec.structs.replace(length, selected=Selected(part.type.id, _others(part.alone)))
        if part.type.inverted or part.length.inverted:
            raise CannotCarryError(f"type or length of {part.name} are turned round, which is not carried yet.")
        cases = tuple(_as_part(part, case) for case in part.cases)
        return self._shaper.inner(struct, part.id, (part.type, length), 0, 0, cases)


def _refuse_sizes(values: Iterable[Computed]) -> None:
    for one in values:
        if "size" in one.names_used:
            raise CannotCarryError(f"{one.name} takes the size of the frame in, from inside a part of it.")


def _once_fields(group: Group) -> tuple[Field, ...]:
    """Return the fields of a part that is there once, each under its selector."""
    inside = {field.id for field in group.fields}
    for field in group.fields:
        if field.selected is not None and group.selected is not None and field.selected.field not in inside:
            raise CannotCarryError(f"{field.name} stands under two selectors, which is not carried yet.")
    # a selector that is absent selects nothing, so what stands over it need not be said again
    return tuple(
        msgspec.structs.replace(field, selected=field.selected or group.selected) for field in group.fields
    )  # fmt: skip


def _once_parts(group: Group) -> tuple[Part, ...]:
    """Return the parts in it, likewise."""
    inside = {field.id for field in group.all_fields()}
    for part in group.parts:
        if part.selected is not None and group.selected is not None and part.selected.field not in inside:
            raise CannotCarryError(f"{part.name} stands under two selectors, which is not carried yet.")
    return tuple(msgspec.structs.replace(part, selected=part.selected or group.selected) for part in group.parts)


def _is_in_scope(part: Part) -> bool:
    """Return whether fields of a part are in the struct around it."""
    return isinstance(part, Group) and part.repeat is Repeat.ONCE and not isinstance(part, Embedded | _Case)


def _fields_in(parts: Iterable[Part]) -> Iterator[Field]:
    """Yield the fields of parts that are members of the struct around them."""
    for part in parts:
        if isinstance(part, Run | Labels):
            yield part.field
        elif isinstance(part, TextLine) and part.repeat is Repeat.ONCE:
            yield from (field for field in part.columns if field.name)
        elif isinstance(part, Group) and _is_in_scope(part):
            yield from part.fields
            yield from _fields_in(part.parts)


def _members_in(parts: Iterable[Part]) -> Iterator[Part]:
    """Yield the parts that are structs of their own in the struct around them."""
    for part in parts:
        if isinstance(part, Group) and _is_in_scope(part):
            yield from _members_in(part.parts)
        elif not isinstance(part, Run | Labels) and not (isinstance(part, TextLine) and part.repeat is Repeat.ONCE):
            yield part


def _computed_once(parts: Iterable[Part]) -> Iterator[Computed]:
    for part in parts:
        if isinstance(part, TextLine) and part.repeat is Repeat.ONCE:
            yield from part.computed
        elif isinstance(part, Group) and _is_in_scope(part):
            yield from _computed_once(part.parts)
            yield from part.computed


class _Case(Group, frozen=True, kw_only=True, omit_defaults=True, tag="case"):
    """What elements of some types hold, as a part behind the head."""


def _as_part(part: Elements, case: ElementCase) -> _Case:
    if case.types.meets(part.alone):
        raise CannotCarryError(f"{case.name} is of types without a length, and holds something.")
    return _Case(id=case.id, name=case.name, start=Expression(str(part.head)), size=case.reach, fields=case.fields,
                 parts=case.parts, selected=Selected(part.type.id, case.types))  # fmt: skip


def _others(values: RawSet) -> RawSet:
    """Return all numbers of 64 bits that are not in a set."""
    spans, low = [], 0
    for first, last in values.spans:
        if first > low:
            spans.append((low, first - 1))
        low = last + 1
    return RawSet([*spans, (low, _HIGHEST)])
