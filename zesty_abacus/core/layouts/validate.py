"""What is wrong with a layout, in sentences, each beside the thing it is about."""

from __future__ import annotations

import itertools
from collections.abc import Iterable, Iterator
from uuid import UUID

from ..protocols.registry import protocol_named
from .applies import Applies, PatternError, parse_pattern
from .fields import NO_BITS
from .model import TEXT_ENCODINGS, Field, FieldKind, Layout, RawSet
from .places import Places
from .problems import LayoutProblem
from .symbols import symbol_problems
from .validate_parts import check_structure

MAX_NUMBER_BITS = 64
MAX_SIZE = 65536


_MOST_OVERLAPS = 200
"""Told of one layout: of fields that all share their bits there are as many pairs as the square of their number."""
_MOST_COMPARED = 3_000_000
"""Pairs of fields that are compared; more than any message with pages has."""


def check_layout(layout: Layout) -> list[LayoutProblem]:
    """Return everything that is wrong with a layout; an empty list means it can be used."""
    problems = [LayoutProblem(None, attribute, text) for attribute, text in _check_head(layout)]
    registers = layout.registers
    room = (registers.count * registers.space.register_bits + 7) // 8 if registers is not None else layout.size
    problems += check_fields_of(layout.fields, layout.fields, room or MAX_SIZE)
    problems += check_structure(layout, check_fields_of, check_meaning)
    return problems


def problems_inside(layouts: Iterable[Layout]) -> list[str]:
    """Return everything that is wrong with layouts, each with the message and the thing in it."""
    found = []
    for layout in layouts:
        items = {item.id: item.name for item in (*layout.named_items(), *layout.parts, *layout.all_checks())}
        for problem in check_layout(layout):
            called = items.get(problem.field, "") if problem.field is not None else ""
            found.append(f"{layout.name}{f', {called}' if called else ''}: {problem.sentence.rstrip('.')}")
    return found


def check_fields_of(fields: tuple[Field, ...], known: tuple[Field, ...], size: int) -> list[LayoutProblem]:
    """Check fields that stand together in ``size`` bytes; ``known`` are those a selector may name."""
    problems = []
    for field in fields:
        problems += [LayoutProblem(field.id, attribute, text) for attribute, text in _check_field(field, known, size)]
    return problems + _check_names(fields) + _check_overlaps(fields, known)


def _check_head(layout: Layout) -> Iterator[tuple[str, str]]:
    if not layout.name.strip():
        yield "name", "The message has no name."
    applies = layout.applies
    spoken = protocol_named(applies.protocol)
    highest_size = min(spoken.largest_payload, MAX_SIZE)
    if not 0 <= layout.size <= highest_size:
        yield "size", f"A {spoken.payload_title} has 0 to {highest_size} bytes, not {layout.size}."
    yield from _check_addresses(applies)
    if applies.to is not None and applies.mask is not None:
        yield "address", "A span of addresses and a mask cannot both be given."
    if applies.to is not None and applies.address is not None and applies.to < applies.address:
        yield "address", f"The span of addresses ends at {applies.to:#x}, before it begins."
    try:
        parse_pattern(applies.pattern)
    except PatternError as error:
        yield "pattern", str(error)


def _check_addresses(applies: Applies) -> Iterator[tuple[str, str]]:
    spoken = protocol_named(applies.protocol)
    for address in (applies.address, applies.to):
        trouble = "" if address is None else spoken.trouble_with(address, extended=applies.extended)
        if trouble:
            yield "address", trouble


def _check_field(field: Field, known: tuple[Field, ...], size: int) -> Iterator[tuple[str, str]]:
    if not field.name.strip():
        yield "name", "The field has no name."
    if field.places.size_needed > size:
        yield (
            "places",
            f"{field.name} reaches byte {field.places.size_needed - 1}, but the payload ends after byte {size - 1}.",
        )
    width_problem = "" if field.code is not None and len(field.places) else _width_problem(field.kind, field.places)
    if width_problem:
        yield "places", f"{field.name} is {len(field.places)} bits: {width_problem}."
    yield from check_meaning(field)
    yield from _check_selector(field, known)


def check_meaning(field: Field) -> Iterator[tuple[str, str]]:
    """Yield what is wrong with a field apart from where it lies."""
    if field.kind is FieldKind.TEXT and field.encoding not in TEXT_ENCODINGS:
        yield "encoding", f"{field.encoding!r} is not one of {', '.join(TEXT_ENCODINGS)}."
    if field.symbols and field.kind is not FieldKind.TEXT:
        yield "symbols", f"{field.name} is {field.kind.words}; a code table is for text."
    for problem in symbol_problems(field.symbols):
        yield "symbols", problem
    if field.ratio == 0:
        yield "ratio", f"{field.name} has the ratio 0, which makes every value the same."
    if field.low is not None and field.high is not None and field.low > field.high:
        yield "low", f"{field.name} has its low limit above its high limit."
    if field.base not in (2, 8, 10, 16):
        yield "base", f"{field.name} has the base {field.base}; numbers in text have 2, 8, 10 or 16."
    if not 0 <= field.digits <= MAX_NUMBER_BITS:
        yield "digits", f"{field.name} is written with 0 to {MAX_NUMBER_BITS} digits, not {field.digits}."
    if field.polynomial and field.table:
        yield "table", f"{field.name} has both a polynomial and a table."
    if field.is_curved and not field.kind.is_number:
        yield "table", f"{field.name} is {field.kind.words} and cannot follow a curve."
    if len(field.table) == 1 or any(a.x >= b.x for a, b in itertools.pairwise(field.table)):
        yield "table", f"The table of {field.name} needs two or more corners with rising x."
    yield from _check_raw_values(field)


