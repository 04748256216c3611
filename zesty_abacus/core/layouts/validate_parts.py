"""What is wrong with the moving parts, the checks and the computed values of a layout."""

from __future__ import annotations

from collections.abc import Callable
from uuid import UUID

from .computed import NOTHING_COMPUTED
from .fields import Field
from .item import LayoutItem
from .model import Check, Computed, Layout, Part
from .parts.part import MAX_BYTES
from .problems import LayoutProblem, Said, expression_problems, unknown_name
from .raw_sets import RawSet

MAX_DEPTH = 8
"""Parts within parts."""
FieldCheck = Callable[[tuple[Field, ...], tuple[Field, ...], int], list[LayoutProblem]]
MeaningCheck = Callable[[Field], Said]


def check_structure(layout: Layout, check_fields_of: FieldCheck, check_meaning: MeaningCheck) -> list[LayoutProblem]:
    """Return what is wrong with parts, checks and computed values."""
    if layout.registers is not None and layout.parts:
        return [LayoutProblem(None, "parts", "A register map has fixed places; it cannot hold parts that move.")]
    walk = PartWalk(check_fields_of, check_meaning)
    scope = walk.parts(layout.parts, layout.fields, 1)
    walk.items(layout.checks, layout.computed, scope)
    return walk.problems + _check_ids(layout)


class PartWalk:
    """Goes through parts in order and keeps what is wrong."""

    def __init__(self, check_fields_of: FieldCheck, check_meaning: MeaningCheck) -> None:
        self._check_fields_of = check_fields_of
        self._check_meaning = check_meaning
        self.problems: list[LayoutProblem] = []

    def parts(self, parts: tuple[Part, ...], scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        """Look at parts; return the scope with the fields that are there once behind them."""
        if depth > MAX_DEPTH and parts:
            self.say(parts[0].id, "parts", f"Parts lie more than {MAX_DEPTH} deep.")
            return scope
        for part in parts:
            self._look_at(part, scope)
            scope = part.look_inside(self, scope, depth)
        return scope

    def fields(self, fields: tuple[Field, ...], known: tuple[Field, ...], size: int) -> None:
        """Look at fields with places in ``size`` bytes, whose selectors are among those known."""
        self.problems += self._check_fields_of(fields, known, size)

    def meaning(self, field: Field) -> None:
        """Look at what a field means that has no places."""
        for attribute, sentence in self._check_meaning(field):
            self.say(field.id, attribute, sentence)

    def items(
        self, checks: tuple[Check, ...], computed: tuple[Computed, ...], scope: tuple[Field, ...]
    ) -> tuple[Field, ...]:
        """Look at checks and computed values; return the scope with the values behind."""
        known = {field.name: field for field in scope}
        ids = {field.id for field in scope}
        for check in checks:
            self.problems += [LayoutProblem(check.id, *said) for said in _check_check(check, known, ids)]
        for value in computed:
            self.problems += [LayoutProblem(value.id, *said) for said in _check_computed(value, known)]
            known[value.name] = value.as_field()
        return (*scope, *(value.as_field() for value in computed))

    def say(self, item: UUID, attribute: str, sentence: str) -> None:
        """Note what is wrong with an item."""
        self.problems.append(LayoutProblem(item, attribute, sentence))

    def _look_at(self, part: Part, scope: tuple[Field, ...]) -> None:
        if not part.name.strip():
            self.say(part.id, "name", "The part has no name.")
        if not 1 <= part.align <= MAX_BYTES:
            self.say(part.id, "align", f"{part.name} is aligned to {part.align} bytes.")
        if part.selected is not None and part.selected.field not in {field.id for field in scope}:
            self.say(part.id, "selected", f"{part.name} depends on a field that is not known where it stands.")
        names = {field.name for field in scope if field.raw_is_number}
        for attribute, expression in part.expressions():
            unknown = unknown_name(expression, names)
            if unknown:
                self.say(part.id, attribute, f"{part.name} uses {unknown}, which is not known where it stands.")
        for attribute, sentence in part.problems():
            self.say(part.id, attribute, sentence)


def _check_check(check: Check, known: dict[str, Field], ids: set[UUID]) -> Said:
    if any(field not in ids for field in check.fields()):
        yield "field", f"{check.name} names a field that is not in the layout."
    else:
        yield from check.problems(known)


def _check_computed(value: Computed, known: dict[str, Field]) -> Said:
    if not value.name.strip():
        yield "name", "The computed value has no name."
    if value.name in known:
        yield "name", f"Two values are called {value.name}."
    if value.low is not None and value.high is not None and value.low > value.high:
        yield "low", f"{value.name} has its low limit above its high limit."
    named = RawSet()
    for one in value.names:
        own = RawSet([(one.raw, max(one.raw, one.last))])
        if one.last < one.raw or own.meets(named):
            yield "names", f"{value.name} names the value {one.raw} twice, or a span that ends before it begins."
            continue
        named = RawSet((*named.spans, *own.spans))
    if value.text:
        yield from _text_problems(value, known)
    else:
        yield from expression_problems("expression", value.expression, known)


def _text_problems(value: Computed, known: dict[str, Field]) -> Said:
    unknown = next((name for name in value.text.names if name not in known), "")
    if unknown:
        yield "text", f"There is nothing called {unknown} that is there once a frame."
    if value.expression != NOTHING_COMPUTED:
        yield "expression", f"{value.name} is put together as a text; it is computed as well."
    if value.unit or value.names or value.low is not None or value.high is not None:
        yield "unit", f"{value.name} is a text, which has no unit, names or limits."


def _check_ids(layout: Layout) -> list[LayoutProblem]:
    seen: set[UUID] = set()
    problems = []
    items: list[Field | LayoutItem] = [
        *layout.all_fields(),
        *layout.parts,
        *layout.all_checks(),
        *layout.all_computed(),
    ]
    for item in items:
        if item.id in seen:
            problems.append(LayoutProblem(item.id, "id", f"{item.name} has the identity of something else."))
        seen.add(item.id)
    return problems
