"""W3C Thing Descriptions with the Modbus binding: the properties of a device as register maps.

A form's address says unit and register (``modbus+tcp://host:502/1/40?quantity=2``), its terms the kind of
register, the type and the order of bytes and words. The binding has no scale, no bit within a register and no
"not available": what is beyond it is kept beside a property in terms of our own.
"""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from typing import Any
from urllib.parse import parse_qs, urljoin, urlsplit

from ..errors import AbacusError
from ..layouts.json_form import from_plain, to_plain
from ..layouts.model import Applies, Field, FieldKind, Layout, NamedValue, Places, RegisterMap, Space
from ..layouts.places import byte_bits
from ..layouts.validate import check_layout
from ..protocols import modbus
from .form import LayoutFormat
from .result import CannotCarryError, Exchanged, ExchangeError, Left, Written, exact_of, id_of, stable_id

NAME = "W3C Thing Description"
_CONTEXT = "https://www.w3.org/2022/wot/td/v1.1"
_MODBUS = "https://www.w3.org/2019/wot/modbus#"
_OWN = "zesty:beyond"
_OWN_LAYOUT = "zesty:layouts"
_BASE = "modbus+tcp://127.0.0.1:502/"
_ENTITIES = {
    "holdingregister": Space.HOLDING, "inputregister": Space.INPUT, "coil": Space.COILS,
    "discreteinput": Space.DISCRETE,
}  # fmt: skip
_FUNCTIONS = {
    "readholdingregisters": Space.HOLDING, "writesingleholdingregister": Space.HOLDING, "3": Space.HOLDING,
    "writemultipleholdingregisters": Space.HOLDING, "6": Space.HOLDING, "16": Space.HOLDING,
    "readinputregisters": Space.INPUT, "readinputregister": Space.INPUT, "4": Space.INPUT, "readcoil": Space.COILS,
    "writesinglecoil": Space.COILS, "writemultiplecoils": Space.COILS, "1": Space.COILS, "5": Space.COILS,
    "15": Space.COILS, "readdiscreteinput": Space.DISCRETE, "2": Space.DISCRETE,
}  # fmt: skip
_ENTITY_NAMES = {
    Space.HOLDING: "HoldingRegister", Space.INPUT: "InputRegister", Space.COILS: "Coil",
    Space.DISCRETE: "DiscreteInput",
}  # fmt: skip
_TYPES = {
    "float": FieldKind.FLOAT, "double": FieldKind.FLOAT, "short": FieldKind.SIGNED, "int": FieldKind.SIGNED,
    "long": FieldKind.SIGNED, "byte": FieldKind.SIGNED, "integer": FieldKind.SIGNED, "string": FieldKind.TEXT,
    "hexBinary": FieldKind.BYTES, "boolean": FieldKind.FLAG,
}  # fmt: skip
"""Kinds of the XSD types; all others are unsigned."""
_MAX_REGISTERS = 125


def recognises(data: bytes) -> bool:
    """Return whether a file looks like a Thing Description."""
    return data.lstrip()[:1] == b"{" and b"@context" in data and b"wot/td" in data


def read(data: bytes, where: str) -> Exchanged:
    """Read the Modbus properties of a thing, one register map for each unit and kind of register.

    Raises
    ------
    ExchangeError
        If it is no JSON, or has no properties.
    """
    try:
        thing = json.loads(data)
        properties = thing["properties"]
        title = str(thing.get("title") or "thing")
        if not isinstance(properties, dict):
            raise TypeError("properties is no object")
    except (ValueError, KeyError, TypeError, RecursionError) as error:
        raise ExchangeError(f"this is no Thing Description ({error!r}).", where=where) from error
    found = Exchanged()
    maps: dict[tuple[str, int, Space, int], list[Field]] = {}
    for name, described in properties.items():
        try:
            _read_property(thing, str(name), described, maps)
        except (CannotCarryError, AbacusError, ValueError, TypeError, AttributeError) as error:
            said = error.message if isinstance(error, AbacusError) else str(error)
            found.leave(f"properties.{name}", said)
    for what in ("actions", "events"):
        for name in thing.get(what) or ():
            found.leave(f"{what}.{name}", f"{what} are not carried over.")
    heads = thing.get(_OWN_LAYOUT)
    for (head, unit, space, first), fields in maps.items():
        known = heads.get(head) if isinstance(heads, dict) else None
        _add_map(found, title, (unit, space, first), fields, known if isinstance(known, dict) else {})
    if not found.layouts and not found.left:
        raise ExchangeError("the thing has no properties.", where=where)
    return found


