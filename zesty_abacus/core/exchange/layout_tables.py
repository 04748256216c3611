"""Layouts in a table: one row a field, columns as anybody has them, read as a :class:`TableMapping` says."""

from __future__ import annotations

import re
from fractions import Fraction
from uuid import UUID

import msgspec
from msgspec.structs import replace

from ..errors import AbacusError, MisuseError
from ..layouts.model import Applies, Field, FieldKind, Layout, Selected
from ..layouts.names import parse_names
from ..layouts.numbers import parse_exact
from ..layouts.raw_sets import RawSet, parse_raw_set
from ..layouts.validate import check_layout
from ..protocols.registry import protocol_named
from .result import Exchanged, ExchangeError, id_of, stable_id
from .sheets import Sheet
from .table_mapping import KINDS, Row, TableMapping, is_field_row, place_of, rows_of, with_heads


def layouts_of_table(sheet: Sheet, mapping: TableMapping, where: str) -> Exchanged:
    """Read the layouts of a table.

    Raises
    ------
    ExchangeError
        If the mapping cannot be used, or no row gives a field.
    """
    try:
        mapping.check()
    except MisuseError as error:
        raise ExchangeError(error.message, where=where, hint=error.hint) from error
    found = Exchanged()
    messages: dict[tuple[str, str], tuple[dict[str, str], list[Row]]] = {}
    for head, row in with_heads(rows_of(sheet, mapping)):
        key = (head["message"], head["address"])
        kept = messages.setdefault(key, (head, []))
        kept[0].update(head)
        if is_field_row(row):
            kept[1].append(row)
    for head, rows in messages.values():
        _read_message(head, rows, mapping, found)
    if not found.layouts and not found.left:
        raise ExchangeError("no row gives a field.", where=where)
    return found


def _read_message(head: dict[str, str], rows: list[Row], mapping: TableMapping, found: Exchanged) -> None:
    name = head["message"] or (f"Message {head['address']}" if head["address"] else "")
    place = f"line {rows[0].line}" if rows else f"message {name}"
    if not name:
        found.leave(place, "the row belongs to no message.")
        return
    try:
        applies = _applies(head, mapping)
    except MisuseError as error:
        found.leave(place, error.message)
        return
    own_id = next((row["id"] for row in rows if row["id"]), "")
    layout_id = id_of(own_id.partition(" ")[0]) or stable_id("table", name, head["address"])
    fields = _fields(rows, mapping, str(layout_id), found)
    size = max((field.places.size_needed for field in fields), default=0)
    if head["size"].isdigit():
        size = max(size, int(head["size"])) if int(head["size"]) <= 65536 else size
    fields = _selected(fields, rows, found)
    layout = Layout(id=layout_id, name=name, applies=applies, size=size, sender=head["sender"], fields=tuple(fields))
    # all at once: looking again after each would take the square of their number
    wrong: dict[UUID, str] = {}
    for problem in check_layout(layout):
        if problem.field is not None:
            wrong.setdefault(problem.field, problem.sentence)
    for field_id, sentence in wrong.items():
        found.leave(f"{name}, {layout.field(field_id).name}", sentence)
    if wrong:
        layout = replace(layout, fields=tuple(field for field in layout.fields if field.id not in wrong))
    problems = check_layout(layout)
    if problems:
        found.leave(place, problems[0].sentence)
    else:
        found.layouts.append(layout)


def _applies(head: dict[str, str], mapping: TableMapping) -> Applies:
    lanes = tuple(part.strip() for part in head["lane"].split(",") if part.strip())
    text = head["address"].lower().replace("_", "").strip()
    protocol = head["protocol"] or mapping.protocol
    if not text or text == "any address":
        return Applies(protocol=protocol, lanes=lanes)
    hexed = re.fullmatch(r"(?:0x|\$)?([0-9a-f]+)h?(x)?", text)
    try:
        if hexed is None:
            raise ValueError
        prefixed = text.startswith(("0x", "$")) or text.endswith("h") or mapping.hex_addresses
        address = int(hexed[1], 16 if prefixed else 10)
    except ValueError as error:
        raise MisuseError(f"{head['address']!r} is no address.") from error
    spoken = protocol_named(protocol)
    is_long = bool(hexed[2]) or len(hexed[1]) == 8 or bool(spoken.trouble_with(address))
    extended = spoken.is_extended(address, 8 if is_long else 3)
    return Applies(protocol=protocol, address=address, extended=extended, lanes=lanes)


def _fields(rows: list[Row], mapping: TableMapping, path: str, found: Exchanged) -> list[Field]:
    fields: list[Field] = []
    for row in rows:
        try:
            field = _field(row, mapping, path)
        except (AbacusError, ValueError) as error:
            sentence = error.message if isinstance(error, AbacusError) else str(error)
            found.leave(f"line {row.line}, {row['field']}", sentence)
            continue
        fields.append(field)
    return fields


def _field(row: Row, mapping: TableMapping, path: str) -> Field:
    places = place_of(row, mapping)
    names = parse_names(row["values"])
    kind = _kind(row["kind"], len(places), bool(names))
    number = kind.is_number

    def exact(role: str, usual: Fraction | None) -> Fraction | None:
        return parse_exact(row[role].replace(",", ".")) if row[role] and number else usual

    return Field(
        id=id_of(row["id"].rpartition(" ")[2]) or stable_id(path, row["field"]), name=row["field"], places=places,
        kind=kind, ratio=exact("step", Fraction(1)) or Fraction(1), offset=exact("offset", Fraction(0)) or Fraction(0),
        unit="" if row["unit"] == "-" or not number else row["unit"], low=exact("low limit", None),
        high=exact("high limit", None), names=names if kind is not FieldKind.FLOAT else (), note=row["note"],
        unavailable=parse_raw_set(row["not available"]) if row["not available"] and number else RawSet(),
    )  # fmt: skip


def _kind(word: str, width: int, named: bool) -> FieldKind:
    word = word.strip().lower()
    sized = re.sub(r"[ _]?\d+.*$", "", word)
    kind = KINDS.get(word) or KINDS.get(sized)
    if word and kind is None:
        known = ", ".join(one.value for one in FieldKind)
        raise MisuseError(f"the kind {word!r} is not known.", hint=f"Known are {known}.")
    kind = kind or FieldKind.UNSIGNED
    if named and kind is FieldKind.UNSIGNED:
        return FieldKind.NAMES
    if kind is FieldKind.NAMES and not named:
        return FieldKind.UNSIGNED
    return FieldKind.UNSIGNED if kind is FieldKind.FLAG and width != 1 else kind


def _selected(fields: list[Field], rows: list[Row], found: Exchanged) -> list[Field]:
    """Put in when each field is present, now that all are known."""
    by_name = {field.name: field for field in fields}
    conditions = {row["field"]: row["present when"] for row in rows}
    made = []
    for field in fields:
        text = conditions[field.name]
        name, equals, values = text.partition("=")
        selector = by_name.get(name.strip())
        try:
            if text and equals and selector is not None and selector is not field:
                field = msgspec.structs.replace(field, selected=Selected(selector.id, parse_raw_set(values)))
            elif text:
                found.leave(field.name, f"{text!r} does not say when it is present; write a field = its values.")
        except AbacusError as error:
            found.leave(field.name, error.message)
        made.append(field)
    return made
