"""What the columns of a table of layouts are, and how it numbers bits: guessed, chosen, or shown by example."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from fractions import Fraction

import msgspec

from ..errors import AbacusError, MisuseError
from ..layouts.fields import FieldKind
from ..layouts.places import Places, parse_places
from ..protocols import can
from .bit_numbering import BitNumbering, Example, numberings_that_give
from .sheets import Sheet

KINDS: dict[str, FieldKind] = {
    **{kind.value: kind for kind in FieldKind},
    **{kind.words: kind for kind in FieldKind},
    **dict.fromkeys(("uint", "u", "no", "0", "false", "+", "u8", "u16", "u32"), FieldKind.UNSIGNED),
    **dict.fromkeys(("int", "s", "yes", "1", "true", "-", "two's complement", "i8", "i16", "i32"), FieldKind.SIGNED),
    **dict.fromkeys(("real", "single", "double", "ieee", "ieee754"), FieldKind.FLOAT),
    **dict.fromkeys(("bool", "boolean", "bit"), FieldKind.FLAG),
    **dict.fromkeys(("enum", "enumeration", "state"), FieldKind.NAMES),
    **dict.fromkeys(("string", "char", "ascii"), FieldKind.TEXT),
    **dict.fromkeys(("raw", "array", "blob"), FieldKind.BYTES),
}
"""Words of a column for the kind, besides sized ones such as ``uint16``."""

ROLES = (
    "ignore", "message", "address", "protocol", "size", "lane", "sender", "field", "places", "start bit", "end bit",
    "byte", "width", "byte order", "kind", "step", "offset", "unit", "low limit", "high limit", "values",
    "not available", "present when", "note", "id",
)  # fmt: skip
"""What a column can be."""

_HEADINGS: dict[str, str] = {
    "message": r"(message|frame|telegram|packet|pdu|msg)( ?name)?",
    "address": r"(message|frame|can|msg)? ?(id|address|identifier|cob.?id)( ?\(?hex\)?)?|id ?\(?hex\)?",
    "protocol": r"protocol|speaks",
    "size": r"(size|dlc|bytes|payload( size| length)?|message (size|length))( ?\(?bytes\)?)?",
    "lane": r"lane|bus|channel|network",
    "sender": r"sender|sent by|transmitter|source|node|ecu",
    "field": r"(signal|field|parameter|value|item)?( ?name)|signal|field|parameter",
    "places": r"places?|bits? places?|where",
    "start bit": r"(start|first|lsb|msb)( ?bit)?|bit( ?(start|position|pos|offset|no|number))?|position",
    "end bit": r"(end|last)( ?bit)?|to bit",
    "byte": r"(start |first )?byte( ?(no|number|offset|position|index))?",
    "width": r"(bit )?(length|width|len)( ?\(?bits?\)?)?|bits|size ?\(?bits?\)?|bit (size|count)",
    "byte order": r"(byte )?(order|endian(ness)?)",
    "kind": r"kind|(data |value )?type|signed(ness)?|sign|format",
    "step": r"step|factor|scale|scaling|resolution|gain|ratio|multiplier",
    "offset": r"offset|bias|zero",
    "unit": r"units?",
    "low limit": r"(low|lower)( limit)?|min(imum)?( value)?",
    "high limit": r"(high|upper)( limit)?|max(imum)?( value)?",
    "values": r"(named )?values|value (table|names|description)s?|enum(eration)?s?|states|labels",
    "not available": r"not available|invalid|n/?a",
    "present when": r"present when|selector|mux|multiplex(or|er)?",
    "note": r"notes?|comments?|descriptions?|remarks?",
    "id": r"layout and field",
}
"""Headings each role is guessed from, as a whole, without regard to case and to what stands between words."""

_LOW_FIRST_WORDS = ("low", "little", "le", "lsb", "lsb first", "low byte first", "little endian", "little-endian")


class TableMapping(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """How a table of layouts is read.

    Attributes
    ----------
    headings
        The headings it was made for.
    roles
        One of :data:`ROLES` a column.
    numbering
        How bits are numbered.
    low_byte_first
        Of fields where no column says.
    low_first_words
        What the column for the byte order says, in lower case, where the low byte comes first.
    hex_addresses
        Addresses without ``0x`` are hex.
    protocol
        What the messages are sent by.
    """

    headings: tuple[str, ...]
    roles: tuple[str, ...]
    numbering: BitNumbering = BitNumbering()
    low_byte_first: bool = True
    low_first_words: tuple[str, ...] = _LOW_FIRST_WORDS
    hex_addresses: bool = True
    protocol: str = can.NAME

    def column(self, role: str) -> int | None:
        """Return the number of the column with a role."""
        return self.roles.index(role) if role in self.roles else None

    def check(self) -> None:
        """Check that the choice can be used; raises :class:`MisuseError` with what is missing or doubled."""
        for role in ROLES[1:]:
            if self.roles.count(role) > 1:
                raise MisuseError(f"{self.roles.count(role)} columns are {role}; one may be.")
        if "field" not in self.roles:
            raise MisuseError("no column is the field's name.")
        if "places" not in self.roles and "start bit" not in self.roles and "byte" not in self.roles:
            raise MisuseError(
                "no column says where a field lies.", hint="Choose places, or start bit and width, or byte and width."
            )


def guess_mapping(sheet: Sheet) -> TableMapping:
    """Guess what each column is from its heading; what nothing is known of is ignored."""
    headings = tuple(sheet.rows[0])
    roles = ["ignore"] * len(headings)
    plain_headings = [re.sub(r"[\s_-]+", " ", heading).strip().lower() for heading in headings]
    for role, pattern in _HEADINGS.items():
        for number, heading in enumerate(plain_headings):
            if roles[number] == "ignore" and role not in roles and re.fullmatch(pattern, heading):
                roles[number] = role
    mapping = TableMapping(headings=headings, roles=tuple(roles))
    addresses = [cell for cell in _column(sheet, mapping, "address") if cell]
    plain = [cell for cell in addresses if cell.isdigit()]
    # a hex column of three-digit identifiers has letters or leading zeros somewhere
    decimal = len(plain) == len(addresses) and not any(cell.startswith("0") and len(cell) > 1 for cell in plain)
    return msgspec.structs.replace(mapping, hex_addresses=not (addresses and decimal and len(addresses) > 1))


def _column(sheet: Sheet, mapping: TableMapping, role: str) -> list[str]:
    number = mapping.column(role)
    return [] if number is None else [row[number] for row in sheet.rows[1:]]


class Row:
    """The cells of one row by role; an empty text where there is no such column."""

    def __init__(self, mapping: TableMapping, cells: list[str], line: int) -> None:
        self.line = line
        self._cells = {role: cell for role, cell in zip(mapping.roles, cells, strict=False) if role != "ignore"}

    def __getitem__(self, role: str) -> str:
        return self._cells.get(role, "")


def rows_of(sheet: Sheet, mapping: TableMapping, most: int | None = None) -> list[Row]:
    """Return the rows below the headings, all or so many."""
    end = None if most is None else most + 1
    return [Row(mapping, cells, line) for cells, line in zip(sheet.rows[1:end], sheet.lines[1:end], strict=True)]


def is_field_row(row: Row) -> bool:
    """Whether a row names a field, and not a message alone."""
    return bool(row["field"] and (row["places"] or row["start bit"] or row["byte"]))


def bits_asked(row: Row, mapping: TableMapping) -> tuple[int, int, int | None]:
    """Return start bit, width and byte (None if no column has it) that a row names.

    Raises
    ------
    MisuseError
        If a number is missing or is none.
    """
    byte = _whole(row["byte"], "byte") if row["byte"] else None
    start_text = row["start bit"]
    dotted = re.fullmatch(r"(\d+)\.(\d)", start_text)
    span = re.fullmatch(r"(\d+)\s*(?:-|\.\.|:|to)\s*(\d+)", start_text)
    if dotted:
        byte, start_text = int(dotted[1]), dotted[2]
    if span:
        # a span such as 7..4 names both ends; which one is the start is for the numbering to say
        first, last = int(span[1]), int(span[2])
        return _start_of_span(first, last, mapping), abs(last - first) + 1, byte
    if not start_text:
        lowest_named = mapping.numbering.start_is != "highest" and mapping.numbering.bit_0_is_lowest
        start = mapping.numbering.first_bit + (0 if lowest_named else 7)
    else:
        start = _whole(start_text, "start bit")
    if row["end bit"]:
        end = _whole(row["end bit"], "end bit")
        return _start_of_span(start, end, mapping), abs(end - start) + 1, byte
    width = _whole(row["width"], "width") if row["width"] else _width_of_kind(row["kind"])
    return start, width, byte


def _start_of_span(first: int, last: int, mapping: TableMapping) -> int:
    lowest = min(first, last) if mapping.numbering.bit_0_is_lowest else max(first, last)
    return lowest if mapping.numbering.start_is != "highest" else first + last - lowest


def _width_of_kind(word: str) -> int:
    sized = re.fullmatch(r"[a-z]+ ?(\d+).*", word.lower())
    if sized:
        return int(sized[1])
    return 1 if KINDS.get(word.lower()) is FieldKind.FLAG else 8


def low_byte_first(row: Row, mapping: TableMapping) -> bool | None:
    """Return the byte order a row names, None if it does not say."""
    word = row["byte order"].strip().lower()
    return word in mapping.low_first_words if word else None


def place_of(row: Row, mapping: TableMapping) -> Places:
    """Return where the field of a row lies; raises :class:`MisuseError` with what is wrong."""
    if row["places"]:
        return parse_places(row["places"])
    start, width, byte = bits_asked(row, mapping)
    order = low_byte_first(row, mapping)
    return mapping.numbering.places(
        start, width, low_byte_first=mapping.low_byte_first if order is None else order, byte=byte
    )


class Known(msgspec.Struct, frozen=True):
    """An example: the number of a row below the headings, from 0, and where its field is known to lie."""

    row: int
    places: Places


def mapping_by_example(sheet: Sheet, mapping: TableMapping, known: Iterable[Known]) -> list[TableMapping]:
    """Return the mappings under which the known rows mean what they are known to mean, the best first.

    Those under which fewest rows overlap, or reach beyond their message, come first: a table of a working
    bus has neither.

    Raises
    ------
    MisuseError
        If no way of numbering gives the examples.
    """
    rows = rows_of(sheet, mapping)
    examples, words = [], {}
    for one in known:
        row = rows[one.row]
        start, width, byte = bits_asked(row, mapping)
        # the order is learned, not believed: the table's word for it may be anything
        examples.append(Example(start=start, width=width, places=one.places, byte=byte))
        order = one.places.order_words()
        if row["byte order"] and order in ("low byte first", "high byte first"):
            words[row["byte order"].lower()] = order == "low byte first"
    found = []
    for numbering, low_first in _shown(examples, words, rows, known):
        made = msgspec.structs.replace(mapping, numbering=numbering)
        if low_first is not None:
            made = msgspec.structs.replace(made, low_byte_first=low_first)
        if words:
            made = msgspec.structs.replace(made, low_first_words=_words_learned(words, rows))
        found.append(made)
    if not found:
        raise MisuseError(
            "no way of numbering bits gives these examples.", hint="Look at the places, or at the columns chosen."
        )
    return sorted(found, key=lambda made: trouble_of(sheet, made))


def _shown(examples: list[Example], words: dict[str, bool], rows: list[Row], known: Iterable[Known]):  # type: ignore[no-untyped-def]
    if not words:
        return numberings_that_give(examples)
    ordered = []
    for example, one in zip(examples, known, strict=True):
        word = rows[one.row]["byte order"].lower()
        ordered.append(msgspec.structs.replace(example, low_byte_first=words.get(word)))
    return numberings_that_give(ordered)


def _words_learned(words: dict[str, bool], rows: list[Row]) -> tuple[str, ...]:
    """Return the words for low byte first; one that no example showed is the other one, if there are but two."""
    seen = dict.fromkeys(row["byte order"].lower() for row in rows if row["byte order"])
    low = [word for word, is_low in words.items() if is_low]
    unknown = [word for word in seen if word not in words]
    if not low and len(unknown) == 1:
        return (unknown[0],)
    if low:
        return tuple(low)
    return tuple(word for word in unknown if word in _LOW_FIRST_WORDS)


def trouble_of(sheet: Sheet, mapping: TableMapping) -> int:
    """Count the rows that lie nowhere, reach beyond their message or overlap another field of it."""
    trouble = 0
    owned: dict[tuple[str, str, str], set[int]] = {}
    for head, row in with_heads(rows_of(sheet, mapping)):
        if not is_field_row(row):
            continue
        try:
            bits = set(place_of(row, mapping).bits)
        except AbacusError:
            trouble += 1
            continue
        size = head["size"]
        key = (head["message"], head["address"], row["present when"])
        trouble += bool(owned.get(key, set()) & bits)
        trouble += bool(size.isdigit() and max(bits, default=0) // 8 >= int(size))
        owned.setdefault(key, set()).update(bits)
    return trouble


_HEAD_ROLES = ("message", "address", "protocol", "size", "lane", "sender")


class Head(dict):
    """What rows say of their message; an empty text where they say nothing."""

    def __missing__(self, key: str) -> str:
        return ""


def with_heads(rows: list[Row]) -> Iterator[tuple[dict[str, str], Row]]:
    """Yield each row with the head of its message; empty cells carry on what stands above."""
    head = Head()
    for row in rows:
        own = {role: row[role] for role in _HEAD_ROLES if row[role]}
        begins = any(role in own and head[role] != own[role] for role in ("message", "address"))
        head = Head(own) if begins else Head(head | own)
        yield head, row


def _whole(text: str, what: str) -> int:
    try:
        return int(text, 0) if text.lower().startswith("0x") else int(Fraction(text)) if text else 0
    except (ValueError, ZeroDivisionError) as error:
        raise MisuseError(f"{text[:40]!r} is no number for the {what}.") from error