def _add_map(
    found: Exchanged, title: str, what: tuple[int, Space, int], fields: list[Field], known: dict[str, Any]
) -> None:
    unit, space, first = what
    try:
        registers = from_plain(known["registers"], RegisterMap)
        applies = from_plain(known["applies"], Applies)
    except (KeyError, AbacusError):
        count = max(max(field.places.bits) // space.register_bits for field in fields) + 1
        registers = RegisterMap(device=unit, space=space, first=first, count=count)
        applies = Applies(protocol=modbus.NAME)
    several = f" {space.words}" if space is not Space.HOLDING else ""
    layout = Layout(
        id=id_of(known.get("id")) or stable_id("thing", title, str(unit), space.value),
        name=str(known.get("name") or f"{title}{several}"), applies=applies, size=int(known.get("size", 0)),
        fields=tuple(sorted(fields, key=lambda field: min(field.places.bits))), registers=registers,
    )  # fmt: skip
    for problem in check_layout(layout):
        if problem.field is not None and any(field.id == problem.field for field in layout.fields):
            found.leave(f"properties.{layout.field(problem.field).name}", problem.sentence)
            layout = layout.without_field(problem.field)
    problems = check_layout(layout)
    if problems:
        found.leave(layout.name, problems[0].sentence)
    else:
        found.layouts.append(layout)


def _read_property(
    thing: dict, name: str, described: dict, maps: dict[tuple[str, int, Space, int], list[Field]]
) -> None:
    form = next((one for one in described.get("forms", ()) if _is_modbus(thing, one)), None)
    if form is None:
        raise CannotCarryError("it has no form with a Modbus address.")
    unit, register, quantity = _address(thing, form)
    space = _space(form)
    first = 0 if _term(form, "zeroBasedAddressing") is True else 1
    if register < first:
        raise CannotCarryError(f"the register {register} is before the first one.")
    field = _field(name, described, form, space, register - first, quantity)
    beyond = described.get(_OWN)
    head = ""
    if isinstance(beyond, dict):
        head = str(beyond.get("layout", ""))
        plain = to_plain(field) | {term: value for term, value in beyond.items() if term != "layout"}
        field = from_plain(plain, Field)
    maps.setdefault((head, unit, space, first), []).append(field)


def _is_modbus(thing: dict, form: Any) -> bool:
    return isinstance(form, dict) and whole_address(thing, form).startswith("modbus")


def whole_address(thing: dict, form: dict) -> str:
    """Return the whole address of a form; the standard library joins only schemes it knows."""
    href, base = str(form.get("href", "")), str(thing.get("base", ""))
    if "://" in href or not base:
        return href
    scheme, _, rest = base.partition("://")
    return f"{scheme}://" + urljoin(f"http://{rest}", href).removeprefix("http://")


def _address(thing: dict, form: dict) -> tuple[int, int, int]:
    """Return unit, register and quantity of a form."""
    parts = urlsplit(whole_address(thing, form))
    query = parse_qs(parts.query)
    path = [part for part in parts.path.split("/") if part]
    numbers = [int(part) for part in path if re.fullmatch(r"\d{1,6}", part)]
    register = _term(form, "address")
    register = numbers[-1] if register is None and numbers else register
    unit = _term(form, "unitID")
    unit = numbers[0] if unit is None and len(numbers) > 1 else unit
    given = _term(form, "quantity")
    quantity = given if given is not None else (query.get("quantity") or ["1"])[0]
    if register is None:
        raise CannotCarryError("its address names no register.")
    if not 0 < int(quantity) <= _MAX_REGISTERS or not 0 <= int(register) <= 65536:
        raise CannotCarryError(f"{quantity} registers from {register} on cannot be asked for.")
    return int(unit if unit is not None else 1), int(register), int(quantity)


def _term(form: dict, name: str) -> Any:
    """Return a term of the binding, under its present or its former prefix."""
    return next((form[key] for key in (f"modv:{name}", f"modbus:{name}") if key in form), None)


def _space(form: dict) -> Space:
    entity = str(_term(form, "entity") or "").lower()
    function = str(_term(form, "function") or "").lower()
    if entity in _ENTITIES:
        return _ENTITIES[entity]
    if function in _FUNCTIONS:
        return _FUNCTIONS[function]
    raise CannotCarryError("it says neither kind of register nor function.")


def _field(name: str, described: dict, form: dict, space: Space, register: int, quantity: int) -> Field:
    width = quantity * space.register_bits
    bits = _bits(register, quantity, space)
    high_byte = _term(form, "mostSignificantByte") is not False
    high_word = _term(form, "mostSignificantWord") is not False
    if space.register_bits == 16:
        words = [bits[at : at + 16] for at in range(0, width, 16)]
        words = words if high_word else words[::-1]
        bits = [bit for word in words for bit in (word if high_byte else word[8:] + word[:8])]
    xsd = str(_term(form, "type") or "").partition(":")[2]
    kind = _TYPES.get(xsd, FieldKind.UNSIGNED)
    if not xsd:
        kind = {"boolean": FieldKind.FLAG, "string": FieldKind.TEXT}.get(str(described.get("type")), kind)
    if kind is FieldKind.FLAG and width != 1:
        kind = FieldKind.UNSIGNED
    if space.register_bits == 1 and width == 1:
        kind = FieldKind.FLAG
    names = _names(described)
    if names and kind is FieldKind.UNSIGNED:
        kind = FieldKind.NAMES
    limits: dict[str, Any] = {}
    if kind.is_number:
        for side, term in (("low", "minimum"), ("high", "maximum")):
            if described.get(term) is not None:
                limits[side] = exact_of(str(described[term]))
    return Field(
        id=stable_id("thing", name), name=str(described.get("title") or name), places=Places(bits), kind=kind,
        unit=str(described.get("unit") or "") if kind.is_number else "", names=names if kind is not FieldKind.FLOAT
        else (), note=str(described.get("description") or ""), **limits,
    )  # fmt: skip


def _bits(register: int, quantity: int, space: Space) -> list[int]:
    if space.register_bits == 1:
        return list(range(register + quantity - 1, register - 1, -1))
    return list(byte_bits(range(register * 2, (register + quantity) * 2)))


def _names(described: dict) -> tuple[NamedValue, ...]:
    listed = [one for one in described.get("oneOf", ()) if isinstance(one, dict) and isinstance(one.get("const"), int)]
    return tuple(NamedValue(int(one["const"]), str(one.get("title") or one["const"])) for one in listed)


def write(layouts: Iterable[Layout]) -> Written:
    """Return a thing with a property a field of every Modbus register map."""
    left: list[Left] = []
    properties: dict[str, Any] = {}
    heads: dict[str, Any] = {}
    for layout in layouts:
        registers = layout.registers
        if registers is None or registers.space is Space.BYTES or layout.applies.protocol != modbus.NAME:
            left.append(Left(layout.name, "only register maps of Modbus are described."))
            continue
        heads[layout.name] = {"id": str(layout.id), "name": layout.name, "size": layout.size,
                              "registers": to_plain(registers), "applies": to_plain(layout.applies)}  # fmt: skip
        for what in (*layout.checks, *layout.computed):
            left.append(Left(f"{layout.name}, {what.name}", "checks and formulas have no property."))
        for field in layout.fields:
            described = _described(layout, field)
            key = f"{layout.name}.{field.name}" if field.name in properties else field.name
            _keep_beyond(described, key, layout, field, left)
            properties[key] = described
    thing = {
        "@context": [_CONTEXT, {"modv": _MODBUS, "zesty": "urn:zesty-abacus:"}], "title": "Zesty Abacus register maps",
        "base": _BASE, "securityDefinitions": {"none": {"scheme": "nosec"}}, "security": ["none"],
        "properties": properties, _OWN_LAYOUT: heads,
    }  # fmt: skip
    return Written(json.dumps(thing, indent=2, ensure_ascii=False).encode() + b"\n", left)


def _described(layout: Layout, field: Field) -> dict[str, Any]:
    registers = layout.registers
    assert registers is not None
    width = registers.space.register_bits
    first, last = min(field.places.bits) // width, max(field.places.bits) // width
    types = {FieldKind.FLAG: "boolean", FieldKind.TEXT: "string", FieldKind.BYTES: "string"}
    made: dict[str, Any] = {"title": field.name, "type": types.get(field.kind, "number"), "readOnly": True}
    if field.note:
        made["description"] = field.note
    if field.unit:
        made["unit"] = field.unit
    for term, limit in (("minimum", field.low), ("maximum", field.high)):
        if limit is not None:
            made[term] = limit.numerator if limit.denominator == 1 else float(limit)
    if field.kind is not FieldKind.BITS and field.names and all(named.to is None for named in field.names):
        made["oneOf"] = [{"const": named.raw, "title": named.label} for named in field.names]
    address, quantity = first + registers.first, last - first + 1
    form: dict[str, Any] = {
        "href": f"{registers.device if registers.device is not None else 1}/{address}?quantity={quantity}",
        "op": ["readproperty"], "modv:entity": _ENTITY_NAMES[registers.space],
        "modv:zeroBasedAddressing": registers.first == 0, "modv:type": _xsd(field, quantity * width),
    }  # fmt: skip
    if width == 16:
        numbers = field.places.byte_numbers()
        form["modv:mostSignificantByte"] = numbers[0] % 2 == 0
        form["modv:mostSignificantWord"] = numbers[0] // 2 <= numbers[-1] // 2
    made["forms"] = [form]
    return made


def _xsd(field: Field, width: int) -> str:
    if field.kind is FieldKind.FLOAT:
        return "xsd:double" if width == 64 else "xsd:float"
    if field.kind is FieldKind.FLAG:
        return "xsd:boolean"
    if field.kind in (FieldKind.TEXT, FieldKind.BYTES):
        return "xsd:string" if field.kind is FieldKind.TEXT else "xsd:hexBinary"
    name = {16: "short", 32: "int", 64: "long"}.get(width, "integer")
    return f"xsd:{name}" if field.is_signed else f"xsd:unsigned{name.capitalize()}"


def _keep_beyond(described: dict[str, Any], key: str, layout: Layout, field: Field, left: list[Left]) -> None:
    """Keep beside a property what reading it again would not give."""
    registers = layout.registers
    assert registers is not None
    form = described["forms"][0]
    _, address, quantity = _address({"base": _BASE}, form)
    again = _field(key, described, form, registers.space, address - registers.first, quantity)
    beyond = {
        name: to_plain(getattr(field, name))
        for name in Field.__struct_fields__
        if getattr(field, name) != getattr(again, name)
    }
    described[_OWN] = beyond | {"layout": layout.name}
    said = sorted(set(beyond) - {"id", "name"})
    if said:
        words = ", ".join(said)
        left.append(Left(f"{layout.name}, {field.name}", f"only this program reads its {words} in the file."))


LAYOUT_FORMAT = LayoutFormat("thing", NAME, ".td.json", recognises, read, write)
