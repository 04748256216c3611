"""Payloads whose parts move, made of values by chance: whole ones, and ones that are not."""

from __future__ import annotations

import random
from collections.abc import Iterable, Iterator, Mapping, Sequence
from fractions import Fraction
from typing import Any

from ..codec.carried import Embedded
from ..codec.encode import EncodeError
from ..codec.messages import encode_message
from ..codec.scalar import physical_of
from ..layouts.applies import parse_pattern
from ..layouts.fields import Field, FieldKind
from ..layouts.model import Check, Layout, Part, Rule
from ..layouts.parts.elements import Elements
from ..layouts.parts.group import Group, Repeat
from ..layouts.parts.labels import Labels
from ..layouts.parts.packed import Packed
from ..layouts.parts.run import Run
from ..layouts.parts.text_line import TextLine
from .carried_message import CarriedMessage
from .expected import Expected, Inside
from .shapes import MovedList, MovedStruct, constant, every_move

Given = Mapping[str, Any]
"""Values by name, as encoding takes them."""
_TRIES = 12
_MOST_ITEMS = 3
_LETTERS = "abcdefghijklmnopqrstuvwxyzABCXYZ0189"
_MOST_DIGITS = 4


def moving_payloads(message: CarriedMessage, count: int, seed: int) -> Iterator[tuple[bytes, Given | None]]:
    """Yield payloads of a message, and the values that each was made of by the codec; None of one that was not.

    They stay the same for a layout and seed.
    """
    chance = random.Random(f"{message.layout.id.hex}{seed}")
    for _ in range(count):
        made = _made(message.layout, chance)
        if made is None:
            yield chance.randbytes(max(message.layout.size, 8)), None
            continue
        yield made
        yield _spoilt(made[0], chance), None


def _made(layout: Layout, chance: random.Random) -> tuple[bytes, Given] | None:
    values = _Values(chance, layout)
    wanted, mask = parse_pattern(layout.applies.pattern)
    base = (wanted & mask).tobytes()
    for _ in range(_TRIES):
        given = values.of_layout()
        try:
            return encode_message(layout, given, base, renews_checks=True).payload, given
        except EncodeError:
            continue
    return None


def _spoilt(payload: bytes, chance: random.Random) -> bytes:
    """Return a payload with a byte changed, with less, or with more than it had."""
    if not payload or chance.random() < 0.2:
        return payload + chance.randbytes(chance.randint(1, 9))
    if chance.random() < 0.3:
        return payload[: chance.randrange(len(payload))]
    place = chance.randrange(len(payload))
    return payload[:place] + bytes([payload[place] ^ 1 << chance.randrange(8)]) + payload[place + 1 :]


def is_said(message: CarriedMessage, inside: Inside, given: Given) -> bool:
    """Return whether a payload is read as the values that it was made of.

    A part that goes on to the end takes in what was written behind it.
    """
    for one in message.fields:
        if one.field.name in given and not _is_same(inside.fields[one.name], given[one.field.name]):
            return False
    for move in every_move(message.stretch):
        if isinstance(move, MovedList):
            if not _are_said(move, inside.lists[move.member], given.get(move.name, ())):
                return False
        elif isinstance(move, MovedStruct) and move.name in given:
            inner = inside.structs[move.member]
            if inner is None or not is_said(move.inner, inner, given[move.name]):
                return False
    return True


def _are_said(move: MovedList, items: Sequence[Inside], given: Sequence[Any]) -> bool:
    if len(items) != len(given):
        return False
    for inside, item in zip(items, given, strict=True):
        if isinstance(move.part, Elements):
            # a type without a length holds nothing
            item = {item[0]: item[1]} if isinstance(item[0], str) else {}
        elif not isinstance(item, Mapping):
            item = {move.items.fields[0].field.name: item}
        if not is_said(move.items, inside, item):
            return False
    return True


def _is_same(found: Expected, given: Any) -> bool:
    if not found.is_there:
        return False
    if isinstance(found.raw, bytes):
        return found.raw == (given.encode("latin-1") if isinstance(given, str) else given)
    return found.value == float(given)


