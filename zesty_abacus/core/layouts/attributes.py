"""What can be set on parts, checks and computed values, each as a line of text: for forms, tables and scripts."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import Any
from uuid import UUID

import msgspec

from ..errors import MisuseError
from ..expressions.expression import Expression
from .checks import Carry, Check, Complement, Counter, Crc, Reserved, Rule, Sum, Xor
from .fields import Selected
from .model import Computed, Layout
from .numbers import format_exact, parse_exact
from .parts import Axis, Carried, ElementCase, Elements, Group, Part, Repeat, Run, TextLine
from .places import parse_places
from .raw_sets import parse_raw_set

Item = Part | Check | Computed | ElementCase


@dataclass(frozen=True, slots=True)
class Attribute:
    """One thing that can be set.

    Attributes
    ----------
    name
        Of the attribute, with dots for what lies in another value.
    words
        As a form says it.
    hint
        What an empty entry looks like.
    choices
        Allowed texts; empty is any.
    reader
        Makes the value of a text; None is the one that attributes of this name share.
    """

    name: str
    words: str
    hint: str = ""
    choices: tuple[str, ...] = ()
    reader: Callable[[str, Layout], Any] | None = None


def _plain(text: str, _layout: Layout) -> str:
    return text


def _whole(text: str, _layout: Layout) -> int:
    try:
        return int(text or "0", 0)
    except ValueError as error:
        raise MisuseError(f"{text!r} is not a whole number.", hint="Write 16 or 0x1021.") from error


_PART = (
    Attribute("name", "name"), Attribute("selected", "present when", "always, or: flag = 1"),
    Attribute("start", "starts at", "behind what comes before"), Attribute("align", "aligned to", "1"),
)  # fmt: skip
_COVERAGE = (
    Attribute("coverage.first", "from byte", "0"), Attribute("coverage.end", "up to", "size"),
    Attribute("coverage.places", "or over places", "B0..B6"), Attribute("coverage.key_before", "key before", "hex"),
    Attribute("coverage.key_after", "key behind", "hex"),
)  # fmt: skip
_YES_NO = ("no", "yes")
_BY_TYPE: dict[type, tuple[Attribute, ...]] = {
    Group: (*_PART, Attribute("size", "bytes an item"), Attribute("repeat", "how often", "",
            tuple(repeat.value for repeat in Repeat)), Attribute("amount", "amount", "count"),
            Attribute("axis", "axis", "name: start, step, unit")),
    Run: (*_PART, Attribute("length", "bytes", "to the end"),
          Attribute("end", "ends at", "hex such as 00", (), _plain)),
    Elements: (*_PART, Attribute("head", "bytes of head"), Attribute("length_unit", "length counts", "1"),
               Attribute("extra", "and besides", "0"), Attribute("amount", "bytes in all", "to the end"),
               Attribute("ends", "types that end it", "none")),
    TextLine: (*_PART, Attribute("separator", "separator", ","), Attribute("quote", "quote", "none"),
               Attribute("begins", "begins with"), Attribute("ends", "ends with", "", (), _plain)),
    Carried: (*_PART, Attribute("length", "bytes", "to the end")),
    Counter: (Attribute("name", "name"), Attribute("field", "field"), Attribute("step", "step", "1"),
              Attribute("wraps_at", "values", "all its bits hold")),
    Sum: (Attribute("name", "name"), Attribute("field", "field"), *_COVERAGE,
          Attribute("word_bytes", "word bytes", "1"), Attribute("start", "start", "0", (), _whole),
          Attribute("carry", "carry", "", tuple(carry.value for carry in Carry)),
          Attribute("negated", "negated", "", ("none", "ones", "twos"))),
    Xor: (Attribute("name", "name"), Attribute("field", "field"), *_COVERAGE,
          Attribute("start", "start", "0", (), _whole)),
    Crc: (Attribute("name", "name"), Attribute("field", "field"), *_COVERAGE, Attribute("width", "bits"),
          Attribute("polynomial", "polynomial", "0x1021"), Attribute("start", "start", "0xFFFF", (), _whole),
          Attribute("final", "final", "0"), Attribute("reflect_in", "bytes reflected", "", _YES_NO),
          Attribute("reflect_out", "result reflected", "", _YES_NO)),
    Complement: (Attribute("name", "name"), Attribute("field", "field"), Attribute("of", "inverse of")),
    Reserved: (Attribute("name", "name"), Attribute("places", "places"), Attribute("value", "reads", "0")),
    Rule: (Attribute("name", "name"), Attribute("expression", "is true", "length == size")),
    ElementCase: (Attribute("name", "name"), Attribute("types", "of types", "1, 4..7")),
    Computed: (Attribute("name", "name"), Attribute("expression", "is", "voltage * current"),
               Attribute("unit", "unit"), Attribute("low", "low limit", "open"),
               Attribute("high", "high limit", "open")),
}  # fmt: skip


def attributes_of(item: Item) -> tuple[Attribute, ...]:
    """Return what can be set on an item, in the order a form shows it."""
    return (*_BY_TYPE[type(item)], Attribute("note", "note"))


def attribute_text(item: Item, name: str, layout: Layout) -> str:
    """Return an attribute as text; empty where nothing is set."""
    value: Any = item
    for step in name.split("."):
        value = getattr(value, step)
    if value is None:
        return ""
    if name in ("field", "of"):
        return _field_name(layout, value)
    if isinstance(value, Selected):
        return f"{_field_name(layout, value.field)} = {value.values}"
    if isinstance(value, Axis):
        return f"{value.name}: {value.start}, {value.step}{', ' + value.unit if value.unit else ''}"
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Fraction):
        return format_exact(value)
    if isinstance(value, int) and name in ("polynomial", "start", "final") and isinstance(item, Crc):
        return f"0x{value:0{(item.width + 3) // 4}X}"
    return str(getattr(value, "value", value))


def with_attribute(item: Item, name: str, text: str, layout: Layout) -> Item:
    """Return an item with an attribute read from text.

    Raises
    ------
    MisuseError
        If the text cannot be one; the message says what would be.
    """
    outer, _, inner = name.partition(".")
    attribute = next(one for one in attributes_of(item) if one.name == name)
    reader = attribute.reader or _READERS.get(inner or outer, _plain)
    value = reader(text.strip(), layout)
    if inner:
        value = msgspec.structs.replace(getattr(item, outer), **{inner: value})
    return msgspec.structs.replace(item, **{outer: value})


def _field_name(layout: Layout, field_id: UUID) -> str:
    return next((field.name for field in layout.all_fields() if field.id == field_id), "?")


def _field_id(text: str, layout: Layout) -> UUID:
    for field in layout.all_fields():
        if field.name == text:
            return field.id
    raise MisuseError(
        f"there is no field {text!r}.", hint=f"There are {', '.join(f.name for f in layout.all_fields())}."
    )


def _selected(text: str, layout: Layout) -> Selected | None:
    if not text or text == "always":
        return None
    name, equals, values = text.partition("=")
    if not equals:
        raise MisuseError(f"{text!r} does not say when.", hint="Write a field and its raw values: page = 1, 3..5.")
    return Selected(_field_id(name.strip(), layout), parse_raw_set(values))


def _axis(text: str, _layout: Layout) -> Axis | None:
    if not text:
        return None
    name, colon, rest = text.partition(":")
    parts = [part.strip() for part in rest.split(",")]
    if not colon or len(parts) not in (2, 3):
        raise MisuseError(
            f"{text!r} is no axis.", hint="Write a name, where it starts and its step: distance: 0, 5, m."
        )
    return Axis(name.strip(), Expression(parts[0]), Expression(parts[1]), parts[2] if len(parts) == 3 else "")


def _optional_expression(text: str, _layout: Layout) -> Expression | None:
    return Expression(text) if text else None


def _yes(text: str, _layout: Layout) -> bool:
    return text == "yes"


def _limit(text: str, _layout: Layout) -> Fraction | None:
    return parse_exact(text) if text else None


_READERS: dict[str, Callable[[str, Layout], Any]] = {
    "selected": _selected, "axis": _axis, "field": _field_id, "of": _field_id,
    "start": _optional_expression, "amount": _optional_expression, "length": _optional_expression,
    "first": lambda t, _l: Expression(t or "0"), "end": lambda t, _l: Expression(t or "size"),
    "expression": lambda t, _l: Expression(t),
    "align": lambda t, layout: _whole(t or "1", layout), "size": _whole, "head": _whole, "extra": _whole,
    "length_unit": lambda t, layout: _whole(t or "1", layout), "step": lambda t, layout: _whole(t or "1", layout),
    "wraps_at": lambda t, layout: _whole(t, layout) if t else None, "width": _whole, "polynomial": _whole,
    "final": _whole, "word_bytes": lambda t, layout: _whole(t or "1", layout), "value": _whole,
    "repeat": lambda t, _l: Repeat(t), "carry": lambda t, _l: Carry(t),
    "reflect_in": _yes, "reflect_out": _yes, "low": _limit, "high": _limit,
    "places": lambda t, _l: parse_places(t) if t else None, "ends": lambda t, _l: parse_raw_set(t),
    "types": lambda t, _l: parse_raw_set(t),
}  # fmt: skip
