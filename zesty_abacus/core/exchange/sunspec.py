"""SunSpec model definitions (JSON): a block of Modbus registers with points, scale factors and symbols.

After the SunSpec Device Information Model Specification 1.x: every point takes whole registers, high register
first; a scale factor is a point of its own that holds a power of ten; each type has a value that says *not
implemented*.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from fractions import Fraction
from typing import Any

from ..errors import AbacusError
from ..expressions.expression import quoted
from ..layouts.fields import NO_BITS
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
from ..layouts.places import byte_bits
from ..layouts.validate import check_layout
from ..protocols import modbus
from .form import LayoutFormat
from .names import Namer
from .result import Exchanged, ExchangeError, Written, stable_id

NAME = "SunSpec model"
_MOST_REPEATS = 1000
_KINDS: dict[str, tuple[int, FieldKind, int | None]] = {
    "int16": (1, FieldKind.SIGNED, -0x8000), "uint16": (1, FieldKind.UNSIGNED, 0xFFFF),
    "count": (1, FieldKind.UNSIGNED, None), "acc16": (1, FieldKind.UNSIGNED, 0), "enum16": (1, FieldKind.NAMES, 0xFFFF),
    "bitfield16": (1, FieldKind.BITS, 0xFFFF), "raw16": (1, FieldKind.UNSIGNED, None),
    "int32": (2, FieldKind.SIGNED, -0x8000_0000), "uint32": (2, FieldKind.UNSIGNED, 0xFFFF_FFFF),
    "acc32": (2, FieldKind.UNSIGNED, 0), "enum32": (2, FieldKind.NAMES, 0xFFFF_FFFF),
    "bitfield32": (2, FieldKind.BITS, 0xFFFF_FFFF), "ipaddr": (2, FieldKind.BYTES, None),
    "int64": (4, FieldKind.SIGNED, -(1 << 63)), "uint64": (4, FieldKind.UNSIGNED, (1 << 64) - 1),
    "acc64": (4, FieldKind.UNSIGNED, 0), "bitfield64": (4, FieldKind.BITS, (1 << 64) - 1),
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
    reader.take_group(group, "group", "")
    layout = Layout(
        id=stable_id("sunspec", str(number), name), name=name, applies=Applies(protocol=modbus.NAME), size=0,
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
        """Fields with what scales them, and what stands before names where they stand."""

    def take_group(self, group: dict, place: str, prefix: str) -> None:
        """Take the points of a group, then its groups, each as often as it says; ``prefix`` stands before names."""
        for number, point in enumerate(group.get("points", ())):
            self.take(point, f"{place}.points[{number}]", prefix)
        inner = group.get("groups", ())
        for number, one in enumerate(inner if isinstance(inner, list) else ()):
            self._take_repeats(one, f"{place}.groups[{number}]", prefix)

    def _take_repeats(self, group: Any, place: str, prefix: str) -> None:
        title = str(group.get("name") or "the group") if isinstance(group, dict) else "the group"
        count = group.get("count", 1) if isinstance(group, dict) else None
        if (
            not isinstance(count, int)
            or not 1 <= count <= _MOST_REPEATS
            or not isinstance(group.get("points", []), list)
        ):
            # behind a number of blocks that nobody knows, no place is fixed
            self.found.leave(
                place, f"{title} repeats as often as {count!r} says; a register map has fixed places only."
            )
            return
        for number in range(1, count + 1):
            self.take_group(group, place, f"{prefix}{title} {number} " if count > 1 else f"{prefix}{title} ")

    def take(self, point: Any, place: str, prefix: str = "") -> None:
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
            self._add(point, known, room, prefix)
        except KeyError as error:
            self.found.leave(place, f"something in it has no {error.args[0]}.")
        except (AbacusError, ValueError, TypeError) as error:
            self.found.leave(place, f"it could not be read: {error}")
        self.register += room

    def _add(self, point: dict, known: tuple[int, FieldKind, int | None], room: int, prefix: str) -> None:
        _, kind, none = known
        name = f"{prefix}{point['name']}"
        symbols = tuple(
            NamedValue(int(symbol["value"]), str(symbol.get("label") or symbol["name"]))
            for symbol in point.get("symbols", ())
        )
        if kind in (FieldKind.NAMES, FieldKind.BITS) and not symbols:
            kind = FieldKind.UNSIGNED
        if kind is FieldKind.BITS:
            symbols = self._named_bits(symbols, name, 16 * room)
        first = self.register * 2
        bits = list(byte_bits(range(first, first + room * 2)))
        field = Field(
            id=stable_id(self.path, name), name=name, places=Places(bits), kind=kind,
            unit=str(point.get("units") or ""), names=symbols,
            unavailable=RawSet() if none is None or kind in (FieldKind.TEXT, FieldKind.BYTES) else RawSet.of(none),
            note=str(point.get("label") or point.get("desc") or ""),
        )  # fmt: skip
        self.fields.append(field)
        if point.get("sf") is not None:
            self._scales.append((field, point["sf"], prefix))

    def _named_bits(self, symbols: tuple[NamedValue, ...], name: str, width: int) -> tuple[NamedValue, ...]:
        """Return the names of bits that can be kept: each bit once, and each name once."""
        kept: dict[int, str] = {}
        for symbol in symbols:
            label = symbol.label.replace(",", ";")
            if 0 <= symbol.raw < width and symbol.raw not in kept and label not in (*kept.values(), NO_BITS):
                kept[symbol.raw] = label
            else:
                self.found.leave(name, f"the name {symbol.label!r} of its bit {symbol.raw} is not carried over.")
        return tuple(NamedValue(bit, label) for bit, label in kept.items())

    def scaled(self) -> list[Computed]:
        """Return a computed value for each point that has a scale factor."""
        names = {field.name for field in self.fields}
        made = []
        for field, factor, prefix in self._scales:
            if isinstance(factor, str) and f"{prefix}{factor}" in names:
                # a block may have a scale factor of its own
                factor = f"{prefix}{factor}"
            if isinstance(factor, str) and factor not in names:
                self.found.leave(field.name, f"its scale factor {factor} is not a point of the model.")
                continue
            power = quoted(factor) if isinstance(factor, str) else f"({int(factor)})"
            text = f"raw({quoted(field.name)}) * pow(10, {power})"
            name = f"{field.name} scaled"
            made.append(
                Computed(id=stable_id(self.path, name), name=name, expression=Expression(text), unit=field.unit)
            )
        return made


def write(layouts: Iterable[Layout]) -> Written:
    """Return the one register map among layouts as a model definition.

    Raises
    ------
    ExchangeError
        If there is not exactly one map of 16-bit registers: a file holds one model.
    """
    maps = [one for one in layouts if one.registers is not None and one.registers.space.register_bits == 16]
    if len(maps) != 1:
        raise ExchangeError(f"{len(maps)} maps of 16-bit registers were chosen; a model file holds one.",
                            hint="Choose it by its name.")  # fmt: skip
    layout, left = maps[0], Exchanged()
    points: list[dict[str, Any]] = []
    register = 0
    for field in sorted(layout.fields, key=lambda one: min(one.places.bits)):
        point = _point(field, layout, left)
        if point is None:
            continue
        first = min(field.places.bits) // 16
        if first > register:
            points.append({"name": f"Pad{register}", "type": "pad", "size": first - register})
        points.append(point)
        register = first + point["size"]
    for what in (*layout.checks, *_unscaled(layout)):
        left.leave(what.name, "checks and formulas are not part of a model.")
    group = {"name": Namer().of(layout.name), "label": layout.name, "type": "group", "desc": layout.note,
             "points": points}  # fmt: skip
    text = json.dumps({"id": _model_number(layout), "group": group}, indent=2, ensure_ascii=False)
    return Written(text.encode() + b"\n", left.left)


def _model_number(layout: Layout) -> int:
    """Return a number of the range that is left to vendors, the same for the same layout."""
    return 64001 + layout.id.int % 1000


def _unscaled(layout: Layout) -> list[Computed]:
    """Return the computed values that are no scale factors, which come back by themselves."""
    return [one for one in layout.computed if "pow(10," not in str(one.expression)]


def _point(field: Field, layout: Layout, left: Exchanged) -> dict[str, Any] | None:
    first = min(field.places.bits) // 16
    size = max(field.places.bits) // 16 - first + 1
    whole = list(byte_bits(range(first * 2, (first + size) * 2)))
    kind = _type_name(field, size)
    if list(field.places.bits) != whole or kind is None or field.code is not None:
        left.leave(field.name, "a point is whole registers with the high one first, of a known type.")
        return None
    made: dict[str, Any] = {"name": field.name, "type": kind, "size": size}
    scale = _power_of_ten(field.ratio)
    if field.kind.is_number and scale:
        made["sf"] = scale
    factor = next((one for one in layout.computed if one.name == f"{field.name} scaled"), None)
    if factor is not None and (named := re.search(r"pow\(10, `?([^`()]+)`?\)", str(factor.expression))):
        made["sf"] = named[1] if not re.fullmatch(r"-?\d+", named[1]) else int(named[1])
    if field.unit:
        made["units"] = field.unit
    if field.names:
        made["symbols"] = [{"name": one.label, "value": one.raw} for one in field.names]
    if field.note:
        made["label"] = field.note
    if field.offset or scale is None or field.is_curved or field.inverted:
        left.leave(field.name, "a point has a power of ten for a scale, and nothing else.")
    if field.low is not None or field.high is not None or field.errors:
        left.leave(field.name, "limits and fault values have no place in a model.")
    return made


def _type_name(field: Field, size: int) -> str | None:
    wanted = field.kind
    for name, (registers, kind, _) in _KINDS.items():
        if name.startswith(("acc", "raw", "count", "sunssf", "ip", "eui")):
            continue
        if kind is wanted and (registers == size or not registers):
            return name
    return None


def _power_of_ten(ratio: Fraction) -> int | None:
    """Return n for a ratio of 10^n, None if it is none."""
    return next((power for power in range(-10, 11) if ratio == Fraction(10) ** power), None)


LAYOUT_FORMAT = LayoutFormat("sunspec", NAME, ".json", recognises, read, write)