class _Values:
    """Values by chance for what a layout describes, as encoding takes them."""

    def __init__(self, chance: random.Random, layout: Layout) -> None:
        self._chance = chance
        self._layout = layout

    def of_layout(self) -> dict[str, Any]:
        """Return values of a frame."""
        layout = self._layout
        begun = 8 * len(parse_pattern(layout.applies.pattern)[0])
        # what a payload begins with is not for chance to say
        free = [field for field in layout.fields if min(field.places.bits, default=begun) >= begun]
        return self._values(free, layout.parts, layout.checks)

    def _values(self, fields: Sequence[Field], parts: Sequence[Part], checks: Iterable[Check]) -> dict[str, Any]:
        worked_out = _worked_out(fields, parts, checks)
        made: dict[str, Any] = {}
        for field in fields:
            if field.id not in worked_out and field.name not in worked_out and field.selected is None:
                self._give(made, field, self._placed(field))
        for part in parts:
            if part.selected is None or self._chance.random() < 0.6:
                made |= self._part(part, worked_out)
        return made

    def _give(self, made: dict[str, Any], field: Field, value: Any) -> None:
        if value is not None:
            made[field.name] = value

    def _placed(self, field: Field) -> Any:
        if not field.raw_is_number:
            length = len(field.places) // 8
            return self._text(length) if field.kind is FieldKind.TEXT else self._chance.randbytes(length)
        if field.is_curved:
            return None
        if field.kind is FieldKind.FLOAT:
            return Fraction(self._chance.randint(-64, 64), 4) * field.ratio + field.offset
        return physical_of(field, self._chance.randint(*field.raw_range()))

    def _text(self, length: int) -> str:
        return "".join(self._chance.choice(_LETTERS) for _ in range(length))

    def _written(self, field: Field, quote: str = "") -> Any:
        """Return a value that characters say."""
        chance = self._chance
        if not field.raw_is_number:
            # within quotes stands what would end a column without them
            return self._text(chance.randint(0, 5)) + (f",{quote}x" if quote and chance.random() < 0.3 else "")
        if field.kind in (FieldKind.NAMES, FieldKind.FLAG):
            return physical_of(field, chance.choice([one.raw for one in field.names] or [0, 1]))
        if field.is_curved:
            return None
        if field.base != 10:
            bits = {2: 1, 8: 3, 16: 4}[field.base] * (field.digits or _MOST_DIGITS)
            high = (1 << bits) - 1
            low = 0
            if field.is_signed:
                low, high = -(1 << bits - 1), (1 << bits - 1) - 1
            return physical_of(field, chance.randint(low, high))
        whole = chance.randint(-999 if field.is_signed else 0, 99999)
        return Fraction(whole, 10 ** chance.randint(0, 3)) * field.ratio + field.offset

    def _part(self, part: Part, worked_out: set[object]) -> dict[str, Any]:
        made: dict[str, Any] = {}
        if isinstance(part, Run | Labels):
            if part.field.id not in worked_out and part.field.name not in worked_out:
                self._give(made, part.field, self._one(part))
        elif isinstance(part, TextLine):
            if part.repeat is not Repeat.ONCE:
                return {part.name: [self._columns(part, set()) for _ in range(self._number(part))]}
            made = self._columns(part, worked_out)
        elif isinstance(part, Embedded):
            return {part.name: self._values(part.fields, part.parts, part.checks)}
        elif isinstance(part, Group):
            made = self._group(part)
        elif isinstance(part, Elements):
            return {part.name: [one for one in (self._element(part) for _ in range(self._number(part))) if one]}
        elif isinstance(part, Packed):
            (field,) = next(part.field_groups())[1]
            return {part.name: [self._placed(field) or 0 for _ in range(self._number(part))]}
        return made

    def _one(self, part: Run | Labels) -> Any:
        if isinstance(part, Labels):
            return ".".join(self._text(self._chance.randint(1, 5)) for _ in range(self._chance.randint(0, 3)))
        if part.field.raw_is_number:
            return self._written(part.field)
        said = constant(part.length)
        length = said if said is not None else self._chance.randint(0, 7)
        return self._text(length) if part.field.kind is FieldKind.TEXT else self._text(length).encode()

    def _columns(self, line: TextLine, worked_out: set[object]) -> dict[str, Any]:
        made: dict[str, Any] = {}
        for field in line.columns:
            if field.name and field.id not in worked_out and field.name not in worked_out:
                self._give(made, field, self._written(field, line.quote))
        return made

    def _group(self, group: Group) -> dict[str, Any]:
        if group.repeat is Repeat.ONCE:
            return self._values(group.fields, group.parts, group.checks)
        items = [self._values(group.fields, group.parts, group.checks) for _ in range(self._number(group))]
        return {group.name: items}

    def _element(self, part: Elements) -> Any:
        alone = [low for low, _ in part.alone.spans]
        if alone and self._chance.random() < 0.3:
            return alone[0], ""
        if not part.cases:
            return None
        case = self._chance.choice(part.cases)
        return case.name, self._values(case.fields, case.parts, ())

    def _number(self, part: Part) -> int:
        said = constant(getattr(part, "amount", None)) if getattr(part, "repeat", None) is Repeat.COUNT else None
        return said if said is not None else self._chance.randint(0, _MOST_ITEMS)


def _worked_out(fields: Sequence[Field], parts: Sequence[Part], checks: Iterable[Check]) -> set[object]:
    """Return the fields, by id or name, that checks, parts and selectors give a value."""
    found: set[object] = {key for check in checks for key in check.held_by()}
    found |= {name for check in checks if isinstance(check, Rule) for name in check.expression.names}
    for part in parts:
        found |= {name for attribute, one in part.expressions() if attribute != "axis" for name in one.names}
        found |= {part.selected.field} if part.selected is not None else set()
    found |= {field.selected.field for field in fields if field.selected is not None}
    return found