def _check_raw_values(field: Field) -> Iterator[tuple[str, str]]:
    low, high = field.raw_range()
    if field.kind in (FieldKind.NAMES, FieldKind.BITS) and not field.names:
        yield "names", f"{field.name} is to show {field.kind.words} but none has a name."
    if field.kind is FieldKind.BITS:
        yield from _check_named_bits(field)
    seen = RawSet()
    for named in field.names if field.kind is not FieldKind.BITS else ():
        if not low <= named.raw <= named.last <= high:
            yield "names", f"{named.label!r} names {named.raw}, but {field.name} holds {low} to {high}."
            continue
        own = RawSet([(named.raw, named.last)])
        if own.meets(seen):
            yield "names", f"{field.name} names the value {named.raw} twice."
        seen = RawSet((*seen.spans, *own.spans))
    for attribute, raws in (("unavailable", field.unavailable), ("errors", field.errors)):
        for first, last in raws.spans:
            if field.kind is not FieldKind.FLOAT and not low <= first <= last <= high:
                text = str(first) if first == last else f"{first}..{last}"
                yield attribute, f"{text} cannot occur: {field.name} holds {low} to {high}."


def _check_named_bits(field: Field) -> Iterator[tuple[str, str]]:
    seen: set[int | str] = set()
    for named in field.names:
        if named.to is not None or not 0 <= named.raw < len(field.places):
            yield (
                "names",
                f"{named.label!r} names bit {named.raw}, but {field.name} has "
                + (f"bits 0 to {len(field.places) - 1}." if len(field.places) else "no bits of its own."),
            )
        elif named.raw in seen or named.label in seen:
            yield "names", f"{field.name} names a bit twice: {named.raw} {named.label!r}."
        elif "," in named.label or named.label == NO_BITS:
            yield "names", f"{named.label!r} cannot name a bit: commas stand between names, and {NO_BITS} is no bit."
        seen |= {named.raw, named.label}


def _check_selector(field: Field, known: tuple[Field, ...]) -> Iterator[tuple[str, str]]:
    if field.selected is None:
        return
    by_id = {one.id: one for one in known}
    chain = {field.id}
    current: Field = field
    while current.selected is not None:
        if current.selected.field in chain:
            yield "selected", f"{field.name} selects itself in a circle."
            return
        chain.add(current.selected.field)
        if current.selected.field not in by_id:
            yield "selected", f"{field.name} depends on a field that is not in the layout."
            return
        current = by_id[current.selected.field]
    selector = by_id[field.selected.field]
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
    if kind in (FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT) and width < 2:
        return f"{kind.words} takes two or more"
    if kind is FieldKind.BCD and width % 4:
        return "each decimal digit takes four"
    if kind is FieldKind.BCD_BYTES and width % 8:
        return "each decimal digit takes eight"
    if kind in (FieldKind.TEXT, FieldKind.BYTES):
        return "" if width % 8 == 0 else f"{kind.words} takes whole bytes"
    if width > MAX_NUMBER_BITS:
        return f"{kind.words} takes at most {MAX_NUMBER_BITS}"
    return ""


def _check_names(fields: tuple[Field, ...]) -> list[LayoutProblem]:
    problems = []
    seen: set[str] = set()
    for field in fields:
        if field.name in seen:
            problems.append(LayoutProblem(field.id, "name", f"Two fields are called {field.name}."))
        seen.add(field.name)
    return problems


def _check_overlaps(fields: tuple[Field, ...], known: tuple[Field, ...]) -> list[LayoutProblem]:
    by_id = {field.id: field for field in known}
    pages = _Pages({field.id: _conditions(field, by_id) for field in fields})
    owner: dict[int, list[Field]] = {}
    problems: dict[tuple[UUID, UUID], LayoutProblem] = {}
    for field in fields:
        for bit in field.places:
            owner.setdefault(bit, []).append(field)
    for bit, owners in sorted(owner.items()):
        for first, second in itertools.combinations(owners, 2):
            if len(problems) >= _MOST_OVERLAPS or pages.compared > _MOST_COMPARED:
                return [*problems.values(), LayoutProblem(None, "places", "More fields overlap, or share their bits.")]
            pair = first.id, second.id
            if pair in problems or pages.exclude_each_other(*pair):
                continue
            sentence = f"{second.name} overlaps {first.name} at byte {bit // 8}, bit {bit % 8}."
            problems[pair] = LayoutProblem(second.id, "places", sentence)
    return list(problems.values())


class _Pages:
    """Which fields a selector keeps apart. Fields of one page are alike: a pair of pages is compared once."""

    def __init__(self, conditions: dict[UUID, dict[UUID, RawSet]]) -> None:
        self._conditions = conditions
        self._page = {field: frozenset(found.items()) for field, found in conditions.items()}
        self._apart: dict[tuple[frozenset, frozenset], bool] = {}
        self.compared = 0

    def exclude_each_other(self, first: UUID, second: UUID) -> bool:
        """Whether a selector keeps two fields from ever being present together."""
        self.compared += 1
        pages = self._page[first], self._page[second]
        if pages not in self._apart:
            one = self._conditions[first]
            self._apart[pages] = any(
                selector in one and not one[selector].meets(values)
                for selector, values in self._conditions[second].items()
            )
        return self._apart[pages]


def _conditions(field: Field, known: dict[UUID, Field]) -> dict[UUID, RawSet]:
    """Return all selectors that must hold for a field, with their values."""
    found: dict[UUID, RawSet] = {}
    current: Field | None = field
    while current is not None and current.selected is not None and current.selected.field not in found:
        found[current.selected.field] = current.selected.values
        current = known.get(current.selected.field)
    return found
