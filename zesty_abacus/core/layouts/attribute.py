"""One thing that can be set on a part, a check or a computed value, as a line of text; and how such lines are read."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from fractions import Fraction
from typing import TYPE_CHECKING, Any
from uuid import UUID

from ..errors import MisuseError
from ..expressions.expression import Expression
from .escapes import escaped_text, read_escapes
from .fields import NamedValue, Selected
from .names import names_text, parse_names
from .numbers import format_exact, parse_exact
from .places import Places, parse_places
from .raw_sets import RawSet, parse_raw_set

if TYPE_CHECKING:
    # a layout is made of what this module describes
    from .model import Layout


def plain(text: str, _layout: Layout) -> str:
    """Read text as it is."""
    return text


def shown(value: Any, _item: Any, _layout: Layout) -> str:
    """Write a value; empty where nothing is set."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, Fraction):
        return format_exact(value)
    return str(getattr(value, "value", value))


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
    reader
        Makes the value of a text; raises :class:`~zesty_abacus.core.errors.MisuseError` with what would be right.
    choices
        Allowed texts; empty is any.
    writer
        Makes the text of a value, given the item and the layout as well.
    choice_words
        What a person reads for those of the choices that files write shorter.
    """

    name: str
    words: str
    hint: str = ""
    reader: Callable[[str, Layout], Any] = plain
    choices: tuple[str, ...] = ()
    writer: Callable[[Any, Any, Layout], str] = shown
    choice_words: Mapping[str, str] = field(default_factory=dict)

    @property
    def names_a_field(self) -> bool:
        """Whether its text is the name of a field of the layout, to be chosen."""
        return self.reader is field_named


# how texts are read


def whole(text: str, _layout: Layout) -> int:
    """Read a whole number, 0 where nothing is written."""
    try:
        return int(text or "0", 0)
    except ValueError as error:
        raise MisuseError(f"{text!r} is not a whole number.", hint="Write 16 or 0x1021.") from error


def whole_or_one(text: str, layout: Layout) -> int:
    """Read a whole number, 1 where nothing is written."""
    return whole(text or "1", layout)


def optional_whole(text: str, layout: Layout) -> int | None:
    """Read a whole number, None where nothing is written."""
    return whole(text, layout) if text else None


def an_expression(text: str, _layout: Layout) -> Expression:
    """Read an expression."""
    return Expression(text)


def optional_expression(text: str, _layout: Layout) -> Expression | None:
    """Read an expression, None where nothing is written."""
    return Expression(text) if text else None


def expression_or(otherwise: str) -> Callable[[str, Layout], Expression]:
    """Return what reads an expression, another one where nothing is written."""
    return lambda text, _layout: Expression(text or otherwise)


def optional_places(text: str, _layout: Layout) -> Places | None:
    """Read places, None where nothing is written."""
    return parse_places(text) if text else None


def raw_set(text: str, _layout: Layout) -> RawSet:
    """Read raw values and spans of them."""
    return parse_raw_set(text)


def optional_exact(text: str, _layout: Layout) -> Fraction | None:
    """Read an exact number, None where nothing is written."""
    return parse_exact(text) if text else None


def value_names(text: str, _layout: Layout) -> tuple[NamedValue, ...]:
    """Read names of values."""
    return parse_names(text)


def text_of_names(value: tuple[NamedValue, ...], _item: Any, _layout: Layout) -> str:
    """Write names of values."""
    return names_text(value)


def escaped(value: str, _item: Any, _layout: Layout) -> str:
    """Write characters that a line of text cannot show."""
    return escaped_text(value)


def with_escapes(text: str, _layout: Layout) -> str:
    """Read characters, some of which are escaped."""
    return read_escapes(text)


def yes(text: str, _layout: Layout) -> bool:
    """Read ``yes``; all else is no."""
    return text == "yes"


def field_named(text: str, layout: Layout) -> UUID:
    """Read the name of a field."""
    for one in layout.all_fields():
        if one.name == text:
            return one.id
    known = ", ".join(field.name for field in layout.all_fields())
    raise MisuseError(f"there is no field {text!r}.", hint=f"There are {known}.")


def name_of_field(value: UUID, _item: Any, layout: Layout) -> str:
    """Write a field by its name."""
    return next((field.name for field in layout.all_fields() if field.id == value), "?")


def when_selected(text: str, layout: Layout) -> Selected | None:
    """Read what must hold for a part to be there: ``page = 1, 3..5``."""
    if not text or text == "always":
        return None
    name, equals, values = text.partition("=")
    if not equals:
        raise MisuseError(f"{text!r} does not say when.", hint="Write a field and its raw values: page = 1, 3..5.")
    return Selected(field_named(name.strip(), layout), parse_raw_set(values))


def selected_text(value: Selected | None, item: Any, layout: Layout) -> str:
    """Write what must hold for a part to be there."""
    return "" if value is None else f"{name_of_field(value.field, item, layout)} = {value.values}"


NAME = Attribute("name", "name")
NOTE = Attribute("note", "note")
YES_NO = ("no", "yes")
