"""CANopen electronic data sheets (CiA 306): the process data objects of a device as CAN layouts.

An entry of a mapping (objects 1600h.. and 1A00h..) is index, subindex and length in bits; objects are put one
behind the other, low bit and low byte first (CiA 301, 7.4.7). The identifier is the default of subindex 1 of
1400h.. and 1800h.., often given as ``$NODEID+0x180``.
"""

from __future__ import annotations

import configparser
import io
import re
from collections.abc import Iterable

from ..harmless import visible_line
from ..layouts.model import Applies, Field, FieldKind, Layout, Places
from ..layouts.validate import check_layout
from ..protocols import can
from ..words import counted
from .form import LayoutFormat
from .result import Exchanged, ExchangeError, Written, stable_id

NAME = "CANopen EDS"
_TYPES = {
    0x1: FieldKind.FLAG, 0x2: FieldKind.SIGNED, 0x3: FieldKind.SIGNED, 0x4: FieldKind.SIGNED, 0x8: FieldKind.FLOAT,
    0x9: FieldKind.TEXT, 0xA: FieldKind.BYTES, 0x10: FieldKind.SIGNED, 0x11: FieldKind.FLOAT, 0x12: FieldKind.SIGNED,
    0x13: FieldKind.SIGNED, 0x14: FieldKind.SIGNED, 0x15: FieldKind.SIGNED,
}  # fmt: skip
"""Kinds of the data types of CiA 301, 7.1.4; all others are unsigned."""
_KINDS_OF_PDO = (("receives", 0x1400, 0x1600), ("sends", 0x1800, 0x1A00))
_MAX_OBJECTS = 512


def recognises(data: bytes) -> bool:
    """Return whether a file looks like an electronic data sheet."""
    return re.search(rb"^\s*\[(FileInfo|DeviceInfo)\]", data, re.M | re.I) is not None and b"ParameterName" in data


def read(data: bytes, where: str, *, node: int = 1) -> Exchanged:
    """Read an electronic data sheet.

    Parameters
    ----------
    node
        What ``$NODEID`` stands for.

    Raises
    ------
    ExchangeError
        If the file is no INI file; with the line.
    """
    sheet = configparser.ConfigParser(interpolation=None, strict=False, inline_comment_prefixes=(";",))
    try:
        sheet.read_string(data.decode("latin-1"))
    except configparser.Error as error:
        raise ExchangeError(f"this is no data sheet ({str(error).splitlines()[0]}).", where=where) from error
    found = Exchanged()
    device = sheet.get("DeviceInfo", "ProductName", fallback="device").strip() or "device"
    for way, first_communication, first_mapping in _KINDS_OF_PDO:
        for number in range(_MAX_OBJECTS):
            section = f"{first_mapping + number:04X}"
            if _has(sheet, section):
                _read_pdo(sheet, section, f"{first_communication + number:04X}", (device, way, number + 1), node, found)
    if not found.layouts and not found.left:
        raise ExchangeError("the data sheet maps no process data.", where=where)
    return found


def _has(sheet: configparser.ConfigParser, section: str) -> bool:
    return any(sheet.has_section(f"{section}{sub}") for sub in ("", "sub0", "sub1"))


def _read_pdo(
    sheet: configparser.ConfigParser, section: str, communication: str, what: tuple[str, str, int], node: int,
    found: Exchanged,
) -> None:  # fmt: skip
    device, way, number = what
    address = _number(sheet.get(f"{communication}sub1", "DefaultValue", fallback=""), node)
    if address is None:
        found.leave(f"[{communication}sub1]", "it gives no identifier, so nobody can tell which frames these are.")
        return
    if address >> 31:
        found.leave(f"[{communication}sub1]", "the object is not in use by default.")
        return
    extended = bool(address >> 29 & 1)
    fields = _mapped(sheet, section, f"{device}/{way}/{number}", found)
    if not fields:
        return
    size = max(field.places.size_needed for field in fields)
    layout = Layout(
        id=stable_id("eds", device, way, str(number)), name=f"{device} {way} {number}", size=size, fields=tuple(fields),
        applies=Applies(address=address & (0x1FFF_FFFF if extended else 0x7FF), extended=extended),
        sender=device if way == "sends" else "",
    )  # fmt: skip
    problems = check_layout(layout)
    if problems:
        found.leave(f"[{section}]", problems[0].sentence)
    else:
        found.layouts.append(layout)


