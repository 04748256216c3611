"""What is wrong with the moving parts, the checks and the computed values of a layout."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from uuid import UUID

from ..expressions.expression import SPECIAL_NAMES, Expression
from ..expressions.tree import ExpressionError
from ..expressions.unit_of import unit_of
from .checks import Check, Complement, Counter, Crc, Reserved, Rule, Sum, Xor, check_fields
from .fields import Field, FieldKind
from .model import Computed, Layout
from .parts import Elements, Group, Part, Repeat, Run, TextLine, part_expressions
from .problems import LayoutProblem
from .raw_sets import RawSet

MAX_DEPTH = 8
"""Parts within parts."""
MAX_BYTES = 65536
"""The longest payload."""
FieldCheck = Callable[[tuple[Field, ...], tuple[Field, ...], int], list[LayoutProblem]]
Said = Iterator[tuple[str, str]]


def check_structure(layout: Layout, check_fields_of: FieldCheck) -> list[LayoutProblem]:
    """Return what is wrong with parts, checks and computed values."""
    if layout.registers is not None and layout.parts:
        return [LayoutProblem(None, "parts", "A register map has fixed places; it cannot hold parts that move.")]
    walk = _Walk(check_fields_of)
    scope = walk.parts(layout.parts, layout.fields, 1)
    problems = walk.problems
    known = {field.name: field for field in scope}
    ids = {field.id for field in scope}
    for check in layout.checks:
        problems += [LayoutProblem(check.id, *said) for said in _check_check(check, known, ids)]
    for value in layout.computed:
        problems += [LayoutProblem(value.id, *said) for said in _check_computed(value, known)]
        known[value.name] = Field(id=value.id, name=value.name, unit=value.unit)
    return problems + _check_ids(layout)


class _Walk:
    """Goes through parts in order and keeps what is wrong."""

    def __init__(self, check_fields_of: FieldCheck) -> None:
        self.check_fields_of = check_fields_of
        self.problems: list[LayoutProblem] = []

    def parts(self, parts: tuple[Part, ...], scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        """Check parts; return the scope with the fields that are there once behind them."""
        if depth > MAX_DEPTH and parts:
            self._say(parts[0].id, "parts", f"Parts lie more than {MAX_DEPTH} deep.")
            return scope
        for part in parts:
            scope = self._part(part, scope, depth)
        return scope

    def _say(self, item: UUID, attribute: str, sentence: str) -> None:
        self.problems.append(LayoutProblem(item, attribute, sentence))

    def _part(self, part: Part, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        if not part.name.strip():
            self._say(part.id, "name", "The part has no name.")
        if not 1 <= part.align <= MAX_BYTES:
            self._say(part.id, "align", f"{part.name} is aligned to {part.align} bytes.")
        if part.selected is not None and part.selected.field not in {field.id for field in scope}:
            self._say(part.id, "selected", f"{part.name} depends on a field that is not known where it stands.")
        names = {field.name for field in scope if field.raw_is_number}
        for attribute, expression in part_expressions(part):
            unknown = _unknown(expression, names)
            if unknown:
                self._say(part.id, attribute, f"{part.name} uses {unknown}, which is not known where it stands.")
        return self._by_kind(part, scope, depth)

    def _by_kind(self, part: Part, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        if isinstance(part, Group):
            return self._group(part, scope, depth)
        if isinstance(part, Run):
            for attribute, sentence in _check_run(part):
                self._say(part.id, attribute, sentence)
        elif isinstance(part, TextLine):
            for attribute, sentence in _check_line(part):
                self._say(part.id, attribute, sentence)
            return (*scope, *(field for field in part.columns if field.name))
        elif isinstance(part, Elements):
            self._elements(part, scope, depth)
        return scope

    def _group(self, part: Group, scope: tuple[Field, ...], depth: int) -> tuple[Field, ...]:
        if not 0 <= part.size <= MAX_BYTES or (part.size == 0 and not part.parts):
            self._say(part.id, "size", f"An item of {part.name} has {part.size} bytes.")
        if part.repeat in (Repeat.COUNT, Repeat.BYTES) and part.amount is None:
            self._say(part.id, "amount", f"{part.name} does not say how many.")
        self.problems += self.check_fields_of(part.fields, (*scope, *part.fields), part.size)
        inner = self.parts(part.parts, (*scope, *part.fields), depth + 1)
        return inner if part.repeat is Repeat.ONCE else scope

    def _elements(self, part: Elements, scope: tuple[Field, ...], depth: int) -> None:
        if not 1 <= part.head <= 8:
            self._say(part.id, "head", f"The head of an element has 1 to 8 bytes, not {part.head}.")
        if not 1 <= part.length_unit <= MAX_BYTES:
            self._say(part.id, "length_unit", f"A length counts units of {part.length_unit} bytes.")
        if abs(part.extra) > MAX_BYTES:
            self._say(part.id, "extra", f"{part.extra} bytes besides the length are more than a payload has.")
        self.problems += self.check_fields_of((part.type, part.length), (part.type, part.length), part.head)
        for field in (part.type, part.length):
            if field.kind not in (FieldKind.UNSIGNED, FieldKind.NAMES) or field.ratio != 1 or field.offset != 0:
                self._say(field.id, "kind", f"{field.name} is to be unsigned and unscaled.")
        taken = part.ends
        for case in part.cases:
            if case.types.meets(taken):
                self._say(case.id, "types", f"{case.name} has a type that another case has, too.")
            taken = RawSet((*taken.spans, *case.types.spans))
            outer = (*scope, part.type, part.length)
            self.problems += self.check_fields_of(case.fields, (*outer, *case.fields), 65536)
            self.parts(case.parts, (*outer, *case.fields), depth + 1)


def _check_run(part: Run) -> Said:
    if part.field.raw_is_number:
        yield "field", f"{part.name} is to be text or raw bytes."
    if len(part.field.places):
        yield "field", f"{part.name} moves, so its field has no places."
    if part.end and not _is_hex(part.end):
        yield "end", f"{part.end!r} is not hex digits."


def _check_line(part: TextLine) -> Said:
    if len(part.separator) != 1 or not part.separator.isascii():
        yield "separator", f"The separator of {part.name} is one ASCII character."
    if len(part.quote) > 1 or (part.quote and part.quote == part.separator):
        yield "quote", f"The quote of {part.name} is one character other than the separator."
    for attribute in ("quote", "begins", "ends"):
        if not getattr(part, attribute).isascii():
            yield attribute, f"{getattr(part, attribute)!r} of {part.name} is not made of ASCII characters."
    if not part.columns:
        yield "columns", f"{part.name} has no columns."
    for field in part.columns:
        if len(field.places):
            yield "columns", f"{field.name} is a column and has no places."


def _check_check(check: Check, known: dict[str, Field], ids: set[UUID]) -> Said:
    if any(field not in ids for field in check_fields(check)):
        yield "field", f"{check.name} names a field that is not in the layout."
        return
    if isinstance(check, Crc):
        if not 1 <= check.width <= 64:
            yield "width", f"A CRC has 1 to 64 bits, not {check.width}."
        elif max(check.polynomial, check.start, check.final) >> check.width:
            yield "polynomial", f"Polynomial, start and final value of {check.name} have at most {check.width} bits."
    if isinstance(check, Sum | Xor | Crc):
        yield from _check_coverage(check, known)
    if isinstance(check, Sum) and not 0 <= check.width <= 64:
        yield "width", f"A sum has at most 64 bits, not {check.width}."
    if isinstance(check, Sum) and (check.word_bytes not in (1, 2, 4) or check.negated not in ("none", "ones", "twos")):
        yield "word_bytes", f"{check.name} adds words of 1, 2 or 4 bytes, negated none, ones or twos."
    if isinstance(check, Counter):
        yield from _check_counter(check, known)
    if isinstance(check, Reserved):
        yield from _check_reserved(check)
    if isinstance(check, Complement) and len(_of(known, check.field).places) != len(_of(known, check.of).places):
        yield "of", f"{check.name} compares fields of different widths."
    if isinstance(check, Rule):
        yield from _check_expression("expression", check.expression, known)


def _of(known: dict[str, Field], field_id: UUID) -> Field:
    return next(field for field in known.values() if field.id == field_id)


def _check_counter(check: Counter, known: dict[str, Field]) -> Said:
    width = len(_of(known, check.field).places) or 62
    wraps = check.wraps_at if check.wraps_at is not None else 1 << width
    if not 2 <= wraps <= 1 << width:
        yield "wraps_at", f"{check.name} cannot run through {wraps} values in {width} bits."
    elif not check.step % wraps:
        yield "step", f"{check.name} never moves with steps of {check.step}."


def _check_reserved(check: Reserved) -> Said:
    if not 1 <= len(check.places) <= 64:
        yield "places", f"{check.name} holds 1 to 64 bits, not {len(check.places)}."
    elif check.value < 0 or check.value >> len(check.places):
        yield "value", f"{check.value} does not fit the {len(check.places)} bits of {check.name}."


def _check_coverage(check: Sum | Xor | Crc, known: dict[str, Field]) -> Said:
    coverage = check.coverage
    if coverage.places is not None and len(coverage.places) % 8:
        yield "coverage", f"{check.name} covers {len(coverage.places)} bits, which are not whole bytes."
    for digits in (coverage.key_before, coverage.key_after, *(key.key for key in coverage.keys)):
        if not _is_hex(digits):
            yield "coverage", f"{digits!r} is not hex digits."
    if not 0 <= coverage.address_bytes <= 8:
        yield "coverage", f"An address goes in with 0 to 8 bytes, not {coverage.address_bytes}."
    for expression in (coverage.first, coverage.end):
        yield from _check_expression("coverage", expression, known)


def _check_computed(value: Computed, known: dict[str, Field]) -> Said:
    if not value.name.strip():
        yield "name", "The computed value has no name."
    if value.name in known:
        yield "name", f"Two values are called {value.name}."
    if value.low is not None and value.high is not None and value.low > value.high:
        yield "low", f"{value.name} has its low limit above its high limit."
    yield from _check_expression("expression", value.expression, known)


def _check_expression(attribute: str, expression: Expression, known: dict[str, Field]) -> Said:
    unknown = _unknown(expression, {name for name, field in known.items() if field.raw_is_number})
    if unknown:
        yield attribute, f"There is no number called {unknown} that is there once a frame."
        return
    try:
        unit_of(expression, {name: field.unit for name, field in known.items()})
    except ExpressionError as error:
        yield attribute, f"{expression}: {error}"


def _unknown(expression: Expression, names: set[str]) -> str:
    return next((name for name in expression.names if name not in names and name not in SPECIAL_NAMES), "")


def _is_hex(text: str) -> bool:
    digits = re.sub(r"\s", "", text)
    return len(digits) % 2 == 0 and re.fullmatch(r"[0-9a-fA-F]*", digits) is not None


def _check_ids(layout: Layout) -> list[LayoutProblem]:
    seen: set[UUID] = set()
    problems = []
    for item in (*layout.all_fields(), *layout.parts, *layout.checks, *layout.computed):
        if item.id in seen:
            problems.append(LayoutProblem(item.id, "id", f"{item.name} has the identity of something else."))
        seen.add(item.id)
    return problems
