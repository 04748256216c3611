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
from ..layouts.model import Check, Computed, Coverage, Crc, Field, FieldKind, Layout, Sum, Xor
from ..layouts.validate import problems_inside
from ..reading.choice import Branch
from .errors import CannotCarryError
from .naming import Symbols, identifier, in_order_of_claim
from .unrolled import unrolled

_KNOWN_CHECKS = Complement, Crc, Rule, Sum, Xor


@dataclass(frozen=True, slots=True, eq=False)
class CarriedField:
    """A field of a struct.

    Attributes
    ----------
    name
        Its identifier within the message.
    bits
        Of the whole number that holds it: 8, 16, 32 or 64; 0 of text and bytes.
    length
        Bytes of text and raw bytes, 0 of numbers.
    """

    field: Field
    name: str
    bits: int
    length: int

    @property
    def raw(self) -> str:
        """What the raw number is called in the struct."""
        return f"{self.name}_raw"

    @property
    def read_as(self) -> str:
        """Kind, place, scale and offset, for a comment beside it."""
        field = self.field
        scale = "" if (field.ratio, field.offset) == (1, 0) else f" times {field.ratio}"
        offset = f" plus {field.offset}" if field.offset else ""
        unit = f", {field.unit}" if field.unit else ""
        return f"{field.kind.words}, {field.places}{scale}{offset}{unit}"

    @property
    def is_number(self) -> bool:
        """Whether the bits are read as one number."""
        return self.field.raw_is_number

    @property
    def unreadable(self) -> int | None:
        """The raw number that says that the digits were none; None where every bit pattern is a number."""
        return (1 << self.bits) - 1 if self.field.kind in (FieldKind.BCD, FieldKind.BCD_BYTES) else None


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
    """

    layout: Layout
    name: str
    fields: tuple[CarriedField, ...]
    computed: tuple[CarriedValue, ...]
    checks: tuple[Check, ...]
    branch: Branch | None

    def field(self, field_id: UUID) -> CarriedField:
        """Return the field with an id; raises KeyError if the message has none."""
        found = next((one for one in self.fields if one.field.id == field_id), None)
        if found is None:
            raise KeyError(field_id)
        return found

    def named(self, name: str) -> CarriedField | CarriedValue | None:
        """Return what an expression names, None if it is nothing of the message."""
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
    _refuse(layout)
    layout = unrolled(layout)
    own = Symbols()
    given: dict[UUID, str] = {}
    items = {field.id: field.name for field in layout.fields} | {one.id: one.name for one in layout.computed}
    patterns = [pattern.format(message=name, field="{}") for pattern in forms["field"]]
    for key in in_order_of_claim((called, key) for key, called in items.items()):
        # within the struct, and among the names of the whole program
        inside = own.give(identifier(items[key]), key)
        given[key] = symbols.give(inside, key, *patterns)
    return CarriedMessage(
        layout, name, tuple(_field(field, given[field.id]) for field in layout.fields),
        tuple(CarriedValue(one, given[one.id]) for one in layout.computed),
        in_filling_order([check for check in layout.checks if check.spoils], layout.fields), Branch.of(layout),
    )  # fmt: skip


def _field(field: Field, name: str) -> CarriedField:
    width = len(field.places)
    if not field.raw_is_number:
        return CarriedField(field, name, 0, width // 8)
    return CarriedField(field, name, next(bits for bits in (8, 16, 32, 64) if bits >= width), 0)


def _refuse(layout: Layout) -> None:
    """Raise :class:`CannotCarryError` for what no language carries."""
    if wrong := problems_inside([layout]):
        raise CannotCarryError(f"its layout has problems: {wrong[0]}.")
    for value in layout.computed:
        if value.text:
            raise CannotCarryError(f"{value.name} is put together as a text, which is not carried.")
    for field in layout.fields:
        if field.code is not None and len(field.places) % 8:
            raise CannotCarryError(f"the symbols of {field.name} take {len(field.places)} bits, no whole bytes.")
    for check in layout.checks:
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
