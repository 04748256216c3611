"""What is wrong with a layout, in sentences, each beside the thing it is about."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from uuid import UUID

from .model import TEXT_ENCODINGS, Field, FieldKind, Layout
from .places import Places

MAX_NUMBER_BITS = 64
MAX_SIZE = 64
"""Bytes in the longest CAN FD frame."""


@dataclass(frozen=True, slots=True)
class LayoutProblem:
    """One thing that is wrong.

    Attributes
    ----------
    field
        The field it is about, or None for the layout as a whole.
    attribute
        Name of the attribute to mend.
    sentence
        What is wrong and what would be right.
    """

    field: UUID | None
    attribute: str
    sentence: str


def check_layout(layout: Layout) -> list[LayoutProblem]:
    """Return everything that is wrong with a layout; an empty list means it can be used."""
    problems = [LayoutProblem(None, attribute, text) for attribute, text in _check_head(layout)]
    for field in layout.fields:
        problems += [LayoutProblem(field.id, attribute, text) for attribute, text in _check_field(field, layout)]
    problems += _check_names(layout)
    problems += _check_overlaps(layout)
    return problems


def _check_head(layout: Layout) -> Iterator[tuple[str, str]]:
    if not layout.name.strip():
        yield "name", "The message has no name."
    if not 0 <= layout.size <= MAX_SIZE:
        yield "size", f"A CAN payload has 0 to {MAX_SIZE} bytes, not {layout.size}."
    highest = 0x1FFF_FFFF if layout.applies.extended else 0x7FF
    if not 0 <= layout.applies.address <= highest:
        bits = 29 if layout.applies.extended else 11
        yield "address", f"{layout.applies.address:#x} is not a {bits}-bit identifier (0 to {highest:#x})."


def _check_field(field: Field, layout: Layout) -> Iterator[tuple[str, str]]:
    if not field.name.strip():
        yield "name", "The field has no name."
    if field.places.size_needed > layout.size:
        yield (
            "places",
            (
                f"{field.name} reaches byte {field.places.size_needed - 1}, "
                f"but the payload ends after byte {layout.size - 1}."
            ),
        )
    width_problem = _width_problem(field.kind, field.places)
    if width_problem:
        yield "places", f"{field.name} is {len(field.places)} bits: {width_problem}."
    if field.kind is FieldKind.TEXT and field.encoding not in TEXT_ENCODINGS:
        yield "encoding", f"{field.encoding!r} is not one of {', '.join(TEXT_ENCODINGS)}."
    if field.ratio == 0:
        yield "ratio", f"{field.name} has the ratio 0, which makes every value the same."
    if field.low is not None and field.high is not None and field.low > field.high:
        yield "low", f"{field.name} has its low limit above its high limit."
    yield from _check_raw_values(field)
    yield from _check_selector(field, layout)


def _check_raw_values(field: Field) -> Iterator[tuple[str, str]]:
    low, high = field.raw_range()
    if field.kind is FieldKind.NAMES and not field.names:
        yield "names", f"{field.name} is to show named values but none has a name."
    seen: set[int] = set()
    for named in field.names:
        if not low <= named.raw <= high:
            yield "names", f"{named.label!r} names {named.raw}, but {field.name} holds {low} to {high}."
        if named.raw in seen:
            yield "names", f"{field.name} names the value {named.raw} twice."
        seen.add(named.raw)
    for raw in field.unavailable:
        if field.kind is not FieldKind.FLOAT and not low <= raw <= high:
            yield "unavailable", f"{raw} cannot occur: {field.name} holds {low} to {high}."


def _check_selector(field: Field, layout: Layout) -> Iterator[tuple[str, str]]:
    if field.selected is None:
        return
    chain = {field.id}
    current: Field = field
    while current.selected is not None:
        if current.selected.field in chain:
            yield "selected", f"{field.name} selects itself in a circle."
            return
        chain.add(current.selected.field)
        try:
            current = layout.field(current.selected.field)
        except KeyError:
            yield "selected", f"{field.name} depends on a field that is not in the layout."
            return
    selector = layout.field(field.selected.field)
    if selector.kind in (FieldKind.FLOAT, FieldKind.TEXT, FieldKind.BYTES):
        yield "selected", f"{selector.name} is {selector.kind.words} and cannot select."
    if not field.selected.values:
        yield "selected", f"{field.name} is present for no value of {selector.name}."


def _width_problem(kind: FieldKind, places: Places) -> str:
    width = len(places)
    if width == 0:
        return "a field needs at least one"
    if kind is FieldKind.FLAG and width != 1:
        return "a flag is one bit"
    if kind is FieldKind.FLOAT and width not in (16, 32, 64):
        return "floating point takes 16, 32 or 64"
    if kind in (FieldKind.TEXT, FieldKind.BYTES):
        return "" if width % 8 == 0 else f"{kind.words} takes whole bytes"
    if width > MAX_NUMBER_BITS:
        return f"{kind.words} takes at most {MAX_NUMBER_BITS}"
    return ""


def _check_names(layout: Layout) -> list[LayoutProblem]:
    problems = []
    seen: set[str] = set()
    for field in layout.fields:
        if field.name in seen:
            problems.append(LayoutProblem(field.id, "name", f"Two fields are called {field.name}."))
        seen.add(field.name)
    return problems


def _check_overlaps(layout: Layout) -> list[LayoutProblem]:
    problems = []
    reported: set[tuple[int, int]] = set()
    for bit, numbers in sorted(layout.owners().items()):
        for later in numbers[1:]:
            pair = (numbers[0], later)
            first, second = layout.fields[pair[0]], layout.fields[later]
            if pair in reported or _exclude_each_other(first, second, layout):
                continue
            reported.add(pair)
            sentence = f"{second.name} overlaps {first.name} at byte {bit // 8}, bit {bit % 8}."
            problems.append(LayoutProblem(second.id, "places", sentence))
    return problems


def _exclude_each_other(first: Field, second: Field, layout: Layout) -> bool:
    """Whether a selector keeps two fields from ever being present together."""
    conditions = _conditions(first, layout)
    for selector, values in _conditions(second, layout).items():
        if selector in conditions and not conditions[selector] & values:
            return True
    return False


def _conditions(field: Field, layout: Layout) -> dict[UUID, set[int]]:
    """Return all selectors that must hold for a field, with their values."""
    found: dict[UUID, set[int]] = {}
    current: Field | None = field
    while current is not None and current.selected is not None and current.selected.field not in found:
        found[current.selected.field] = set(current.selected.values)
        current = next((f for f in layout.fields if f.id == current.selected.field), None)
    return found