def _mapped(sheet: configparser.ConfigParser, section: str, path: str, found: Exchanged) -> list[Field]:
    fields: list[Field] = []
    names: dict[str, int] = {}
    bit = 0
    for sub in range(1, 65):
        entry = _number(sheet.get(f"{section}sub{sub:X}", "DefaultValue", fallback=""), 0)
        if not entry:
            continue
        index, subindex, width = entry >> 16, entry >> 8 & 0xFF, entry & 0xFF
        if width == 0 or bit + width > 512:
            found.leave(f"[{section}sub{sub:X}]", f"{counted(width, 'bit', 'does', 'do')} not fit the frame.")
            break
        if index < 0x20:
            # a dummy entry takes room and means nothing
            bit += width
            continue
        name, kind = _object(sheet, index, subindex, width)
        names[name] = names.get(name, 0) + 1
        if names[name] > 1:
            name = f"{name} {names[name]}"
        places = Places(_low_first(bit, width))
        fields.append(Field(id=stable_id("eds", path, str(sub)), name=name, places=places, kind=kind,
                            note=f"object {index:04X}h, {subindex:02X}h"))  # fmt: skip
        bit += width
    return fields


def _low_first(first: int, width: int) -> list[int]:
    """Return bits from most to least significant of a value that begins at its lowest bit."""
    return list(range(first + width - 1, first - 1, -1))


def _object(sheet: configparser.ConfigParser, index: int, subindex: int, width: int) -> tuple[str, FieldKind]:
    own, parent = f"{index:04X}sub{subindex:X}", f"{index:04X}"
    section = own if sheet.has_section(own) else parent
    name = sheet.get(section, "ParameterName", fallback=f"object {index:04X}h {subindex}").strip()
    if section == own and subindex:
        whole = sheet.get(parent, "ParameterName", fallback="").strip()
        name = f"{whole} {name}".strip()
    kind = _TYPES.get(_number(sheet.get(section, "DataType", fallback=""), 0) or 0, FieldKind.UNSIGNED)
    if kind is FieldKind.FLAG and width != 1:
        kind = FieldKind.UNSIGNED
    if kind is FieldKind.FLOAT and width not in (32, 64):
        kind = FieldKind.UNSIGNED
    if kind in (FieldKind.TEXT, FieldKind.BYTES) and width % 8:
        kind = FieldKind.UNSIGNED
    return name, kind


def _number(text: str, node: int) -> int | None:
    """Read ``0x1A0``, ``416``, ``$NODEID+0x180``; None where there is nothing of the kind."""
    total = 0
    parts = [part.strip() for part in text.strip().upper().split("+")]
    if not text.strip():
        return None
    for part in parts:
        if part == "$NODEID":
            total += node
        else:
            try:
                total += int(part, 0)
            except ValueError:
                return None
    return total if total >= 0 else None


_FIRST_OBJECT = 0x2000
_TYPE_NUMBERS = {FieldKind.FLAG: 0x1, FieldKind.TEXT: 0x9, FieldKind.BYTES: 0xA}
_SIGNED_BY_BYTES = {1: 0x2, 2: 0x3, 3: 0x10, 4: 0x4, 5: 0x12, 6: 0x13, 7: 0x14, 8: 0x15}
_UNSIGNED_BY_BYTES = {1: 0x5, 2: 0x6, 3: 0x16, 4: 0x7, 5: 0x18, 6: 0x19, 7: 0x1A, 8: 0x1B}
_DUMMIES = {8: 0x0005, 16: 0x0006, 32: 0x0007}
_MOST_OBJECTS = 64


