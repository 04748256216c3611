"""Whole frames from values: fixed fields, then parts behind them, then the checks over all.

What is there once a frame is given by the name of its field, also where it lies in a part; an array as a
sequence of mappings under the name of its group; elements as a sequence of ``(case name, mapping)``. Counts,
lengths, header lengths and checks that are not given are worked out.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Mapping, Sequence
from fractions import Fraction
from uuid import UUID

import numpy as np

from ..expressions.exactly import evaluate_exactly, evaluate_node_exactly
from ..expressions.expression import Expression
from ..expressions.tree import Call, ExpressionError, Name
from ..layouts.checks import Complement, Crc, Reserved, Rule, Sum, Xor
from ..layouts.model import (
    Carried,
    ElementCase,
    Elements,
    Field,
    FieldKind,
    Group,
    Layout,
    Part,
    Repeat,
    Run,
    TextLine,
)
from ..layouts.numbers import format_exact
from .checks import expected_values
from .columns import FieldColumn
from .encode import Encoded, EncodeError, Value, content_bytes, exact_of, get_value, put_bits, raw_of, whole_of
from .scalar import bits_of_raw, physical_of
from .scope import Scope

Known = dict[str, Fraction | None]
Values = Mapping[str, "Value | Sequence"]


class Region:
    """A stretch under construction: fixed fields at its start, parts behind.

    Attributes
    ----------
    data
        The bytes so far.
    known, raws
        Values and raw numbers by field name, of this region and of those around it.
    """

    def __init__(self, fields: Sequence[Field], size: int, outer: Region | None, path: str, base: bytes = b"") -> None:
        self.fields = list(fields)
        self.spots: dict[UUID, tuple[Field, int]] = {field.id: (field, 0) for field in fields}
        self.data = bytearray(base[:size].ljust(size, b"\0"))
        self.base_size = len(base)
        self.given: set[str] = set()
        self.outer = outer
        self.path = path
        self.losses: dict[str, Fraction] = outer.losses if outer is not None else {}

    def set(self, field: Field, start: int, value: object) -> None:
        """Write a value where the field lies, its part beginning at ``start``."""
        raw, loss = raw_of(field, value)  # type: ignore[arg-type]
        self.put(field, start, raw)
        self.given.add(field.name)
        if loss:
            self.losses[self.path + field.name] = loss

    def put(self, field: Field, start: int, raw: int) -> None:
        """Write bits where the field lies."""
        needed = start + field.places.size_needed
        if len(self.data) < needed:
            self.data.extend(bytes(needed - len(self.data)))
        view = bytearray(self.data[start:needed])
        put_bits(view, field, raw)
        self.data[start:needed] = view

    def get(self, field_id: UUID) -> tuple[int | None, Fraction | None]:
        """Return raw number and value of a field, of this region or one around it."""
        if field_id in self.spots:
            field, start = self.spots[field_id]
            return get_value(bytes(self.data[start:]).ljust(field.places.size_needed, b"\0"), field)
        if self.outer is None:
            raise EncodeError("a selector is not there.", where=self.path)
        return self.outer.get(field_id)

    def names(self) -> tuple[Known, dict[str, int]]:
        """Return values and raw numbers by name."""
        known, raws = self.outer.names() if self.outer is not None else ({}, {})
        for field, start in self.spots.values():
            if field.raw_is_number and len(field.places):
                raw, value = get_value(bytes(self.data[start:]).ljust(field.places.size_needed, b"\0"), field)
                known[field.name] = value
                if raw is not None:
                    raws[field.name] = raw
        return known, raws

    def evaluate(self, expression: Expression, **special: int) -> Fraction:
        """Return the value of an expression here."""
        known, raws = self.names()
        try:
            found = evaluate_exactly(expression, known | {name: Fraction(v) for name, v in special.items()}, raws)
        except ExpressionError as error:
            raise EncodeError(str(error), where=f"{self.path}{expression}") from error
        if found is None:
            raise EncodeError(f"{expression} has no value.", where=self.path)
        return found

    def owner_of(self, name: str) -> tuple[Region, Field, int] | None:
        """Return the nearest region that has a field of this name, the field, and where its part begins."""
        for field, start in self.spots.values():
            if field.name == name:
                return self, field, start
        return self.outer.owner_of(name) if self.outer is not None else None

    def make_true(self, expression: Expression, wanted: int, what: str, *, at_least: bool = False) -> None:
        """Set the one free field of an expression so that it gives ``wanted``; otherwise check that it does.

        ``at_least`` allows the next larger number that the field can reach.
        """
        free = [found for name in expression.names if (found := self.owner_of(name)) and name not in found[0].given]
        if len(free) == 1:
            region, field, start = free[0]
            raw = self._solve(expression, field, wanted, at_least)
            if raw is not None:
                region.put(field, start, bits_of_raw(field, raw))
                region.given.add(field.name)
                return
        given = self.evaluate(expression)
        if given != wanted and not (at_least and given >= wanted):
            raise EncodeError(f"{expression} gives {format_exact(given)}, but {what} {wanted}.", where=self.path or "")

    def _solve(self, expression: Expression, field: Field, wanted: int, at_least: bool) -> int | None:
        """Return the raw value of a field in which the expression is linear, None if there is none."""
        known, raws = self.names()

        def at(raw: int) -> Fraction | None:
            try:
                tried = known | {field.name: physical_of(field, raw)}
                return evaluate_exactly(expression, tried, raws | {field.name: raw})
            except ExpressionError:
                return None

        zero, one = at(0), at(1)
        if zero is None or one is None or zero == one:
            return None
        exact = (wanted - zero) / (one - zero)
        raw = math.ceil(exact) if at_least else round(exact)
        low, high = field.raw_range()
        reached = at(raw) if low <= raw <= high else None
        good = reached is not None and (reached == wanted or (at_least and reached >= wanted))
        return raw if good else None


def encode_message(layout: Layout, values: Values, base: bytes = b"", *, address: int | None = None) -> Encoded:
    """Encode one frame.

    Parameters
    ----------
    values
        Numbers, text, names of values, or hex digits for raw bytes. Numbers between two steps go to the nearer
        one and are listed as losses.
    base
        Payload whose bits stay where no value is given; zeros by default. Checks keep what it has, too.
    address
        Address of the frame, for checks that mix it in; that of the layout by default.

    Raises
    ------
    EncodeError
        If a field is unknown, a value does not fit, or a field is given that its selector excludes.
    """
    region = Region(layout.fields, layout.size, None, "", base)
    unused = dict(values)
    _fill_fields(region, layout.fields, 0, unused)
    cursor = _build_parts(region, layout.parts, layout.size, unused)
    if unused:
        known = ", ".join(field.name for field in layout.all_fields()) or "no fields"
        raise EncodeError(f"there is no field {next(iter(unused))!r}.", where=layout.name, hint=f"It has {known}.")
    if layout.parts:
        del region.data[cursor:]
    own = layout.applies.address if address is None else address
    _fill_checks(region, layout, own or 0, bool(base))
    _check_selectors(region, layout.fields, values)
    return Encoded(bytes(region.data), region.losses)


def _fill_fields(region: Region, fields: Iterable[Field], start: int, unused: dict) -> None:
    for field in fields:
        if field.name in unused:
            region.set(field, start, unused.pop(field.name))


def _check_selectors(region: Region, fields: Iterable[Field], values: Mapping) -> None:
    for field in fields:
        if field.name not in values or field.selected is None:
            continue
        now, _ = region.get(field.selected.field)
        if now is None or now not in field.selected.values:
            name = _name_of(region, field.selected.field)
            raise EncodeError(
                f"it is not in the frame while {name} is {now}.",
                where=field.name,
                hint=f"Set {name} to {str(field.selected.values).replace(', ', ' or ')}.",
            )


def _name_of(region: Region | None, field_id: UUID) -> str:
    while region is not None:
        if field_id in region.spots:
            return region.spots[field_id][0].name
        region = region.outer
    return "the selector"


def _build_parts(region: Region, parts: Sequence[Part], cursor: int, unused: dict) -> int:
    for part in parts:
        if part.selected is not None:
            now, _ = region.get(part.selected.field)
            if now is None or now not in part.selected.values:
                continue
        begin = cursor
        if part.start is not None:
            if _names_a_field(part.start, region):
                region.make_true(part.start, cursor, f"{part.name} begins at", at_least=True)
                begin = int(region.evaluate(part.start))
            else:
                # counted from an end that is not known yet: it comes behind
                begin = cursor
        begin = -(-begin // part.align) * part.align
        if len(region.data) < begin:
            region.data.extend(bytes(begin - len(region.data)))
        cursor = _BUILDERS[type(part)](part, region, begin, unused)
    return cursor


def _names_a_field(expression: Expression, region: Region) -> bool:
    return not expression.names or all(region.owner_of(name) is not None for name in expression.names)


def _place(region: Region, begin: int, content: bytes) -> int:
    end = begin + len(content)
    if len(region.data) < end:
        region.data.extend(bytes(end - len(region.data)))
    region.data[begin:end] = content
    return end


def _build_group(part: Group, region: Region, begin: int, unused: dict) -> int:
    if part.repeat is Repeat.ONCE:
        for field in part.fields:
            region.spots[field.id] = field, begin
        if len(region.data) < begin + part.size:
            region.data.extend(bytes(begin + part.size - len(region.data)))
        _fill_fields(region, part.fields, begin, unused)
        end = _build_parts(region, part.parts, begin + part.size, unused)
        if part.limit is not None:
            region.make_true(part.limit, end - begin, f"{part.name} takes")
        return end
    items = unused.pop(part.name, ())
    if isinstance(items, str | bytes) or not isinstance(items, Sequence):
        raise EncodeError("an array takes a list of items.", where=part.name)
    content = b"".join(_build_item(part, region, number, item) for number, item in enumerate(items))
    if part.repeat is Repeat.COUNT and part.amount is not None:
        region.make_true(part.amount, len(items), f"{part.name} has")
    elif part.repeat is Repeat.BYTES and part.amount is not None:
        region.make_true(part.amount, len(content), f"{part.name} takes")
    return _place(region, begin, content)


def _build_item(part: Group, region: Region, number: int, item: object) -> bytes:
    if not isinstance(item, Mapping):
        if len(part.fields) != 1:
            raise EncodeError(f"item {number} takes a value for each of its fields.", where=part.name)
        item = {part.fields[0].name: item}
    return _build_inner(region, f"{region.path}{part.name}[{number}].", part.fields, part.parts, part.size, item)


def _build_inner(
    outer: Region, path: str, fields: Sequence[Field], parts: Sequence[Part], size: int, values: Mapping
) -> bytes:
    inner = Region(fields, size, outer, path)
    unused = dict(values)
    _fill_fields(inner, fields, 0, unused)
    end = _build_parts(inner, parts, size, unused)
    if unused:
        raise EncodeError(f"there is no field {next(iter(unused))!r}.", where=path.rstrip("."))
    return bytes(inner.data[: max(end, size)])


def _build_run(part: Run, region: Region, begin: int, unused: dict) -> int:
    name = part.field.name if part.field.name in unused else part.name
    content = content_bytes(part.field, unused.pop(name, b""))
    if part.length is not None:
        region.make_true(part.length, len(content), f"{part.name} has")
    elif part.end:
        mark = bytes.fromhex(part.end)
        if mark in content:
            raise EncodeError("it holds the bytes that end it.", where=part.name)
        content += mark
    return _place(region, begin, content)


def _build_elements(part: Elements, region: Region, begin: int, unused: dict) -> int:
    content = b""
    for number, (kind, item) in enumerate(unused.pop(part.name, ())):
        content += _build_element(part, region, number, kind, item)
    if part.amount is not None:
        region.make_true(part.amount, len(content), f"{part.name} takes")
    return _place(region, begin, content)


def _build_element(part: Elements, region: Region, number: int, kind: object, item: Mapping | bytes) -> bytes:
    """Build one element; ``kind`` is the name of a case, a named type, or a raw type."""
    case = _case_of(part, kind)
    path = f"{region.path}{part.name}[{number}]."
    if isinstance(item, Mapping):
        fields, parts = (case.fields, case.parts) if case is not None else ((), ())
        size = max((field.places.size_needed for field in fields), default=0)
        value = _build_inner(region, path, fields, parts, size, item)
    else:
        value = bytes(item)
    head = Region((part.type, part.length), part.head, region, path)
    if case is not None and kind == case.name:
        raw = case.types.spans[0][0]
    else:
        raw = kind if isinstance(kind, int) else whole_of(part.type, str(kind))[0]
    units, rest = divmod(len(value) - part.extra, part.length_unit)
    if rest:
        raise EncodeError(f"{len(value)} bytes are not whole units of {part.length_unit}.", where=path.rstrip("."))
    head.put(part.type, 0, raw)
    if raw not in part.ends:
        head.set(part.length, 0, units)
        return bytes(head.data) + value
    return bytes(head.data[: part.type.places.size_needed])


def _case_of(part: Elements, kind: object) -> ElementCase | None:
    for case in part.cases:
        if case.name == kind or (isinstance(kind, int) and kind in case.types):
            return case
    return None


def _build_line(part: TextLine, region: Region, begin: int, unused: dict) -> int:
    texts = []
    for field in part.columns:
        text = _column_text(field, unused.pop(field.name), region) if field.name in unused else ""
        if part.separator in text:
            if not part.quote:
                raise EncodeError(f"{text!r} holds the separator.", where=field.name)
            text = f"{part.quote}{text}{part.quote}"
        texts.append(text)
    return _place(region, begin, f"{part.begins}{part.separator.join(texts)}{part.ends}".encode("latin-1", "replace"))


def _column_text(field: Field, value: object, region: Region) -> str:
    if not field.raw_is_number:
        return content_bytes(field, value).decode("latin-1")  # type: ignore[arg-type]
    if field.names and any(named.label == value for named in field.names):
        raw = next(named.raw for named in field.names if named.label == value)
        return chr(raw) if raw > 9 and chr(raw).isalpha() else str(raw)
    if field.kind in (FieldKind.NAMES, FieldKind.FLAG) or field.base != 10:
        raw, loss = whole_of(field, value)  # type: ignore[arg-type]
        if loss:
            region.losses[region.path + field.name] = loss
        digits = {2: "b", 8: "o", 16: "X"}.get(field.base, "d")
        return f"{raw:{digits}}"
    wanted = exact_of(field, value)  # type: ignore[arg-type]
    number = (wanted - field.offset) / field.ratio
    text = format_exact(number)
    if "/" not in text:
        return text
    text = f"{float(number):.6f}"
    region.losses[region.path + field.name] = wanted - (Fraction(text) * field.ratio + field.offset)
    return text


def _build_carried(part: Carried, _region: Region, _begin: int, _unused: dict) -> int:
    raise EncodeError("what it carries was not put in.", where=part.name)


_BUILDERS: dict[type, Callable] = {
    Group: _build_group, Run: _build_run, Elements: _build_elements, TextLine: _build_line, Carried: _build_carried,
}  # fmt: skip


# checks


def _fill_checks(region: Region, layout: Layout, address: int, has_base: bool) -> None:
    for check in layout.checks:
        if isinstance(check, Reserved) and not has_base:
            region.put(Field(id=check.id, name="", places=check.places), 0, check.value)
        elif isinstance(check, Rule):
            _fill_rule(region, check)
        elif isinstance(check, Complement) and _is_free(region, check.field, has_base):
            field, start = region.spots[check.field]
            other, other_start = region.spots[check.of]
            ones = (1 << len(field.places)) - 1
            region.put(field, start, ones ^ _bits_at(region, other, other_start))
    # a check over bytes comes last, since it may cover the others
    for check in layout.checks:
        if isinstance(check, Sum | Xor | Crc) and _is_free(region, check.field, has_base):
            _fill_sum(region, check, address)


def _is_free(region: Region, field_id: UUID, has_base: bool) -> bool:
    found = region.spots.get(field_id)
    return found is not None and found[0].name not in region.given and not has_base and len(found[0].places) > 0


def _bits_at(region: Region, field: Field, start: int) -> int:
    raw, _ = get_value(bytes(region.data[start:]), Field(id=field.id, name="", places=field.places))
    return raw or 0


def _fill_rule(region: Region, check: Rule) -> None:
    """Set a field that a rule makes equal to something, as a length field."""
    tree = check.expression.tree
    if not isinstance(tree, Call) or tree.operation != "==":
        return
    known, raws = region.names()
    special = {"size": Fraction(len(region.data)), "address": Fraction(0)}
    for side, other in (tree.arguments, reversed(tree.arguments)):
        if isinstance(side, Name) and (found := region.owner_of(side.name)) and side.name not in region.given:
            _, field, start = found
            value = evaluate_node_exactly(other, known | special, raws)
            if value is not None:
                region.set(field, start, value)
                return


def _fill_sum(region: Region, check: Sum | Xor | Crc, address: int) -> None:
    """Work a check out with the code that checks it: the only right value is the one that agrees."""
    field, start = region.spots[check.field]
    scope = Scope(1)
    scope.add_special("size", np.array([len(region.data)]))
    scope.add_special("address", np.array([address]))
    for one, spot in region.spots.values():
        if one.raw_is_number and len(one.places):
            raw, value = get_value(bytes(region.data[spot:]).ljust(one.places.size_needed, b"\0"), one)
            if raw is not None and -(1 << 63) <= raw < 1 << 63:
                column = np.array([raw], np.int64)
                values = np.array([float(value or 0)]) if one.ratio != 1 or one.offset != 0 else column
                scope.add({one.id: FieldColumn(one, column, values, None, np.zeros(1, np.uint8))})
    matrix = np.frombuffer(bytes(region.data), np.uint8).reshape(1, -1)
    found, complete = expected_values(check, matrix, np.array([len(region.data)], np.int64), scope)
    if complete[0]:
        region.put(field, start, int(found[0]) & ((1 << len(field.places)) - 1))
