"""Layouts as the demo's parts are made of: with the same ids each time, and the checks of the tug's controllers."""

from __future__ import annotations

from collections.abc import Mapping
from fractions import Fraction
from typing import Any
from uuid import NAMESPACE_URL, UUID, uuid5

import msgspec

from ..core.layouts.model import (
    Applies,
    Check,
    Counter,
    Coverage,
    Crc,
    Expression,
    Field,
    FieldKind,
    Layout,
    NamedValue,
    RawSet,
    Selected,
    new_field,
)
from ..core.layouts.places import Places, parse_places

_NAMESPACE = uuid5(NAMESPACE_URL, "zesty-abacus demo yuzu")


def stable_id(*names: str) -> UUID:
    """Return an id that is the same each time the demo is made."""
    return uuid5(_NAMESPACE, "/".join(names))


def make_field(name: str, places: str = "", kind: str = "unsigned", step: str = "1", offset: str = "0",
               unit: str = "", limits: tuple[float, float] | None = None, names: Mapping[int, str] | None = None,
               selected: tuple[str, int] | None = None, message: str = "", unavailable: tuple[int, ...] = (),
               **settings: Any) -> Field:  # fmt: skip
    """Return a field of a message with an id that is the same each time the demo is made; ``settings`` as they are."""
    made = new_field(
        name,
        parse_places(places) if places else Places(()),
        FieldKind(kind),
        ratio=Fraction(step),
        offset=Fraction(offset),
        unit=unit,
        low=Fraction(str(limits[0])) if limits else None,
        high=Fraction(str(limits[1])) if limits else None,
        names=tuple(NamedValue(raw, label) for raw, label in (names or {}).items()),
        selected=Selected(stable_id(message, selected[0]), RawSet.of(selected[1])) if selected else None,
        unavailable=RawSet.of(*unavailable),
        **settings,
    )
    return msgspec.structs.replace(made, id=stable_id(message, name))


def can_layout(name: str, lane: str, address: int, fields: list[Field], size: int = 8, sender: str = "",
               check_key: bytes = b"") -> Layout:  # fmt: skip
    """Return the layout of a CAN message with the checks that the tug's controllers use, by the names of its fields."""
    applies = Applies(address=address, extended=address > 0x7FF, lanes=(lane,))
    named = tuple(msgspec.structs.replace(item, id=stable_id(name, item.name)) for item in fields)
    return Layout(
        id=stable_id(name), name=name, applies=applies, size=size, fields=named, sender=sender,
        checks=_checks(name, named, check_key),
    )  # fmt: skip


def _checks(name: str, fields: tuple[Field, ...], check_key: bytes) -> tuple[Check, ...]:
    """Return what the tug's controllers check: a counter, and a CRC over all bytes before its own."""
    by_name = {item.name: item for item in fields}
    checks: list[Check] = []
    if "turn counter" in by_name:
        checks.append(Counter(id=stable_id(name, "counts"), name="turn counter", field=by_name["turn counter"].id))
    if "check" in by_name:
        over = Coverage(end=Expression("size - 1"), key_before=check_key.hex())
        checks.append(
            Crc(id=stable_id(name, "crc"), name="check", field=by_name["check"].id, coverage=over, width=8,
                polynomial=0x2F, start=0xFF, final=0xFF)
        )  # fmt: skip
    return tuple(checks)
