"""Recorded frames with some of their values changed on the way out."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction

import msgspec

from ..codec.encode import get_value
from ..codec.messages import encode_message
from ..errors import MisuseError
from ..expressions.exactly import evaluate_exactly
from ..expressions.expression import Expression
from ..expressions.tree import ExpressionError
from ..layouts.model import Field, Layout
from ..live.endpoint import Outgoing
from ..nearest import nearest
from ..reading.meaning import Meaning

_OWN = "value"
"""What the field itself is called in its expression."""
_FORM = re.compile(r"(?:`([^`]+)`|([^.`=]+?))\s*\.\s*(?:`([^`]+)`|([^`=]+?))\s*=(?!=)\s*(.+)", re.DOTALL)


@dataclass(frozen=True, slots=True)
class Change:
    """A field of a message that is worked out anew.

    Attributes
    ----------
    message, field
        By their names.
    expression
        Names ``value``, what the field was, and other fields of the message.
    """

    message: str
    field: str
    expression: Expression

    @property
    def words(self) -> str:
        """Return it as it is written."""
        return f"`{self.message}`.`{self.field}` = {self.expression}"


def parse_change(text: str) -> Change:
    """Read ``Motion.heel = value * 2``.

    Raises
    ------
    MisuseError
        If it says no such thing.
    """
    found = _FORM.fullmatch(text.strip())
    if found is None:
        raise MisuseError(f"{text[:60]!r} is no change.", hint="Write it like: Motion.heel = value * 2.")
    try:
        expression = Expression(found[5].strip())
    except ExpressionError as error:
        raise MisuseError(error.message, where=text, hint=error.hint) from error
    return Change((found[1] or found[2]).strip(), (found[3] or found[4]).strip(), expression)


class Changing:
    """Changes frames of one capture; its :meth:`changed` is what a replay asks.

    Checks are made to agree again; counters stay as they were recorded.

    Raises
    ------
    MisuseError
        If there is no such message or field, an expression names what the message does not have, or the field is in a
        part whose place differs from frame to frame.
    """

    def __init__(self, meaning: Meaning, changes: Sequence[Change]) -> None:
        self._meaning = meaning
        layouts = list(meaning.layouts.values())
        self._by_layout: dict[object, list[Change]] = {}
        for one in changes:
            layout = next((layout for layout in layouts if layout.name == one.message), None)
            if layout is None:
                hint = nearest(one.message, [layout.name for layout in layouts])
                raise MisuseError(f"there is no message {one.message!r}.", where=one.words, hint=hint)
            _check(one, layout)
            self._by_layout.setdefault(layout.id, []).append(one)

    def changed(self, row: int, frame: Outgoing) -> Outgoing:
        """Return a frame of the capture as it goes out.

        Raises
        ------
        MisuseError
            If a value does not fit its field.
        """
        kind = self._meaning.capture.kind_of(row)
        reader = self._meaning.reader_of(kind, row) if self._meaning.kinds[kind].readers else None
        changes = self._by_layout.get(reader.layout.id, []) if reader is not None else []
        if reader is None or not changes:
            return frame
        payload = frame.payload
        for one in changes:
            payload = _with(payload, reader.shown, one, frame.address)
        return Outgoing(payload, frame.address, frame.flags, frame.lane)


def _check(one: Change, layout: Layout) -> None:
    fields = {field.name: field for field in layout.fields}
    if layout.parts:
        raise MisuseError(f"fields of {layout.name} move from frame to frame, and cannot be changed.", where=one.words)
    for name in (one.field, *(name for name in one.expression.names if name != _OWN)):
        if name not in fields:
            hint = f"It has {', '.join(fields)}."
            raise MisuseError(f"there is no field {name!r} in {layout.name}.", where=one.words, hint=hint)


def _with(payload: bytes, layout: Layout, one: Change, address: int) -> bytes:
    fields = {field.name: field for field in layout.fields}
    field = fields[one.field]
    known = {_OWN: _number(payload, field)}
    known |= {name: _number(payload, fields[name]) for name in one.expression.names if name in fields}
    # a value that is not there, or says that there is none, is nothing to work with
    if any(number is None for number in known.values()):
        return payload
    numbers = {name: number for name, number in known.items() if number is not None}
    try:
        value = evaluate_exactly(one.expression, numbers, {})
    except ExpressionError as error:
        raise MisuseError(error.message, where=one.words, hint=error.hint) from error
    if value is None:
        return payload
    whole = msgspec.structs.replace(layout, size=len(payload))
    return encode_message(whole, {field.name: value}, payload, address=address, renews_checks=True).payload


def _number(payload: bytes, field: Field) -> Fraction | None:
    if not field.places.bits or field.places.size_needed > len(payload) or not field.raw_is_number:
        return None
    return get_value(payload, field)[1]