def write(layouts: Iterable[Layout]) -> Written:
    """Return CAN layouts as the process data a device sends, each field a manufacturer's object of its own."""
    left = Exchanged()
    sheet = configparser.ConfigParser(interpolation=None)
    sheet.optionxform = str  # type: ignore[assignment,method-assign]
    sheet["FileInfo"] = {"FileName": "layouts.eds", "EDSVersion": "4.0"}
    sheet["DeviceInfo"] = {"VendorName": "", "ProductName": "layouts"}
    number = objects = 0
    for layout in layouts:
        applies = layout.applies
        if applies.protocol != can.NAME or applies.address is None or not applies.is_for_one_address:
            left.leave(layout.name, "only CAN frames with one identifier are process data.")
            continue
        mapped = _mapping(layout, left)
        if mapped is None or number >= _MAX_OBJECTS:
            continue
        address = applies.address | (1 << 29 if applies.extended else 0)
        sheet[f"{0x1800 + number:04X}sub1"] = {"ParameterName": "identifier", "DataType": "0x0007",
                                               "DefaultValue": f"0x{address:X}"}  # fmt: skip
        sheet[f"{0x1A00 + number:04X}"] = {"ParameterName": layout.name}
        sheet[f"{0x1A00 + number:04X}sub0"] = {"ParameterName": "entries", "DefaultValue": str(len(mapped))}
        for sub, (field, width) in enumerate(mapped, 1):
            index = _DUMMIES[width] if field is None else _FIRST_OBJECT + objects
            if field is not None:
                sheet[f"{index:04X}"] = {"ParameterName": field.name, "DataType": f"0x{_data_type(field):04X}"}
                objects += 1
            entry = {"ParameterName": "entry", "DataType": "0x0007", "DefaultValue": f"0x{index:04X}00{width:02X}"}
            sheet[f"{0x1A00 + number:04X}sub{sub:X}"] = entry
        number += 1
    left.leave("the whole sheet", "a data sheet knows no identities: brought in again it makes new layouts.")
    text = io.StringIO()
    sheet.write(text, space_around_delimiters=False)
    return Written(text.getvalue().encode("latin-1", "replace"), left.left)


def _mapping(layout: Layout, left: Exchanged) -> list[tuple[Field | None, int]] | None:
    """Return the fields of a frame one behind the other, gaps as None; None if one cannot be mapped."""
    mapped: list[tuple[Field | None, int]] = []
    bit = 0
    for what in (*layout.parts, *layout.checks, *layout.computed):
        left.leave(f"{layout.name}, {what.name}", "process data have fixed places, and no checks or formulas.")
    for field in sorted(layout.fields, key=lambda one: min(one.places.bits)):
        place = f"{layout.name}, {field.name}"
        first, width = min(field.places.bits), len(field.places)
        if field.selected is not None or list(field.places.bits) != _low_first(first, width) or first < bit:
            left.leave(place, "an object is one stretch with its low byte first, and always there.")
            continue
        gap = _dummies(first - bit)
        if gap is None:
            left.leave(place, f"the gap of {first - bit} bits before it is no whole bytes.")
            continue
        if field.ratio != 1 or field.offset or field.unit or field.names or field.is_curved or field.code is not None:
            left.leave(place, "an object has no scale, unit, named values or code table.")
        mapped += [(None, room) for room in gap]
        mapped.append((field, width))
        bit = first + width
    if not mapped or len(mapped) > _MOST_OBJECTS:
        left.leave(layout.name, f"{len(mapped)} objects cannot be mapped; 1 to {_MOST_OBJECTS} can.")
        return None
    return mapped


def _dummies(bits: int) -> list[int] | None:
    """Return dummy entries that fill a gap, None if it is no whole bytes."""
    if bits % 8:
        return None
    rooms = []
    for room in (32, 16, 8):
        rooms += [room] * (bits // room)
        bits %= room
    return rooms


def _data_type(field: Field) -> int:
    width = len(field.places)
    if field.kind is FieldKind.FLOAT:
        return 0x8 if width == 32 else 0x11
    if field.kind in _TYPE_NUMBERS:
        return _TYPE_NUMBERS[field.kind]
    table = _SIGNED_BY_BYTES if field.is_signed else _UNSIGNED_BY_BYTES
    return table[(width + 7) // 8]


LAYOUT_FORMAT = LayoutFormat("eds", NAME, ".eds", recognises, read, write, visible_line)
