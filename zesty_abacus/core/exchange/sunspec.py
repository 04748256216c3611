"""SunSpec model definitions (JSON): a block of Modbus registers with points, scale factors and symbols.

After the SunSpec Device Information Model Specification 1.x: every point takes whole registers, high register
first; a scale factor is a point of its own that holds a power of ten; each type has a value that says *not
implemented*.
"""

from __future__ import annotations

import json
from typing import Any

from ..errors import AbacusError
from ..layouts.expressions import quoted
from ..layouts.model import (
    Applies,
    Computed,
    Expression,
    Field,
    FieldKind,
    Layout,
    NamedValue,
    Places,
    RawSet,
    RegisterMap,
    Space,
)
from ..layouts.validate import check_layout
from .result import Exchanged, ExchangeError, stable_id

NAME = "SunSpec model"
_KINDS: dict[str, tuple[int, FieldKind, int | None]] = {
    "int16": (1, FieldKind.SIGNED, -0x8000), "uint16": (1, FieldKind.UNSIGNED, 0xFFFF),
    "count": (1, FieldKind.UNSIGNED, None), "acc16": (1, FieldKind.UNSIGNED, 0), "enum16": (1, FieldKind.NAMES, 0xFFFF),
    "bitfield16": (1, FieldKind.UNSIGNED, 0xFFFF), "raw16": (1, FieldKind.UNSIGNED, None),
    "int32": (2, FieldKind.SIGNED, -0x8000_0000), "uint32": (2, FieldKind.UNSIGNED, 0xFFFF_FFFF),
    "acc32": (2, FieldKind.UNSIGNED, 0), "enum32": (2, FieldKind.NAMES, 0xFFFF_FFFF),
    "bitfield32": (2, FieldKind.UNSIGNED, 0xFFFF_FFFF), "ipaddr": (2, FieldKind.BYTES, None),
    "int64": (4, FieldKind.SIGNED, -(1 << 63)), "uint64": (4, FieldKind.UNSIGNED, (1 << 64) - 1),
    "acc64": (4, FieldKind.UNSIGNED, 0), "bitfield64": (4, FieldKind.UNSIGNED, (1 << 64) - 1),
    "float32": (2, FieldKind.FLOAT, None), "float64": (4, FieldKind.FLOAT, None),
    "sunssf": (1, FieldKind.SIGNED, -0x8000), "string": (0, FieldKind.TEXT, None),
    "ipv6addr": (8, FieldKind.BYTES, None), "eui48": (4, FieldKind.BYTES, None),
}  # fmt: skip
"""Registers, kind and the value that says *not implemented* of each type."""


def recognises(data: bytes) -> bool:
    """Return whether a file looks like a model definition."""
    head = data[:4096].lstrip()
    return head.startswith(b"{") and b'"group"' in data and b'"points"' in data


def read(data: bytes, where: str) -> Exchanged:
    """Read a model definition; its registers count from the model's own first one.

    Raises
    ------
    ExchangeError
        If it is no JSON, or has no group of points.
    """
    try:
        model = json.loads(data)
        group = model["group"]
        points = group["points"]
        number = int(model.get("id", 0))
        if not isinstance(points, list):
            raise TypeError("group.points is no list")
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise ExchangeError(f"this is no model definition ({error!r}).", where=where) from error
    found = Exchanged()
    name = str(group.get("label") or group.get("name") or f"model {number}")
    reader = _Points(f"sunspec/{number}/{name}", found)
    for place, point in enumerate(points):
        reader.take(point, f"group.points[{place}]")
    inner_groups = group.get("groups", [])
    for place, inner in enumerate(inner_groups if isinstance(inner_groups, list) else ()):
        title = inner.get("name", "") if isinstance(inner, dict) else ""
        found.leave(f"group.groups[{place}]", f"{title or 'the group'} repeats; a register map has fixed places only.")
    layout = Layout(
        id=stable_id("sunspec", str(number), name), name=name, applies=Applies(protocol="modbus"), size=0,
        fields=tuple(reader.fields), computed=tuple(reader.scaled()), note=str(group.get("desc", "")),
        registers=RegisterMap(space=Space.HOLDING, count=reader.register),
    )  # fmt: skip
    problems = check_layout(layout)
    if problems:
        raise ExchangeError(problems[0].sentence, where=where)
    found.layouts.append(layout)
    return found


class _Points:
    """Takes points one behind the other."""

    def __init__(self, path: str, found: Exchanged) -> None:
        self.path = path
        self.found = found
        self.register = 0
        self.fields: list[Field] = []
        self._scales: list[tuple[Field, Any, str]] = []

    def take(self, point: Any, place: str) -> None:
        """Take a point over, or leave it and keep its room."""
        if not isinstance(point, dict) or "name" not in point or "type" not in point:
            self.found.leave(place, "it has no name or no type.")
            return
        kind, registers = str(point["type"]), point.get("size")
        known = _KINDS.get(kind)
        room = registers if isinstance(registers, int) and 0 < registers <= 1000 else (known[0] if known else 0)
        if kind == "pad":
            self.register += room or 1
            return
        if known is None or not room:
            self.found.leave(place, f"the type {kind!r} is not known.")
            self.register += room
            return
        try:
            self._add(point, known, room)
        except (AbacusError, ValueError, TypeError, KeyError) as error:
            self.found.leave(place, f"it could not be read: {error}")
        self.register += room

    def _add(self, point: dict, known: tuple[int, FieldKind, int | None], room: int) -> None:
        _, kind, none = known
        symbols = tuple(
            NamedValue(int(symbol["value"]), str(symbol.get("label") or symbol["name"]))
            for symbol in point.get("symbols", ())
        )
        if kind is FieldKind.NAMES and not symbols:
            kind = FieldKind.UNSIGNED
        bitfield = str(point["type"]).startswith("bitfield")
        first = self.register * 2
        bits = [byte * 8 + bit for byte in range(first, first + room * 2) for bit in range(7, -1, -1)]
        field = Field(
            id=stable_id(self.path, str(point["name"])), name=str(point["name"]), places=Places(bits), kind=kind,
            unit=str(point.get("units") or ""), names=() if bitfield else symbols,
            unavailable=RawSet() if none is None or kind in (FieldKind.TEXT, FieldKind.BYTES) else RawSet.of(none),
            note=str(point.get("label") or point.get("desc") or ""),
        )  # fmt: skip
        self.fields.append(field)
        if bitfield and symbols:
            bits_named = ", ".join(f"{symbol.raw} {symbol.label}" for symbol in symbols)
            self.found.leave(field.name, f"the names of its bits are not carried over: {bits_named}.")
        if point.get("sf") is not None:
            self._scales.append((field, point["sf"], field.unit))

    def scaled(self) -> list[Computed]:
        """Return a computed value for each point that has a scale factor."""
        names = {field.name for field in self.fields}
        made = []
        for field, factor, unit in self._scales:
            if isinstance(factor, str) and factor not in names:
                self.found.leave(field.name, f"its scale factor {factor} is not a point of the model.")
                continue
            power = quoted(factor) if isinstance(factor, str) else f"({int(factor)})"
            text = f"raw({quoted(field.name)}) * pow(10, {power})"
            name = f"{field.name} scaled"
            made.append(Computed(id=stable_id(self.path, name), name=name, expression=Expression(text), unit=unit))
        return made
