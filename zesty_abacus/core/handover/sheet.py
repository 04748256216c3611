"""The printable sheet of a layout: what stands on it, before it is drawn as HTML, SVG or PDF."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ..codec.wording import places_words
from ..layouts.attributes import attribute_text, attributes_of
from ..layouts.model import Field, Layout
from ..layouts.numbers import format_exact
from ..layouts.variants import Variant, is_present, variants_of
from ..words import counted

MAX_PICTURED_BYTES = 64
"""Longer messages are listed and not pictured byte by byte."""
_COLUMN_BYTES = 32


@dataclass(frozen=True, slots=True)
class Row:
    """A line of the table of fields: its number in the picture (-1 for none), how deep it lies, the cells."""

    number: int
    depth: int
    cells: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class BitPicture:
    """Which field each bit belongs to.

    Attributes
    ----------
    title
        Of a variant; empty if there is but one.
    owners
        Number of the field of each bit, highest bit of the first byte first; -1 for none.
    first
        Number of the first byte; a long message is pictured in several columns.
    """

    title: str
    owners: tuple[int, ...]
    first: int = 0


@dataclass(frozen=True, slots=True)
class LayoutSheet:
    """A sheet.

    Attributes
    ----------
    title, lines
        Name, and what is true of the whole message.
    pictures
        One a variant; empty for register maps and long messages.
    rows
        Fields and parts.
    values
        Name of a field, and its named values.
    checks
        Name, and what must agree.
    """

    title: str
    lines: tuple[str, ...]
    pictures: tuple[BitPicture, ...]
    rows: tuple[Row, ...]
    values: tuple[tuple[str, tuple[tuple[str, str], ...]], ...]
    checks: tuple[tuple[str, str], ...]


HEADINGS = ("field", "places", "read as", "step, offset", "unit", "limits", "when, notes")


def sheet_of(layout: Layout, version: str = "") -> LayoutSheet:
    """Return the sheet of a layout.

    Parameters
    ----------
    version
        Which state of the library it shows, in words.
    """
    numbers = {field.id: number for number, field in enumerate(layout.all_fields())}
    rows = [_field_row(layout, field, numbers[field.id], 0) for field in layout.fields]
    for part in layout.parts:
        rows += _part_rows(layout, part, numbers, 0)
    for value in layout.computed:
        limits = _limits(value.low, value.high)
        said = str(value.text or value.expression)
        rows.append(Row(-1, 0, (value.name, "computed", said, "", value.unit, limits, value.note)))
    values = tuple(
        (field.name, tuple((f"{n.raw}{'' if n.to is None else f' to {n.to}'}", n.label) for n in field.names))
        for field in layout.all_fields()
        if field.names
    )
    checks = tuple((f"{one.name} ({one.words()})", _check_text(layout, one)) for one in layout.checks)
    return LayoutSheet(
        layout.name, tuple(_head(layout, version)), tuple(_pictures(layout)), tuple(rows), values, checks
    )


def _head(layout: Layout, version: str) -> Iterator[str]:
    applies = layout.applies
    yield f"{applies.protocol}, {applies.words()}"
    registers = layout.registers
    if registers is not None:
        yield registers.words()
    else:
        yield counted(layout.size, "byte") + (", and the parts that follow" if layout.moves else "")
    if layout.sender:
        yield f"sent by {layout.sender}"
    if layout.note:
        yield layout.note
    if version:
        yield version


def _pictures(layout: Layout) -> Iterator[BitPicture]:
    size = max((field.places.size_needed for field in layout.fields), default=0)
    size = max(size, layout.size) if layout.registers is None else size
    if layout.registers is not None or not 0 < size <= MAX_PICTURED_BYTES or not layout.fields:
        return
    variants: list[Variant | None] = list(variants_of(layout)) or [None]
    if not any(field.selected is not None for field in layout.fields):
        variants = [None]
    for variant in variants:
        owners = [-1] * (size * 8)
        for number, field in enumerate(layout.fields):
            if variant is None or is_present(layout, field, variant):
                for bit in field.places:
                    owners[bit // 8 * 8 + 7 - bit % 8] = number
        title = variant.words if variant is not None else ""
        for first in range(0, size, _COLUMN_BYTES):
            yield BitPicture(title, tuple(owners[first * 8 : (first + _COLUMN_BYTES) * 8]), first)


def _field_row(layout: Layout, field: Field, number: int, depth: int) -> Row:
    where = layout.places_text(field.places) if field.places else "in the text"
    read = places_words(field)
    if field.inverted:
        read += ", bits turned"
    if field.is_curved:
        read += ", by a polynomial" if field.polynomial else ", by a table"
    step = ""
    if field.kind.is_number and (field.ratio != 1 or field.offset):
        step = format_exact(field.ratio) + (f", {format_exact(field.offset)}" if field.offset else "")
    return Row(number, depth, (field.name, where, read, step, field.unit, _limits(field.low, field.high),
                               "; ".join(_remarks(layout, field))))  # fmt: skip


def _remarks(layout: Layout, field: Field) -> Iterator[str]:
    if field.selected is not None:
        selector = next((one for one in layout.all_fields() if one.id == field.selected.field), None)
        yield f"if {selector.name if selector is not None else '?'} is {field.selected.values}"
    if field.unavailable:
        yield f"not available at {field.unavailable}"
    if field.errors:
        yield f"fault at {field.errors}"
    if field.note:
        yield field.note


def _part_rows(layout: Layout, part, numbers: dict, depth: int) -> Iterator[Row]:  # type: ignore[no-untyped-def]
    said = [
        f"{one.words} {text}"
        for one in attributes_of(part)
        if one.name not in ("name", "note") and (text := attribute_text(part, one.name, layout)) not in ("", one.hint)
    ]
    what = part.words()
    yield Row(-1, depth, (part.name, what, ", ".join(said), "", "", "", part.note))
    inner = [getattr(part, name, None) for name in ("type", "length", "field")]
    fields = [one for one in inner if isinstance(one, Field)]
    for field in (*fields, *getattr(part, "fields", ()), *getattr(part, "columns", ())):
        yield _field_row(layout, field, numbers[field.id], depth + 1)
    for one in (*getattr(part, "parts", ()), *getattr(part, "cases", ())):
        yield from _part_rows(layout, one, numbers, depth + 1)


def _check_text(layout: Layout, check) -> str:  # type: ignore[no-untyped-def]
    said = [
        f"{one.words} {text}"
        for one in attributes_of(check)
        if one.name != "name" and (text := attribute_text(check, one.name, layout)) not in ("", "no", "none")
    ]
    return ", ".join(said)


def _limits(low, high) -> str:  # type: ignore[no-untyped-def]
    if low is None and high is None:
        return ""
    ends = ("open" if end is None else format_exact(end) for end in (low, high))
    return " to ".join(ends)
