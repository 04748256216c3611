"""What a message is to a program: the fields of its struct, when each is there, and what must agree.

The languages all write this down; what none of them carries is refused here, so that they agree about it.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass
from uuid import UUID

from ..codec.carried import with_carried
from ..layouts.checks.complement import Complement
from ..layouts.checks.over_bytes import OverBytes
from ..layouts.checks.rule import Rule
from ..layouts.filling_order import in_filling_order
from ..layouts.model import Check, Computed, Coverage, Crc, Layout, Sum, Xor
from ..layouts.validate import problems_inside
from ..reading.choice import Branch
from .carried_fields import CarriedField
from .errors import CannotCarryError
from .naming import Symbols, identifier, in_order_of_claim
from .shapes import MovedStruct, Stretch, every_move, every_stretch
from .unrolled import unrolled

_KNOWN_CHECKS = Complement, Crc, Rule, Sum, Xor


@dataclass(frozen=True, slots=True, eq=False)
class CarriedValue:
    """A value that is computed of fields.

    Attributes
    ----------
    name
        Its identifier within the message.
    """

    value: Computed
    name: str


@dataclass(frozen=True, slots=True, eq=False)
class CarriedMessage:
    """A message as languages write it down.

    Attributes
    ----------
    layout
    name
        The identifier of the message, without a prefix.
    fields
        In the order of the layout.
    computed
    checks
        Those that say whether the values of a frame hold, in the order in which they are filled in.
    branch
        The selector that all fields stand under, if they do: frames with another value are of another shape.
    stretch
        Of a message whose parts move, or a struct in one: what stands where. ``fields`` and ``checks`` are all of the
        struct; those of lists and structs in it are their own.
    """

    layout: Layout
    name: str
    fields: tuple[CarriedField, ...]
    computed: tuple[CarriedValue, ...]
    checks: tuple[Check, ...]
    branch: Branch | None
    stretch: Stretch | None = None

    @property
    def moves(self) -> bool:
        """Whether something in it has no fixed place."""
        return self.stretch is not None

    def field(self, field_id: UUID) -> CarriedField:
        """Return the field with an id; raises KeyError if the message has none."""
        found = next((one for one in self.fields if one.field.id == field_id), None)
        if found is None:
            raise KeyError(field_id)
        return found

    def named(self, name: str) -> CarriedField | CarriedValue | None:
        """Return what an expression names, None if it is nothing of the message.

        Raises
        ------
        CannotCarryError
            If two fields of a struct are called so.
        """
        if sum(one.field.name == name for one in self.fields) > 1:
            raise CannotCarryError(f"{name} is the name of two fields, and an expression names it.")
        by_name: dict[str, CarriedField | CarriedValue] = {one.field.name: one for one in self.fields if one.is_number}
        by_name |= {one.value.name: one for one in self.computed}
        return by_name.get(name)

    def takes_size(self, one: CarriedValue) -> bool:
        """Return whether the size of the frame goes into a computed value, or into one that it is computed of."""
        for name in one.value.expression.names:
            found = self.named(name)
            if (found is None and name == "size") or (isinstance(found, CarriedValue) and self.takes_size(found)):
                return True
        return False

    def computed_for(self, one: CarriedValue) -> list[CarriedValue]:
        """Return the computed values that one is computed of, and itself behind them, each once."""
        wanted = {one.name}
        for other in reversed(self.computed[: self.computed.index(one) + 1]):
            if other.name in wanted:
                found = (self.named(name) for name in other.value.expression.names)
                wanted |= {it.name for it in found if isinstance(it, CarriedValue)}
        return [it for it in self.computed if it.name in wanted]

    def selectors_first(self) -> list[CarriedField]:
        """Return the fields in an order in which each selector comes before what it selects."""
        ordered: list[CarriedField] = []

        def take(one: CarriedField) -> None:
            if one not in ordered:
                if one.field.selected is not None:
                    take(self.field(one.field.selected.field))
                ordered.append(one)

        for one in self.fields:
            take(one)
        return ordered

    def structs_that_may_be_absent(self) -> list[MovedStruct]:
        """Return the structs in its struct that stand under a selector."""
        return [one for one in every_move(self.stretch) if isinstance(one, MovedStruct) and one.selected is not None]

    def own_bits(self, check: OverBytes) -> tuple[int, ...]:
        """Return the bits of a check's own field, counted from where it begins; none if the field moves."""
        for stretch in every_stretch(self.stretch):
            if check in stretch.checks:
                return next((one.field.places.bits for one in stretch.fields if one.field.id == check.field), ())
        return self.field(check.field).field.places.bits

    @property
    def address(self) -> int:
        """The address that checks mix in; 0 of a layout that asks for none."""
        return self.layout.applies.address or 0

    @property
    def size_of_all(self) -> int:
        """Bytes that hold every field, and the layout's own size if that is more."""
        return max([self.layout.size, *(one.field.places.size_needed for one in self.fields)])


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A message that is not carried, and why."""

    message: str
    reason: str


Forms = Mapping[str, Sequence[str]]
"""How a language makes symbols: of a ``message`` and of a ``field``, with ``{}`` where the identifier stands."""


def carry(
    layouts: Iterable[Layout], forms: Forms, others: Mapping[UUID, Layout], *, reserved: Iterable[str] = ()
) -> tuple[list[CarriedMessage], list[LeftOut]]:
    """Return the messages that are carried, in order of name, and those that are not.

    Parameters
    ----------
    forms
        Of one language; what would be called alike in it gets names that are not.
    others
        Layouts that these carry, by id.
    reserved
        Names that the language or its helpers have already.
    """
    listed = sorted(layouts, key=lambda layout: (layout.name, str(layout.id)))
    by_id = {layout.id: layout for layout in listed}
    symbols = Symbols(set(reserved))
    names: dict[UUID, str] = {}
    for key in in_order_of_claim((layout.name, layout.id) for layout in listed):
        names[key] = symbols.give(identifier(by_id[key].name), key, *forms["message"])
    messages, left_out = [], []
    for layout in listed:
        try:
            messages.append(_carried(with_carried(layout, others), names[layout.id], symbols, forms))
        except CannotCarryError as error:
            left_out.append(LeftOut(layout.name, str(error)))
    return messages, left_out


def _carried(layout: Layout, name: str, symbols: Symbols, forms: Forms) -> CarriedMessage:
    refuse(layout)
    try:
        plain = unrolled(layout)
    except CannotCarryError:
        if STRUCT not in forms:
            raise
        # shaping names structs by what messages are named by, and messages are made here
        from .shaping import shaped

        return shaped(layout, name, symbols, forms)
    return plainly(plain, name, Members(name, symbols, forms))


STRUCT = "struct"
"""The forms of a language that has structs in structs, so that what moves can be carried, too."""


class Members:
    """Gives members of one struct their names.

    Parameters
    ----------
    struct
        What it is called.
    symbols
        Names of the whole program.
    """

    def __init__(self, struct: str, symbols: Symbols, forms: Forms) -> None:
        self.struct, self.symbols, self.forms = struct, symbols, forms
        self._own = Symbols()
        self._patterns = [pattern.format(message=struct, field="{}") for pattern in forms["field"]]

    def give(self, named: Mapping[UUID, str], *members: str) -> dict[UUID, str]:
        """Return the identifier of each thing that has a name.

        Parameters
        ----------
        members
            What members of the struct are called for each, with ``{}`` where the identifier stands.
        """
        given: dict[UUID, str] = {}
        for key in in_order_of_claim((called, key) for key, called in named.items()):
            # within the struct, and among the names of the whole program
            inside = self._own.give(identifier(named[key]), key, *members)
            given[key] = self.symbols.give(inside, key, *self._patterns)
        return given

    def give_structs(self, named: Mapping[UUID, str]) -> dict[UUID, str]:
        """Return the identifier of each struct in it; no function is called by its name but the one of a selector."""
        return {key: self._own.give(identifier(called), key, "{}", "{}_count") for key, called in named.items()}


def plainly(layout: Layout, name: str, members: Members) -> CarriedMessage:
    """Return a message of fields at fixed places."""
    named = {field.id: field.name for field in layout.fields} | {one.id: one.name for one in layout.computed}
    given = members.give(named)
    return CarriedMessage(
        layout, name, tuple(CarriedField.placed(field, given[field.id]) for field in layout.fields),
        tuple(CarriedValue(one, given[one.id]) for one in layout.computed),
        in_filling_order([check for check in layout.checks if check.spoils], layout.fields), Branch.of(layout),
    )  # fmt: skip


def refuse(layout: Layout) -> None:
    """Raise :class:`CannotCarryError` for what no language carries."""
    if wrong := problems_inside([layout]):
        raise CannotCarryError(f"its layout has problems: {wrong[0]}.")
    for value in (*layout.computed, *(one for part in layout.parts for one in part.computed_inside())):
        if value.text:
            raise CannotCarryError(f"{value.name} is put together as a text, which is not carried.")
    for field in layout.all_fields():
        if field.code is not None and len(field.places) % 8:
            raise CannotCarryError(f"the symbols of {field.name} take {len(field.places)} bits, no whole bytes.")
    for check in (*layout.checks, *(one for part in layout.parts for one in part.checks_inside())):
        if check.spoils and not isinstance(check, _KNOWN_CHECKS):
            raise CannotCarryError(f"the check {check.name} is of a package that is not carried.")
        if not layout.applies.is_for_one_address and _asks_for_address(check):
            raise CannotCarryError(
                f"the check {check.name} takes the address of the frame in, and the message has more than one."
            )


def _asks_for_address(check: Check) -> bool:
    if isinstance(check, OverBytes) and (check.coverage.keys or check.coverage.address_bytes):
        return True
    return any("address" in expression.names for expression in check.expressions())


def constant_before(coverage: Coverage, address: int) -> bytes:
    """Return the bytes that a check takes in before those of the frame."""
    order = "little" if coverage.address_low_first else "big"
    size = coverage.address_bytes
    own = (address & (1 << 8 * size) - 1).to_bytes(size, order) if size else b""  # type: ignore[arg-type]
    key = next((bytes.fromhex(one.key) for one in coverage.keys if one.address == address), b"")
    return own + key + bytes.fromhex(coverage.key_before)
