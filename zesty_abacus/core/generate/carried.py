"""Makes messages of layouts, as languages write them down; what none of them carries is refused here, alike for all."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import dataclass
from uuid import UUID

from ..codec.carried import with_carried
from ..layouts.checks.complement import Complement
from ..layouts.checks.over_bytes import OverBytes
from ..layouts.checks.rule import Rule
from ..layouts.filling_order import in_filling_order
from ..layouts.model import Check, Coverage, Crc, Layout, Sum, Xor
from ..layouts.validate import problems_inside
from ..reading.choice import Branch
from .carried_fields import CarriedField
from .carried_message import CarriedMessage, CarriedValue
from .errors import CannotCarryError
from .naming import STRUCT, Forms, Members, Symbols, identifier, in_order_of_claim
from .shaping import shaped
from .unrolled import unrolled

_KNOWN_CHECKS = Complement, Crc, Rule, Sum, Xor


@dataclass(frozen=True, slots=True)
class LeftOut:
    """A message that is not carried, and why."""

    message: str
    reason: str


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
    try:
        plain = unrolled(layout)
    except CannotCarryError:
        if STRUCT not in forms:
            raise
        return shaped(layout, name, symbols, forms)
    return _plainly(plain, name, Members(name, symbols, forms))


def _plainly(layout: Layout, name: str, members: Members) -> CarriedMessage:
    """Return a message of fields at fixed places."""
    named = {field.id: field.name for field in layout.fields} | {one.id: one.name for one in layout.computed}
    given = members.give(named)
    return CarriedMessage(
        layout, name, tuple(CarriedField.placed(field, given[field.id]) for field in layout.fields),
        tuple(CarriedValue(one, given[one.id]) for one in layout.computed),
        in_filling_order([check for check in layout.checks if check.spoils], layout.fields), Branch.of(layout),
    )  # fmt: skip


def _refuse(layout: Layout) -> None:
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
