"""Makes a condition of a text: every name in it has to exist, every comparison to make sense."""

from __future__ import annotations

import difflib
import re
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from ..expressions.operations.registry import operations
from ..expressions.quantities import converted, is_known, scale_of
from ..expressions.tree import RAW, Call, ExpressionError, Name, Number
from ..frames import flags as F
from ..layouts.model import Field, Layout
from ..layouts.places import parse_places
from .parse import parse_condition
from .tree import AnyNode, At, ConditionError, Member, Quantity, Text, Then
from .truths import (
    COMPARISONS,
    Addressed,
    AfterAnother,
    AfterMoment,
    AllOf,
    AnyOf,
    BytesAt,
    Checked,
    Compared,
    Flagged,
    GoesWay,
    HasBytes,
    IsTrue,
    Labelled,
    Moved,
    Not,
    OfMessage,
    OnLane,
    Term,
)
from .values import (
    AddressValue,
    FieldValue,
    GapValue,
    LaneGapValue,
    Literal,
    PlaceValue,
    Reckoned,
    ResponseTimeValue,
    SizeValue,
    TimeValue,
    Value,
    all_fields,
    check_same,
)

NUMBERS: dict[str, Callable[[], Value]] = {
    "address": AddressValue,
    "size": SizeValue,
    "time": TimeValue,
    "gap": GapValue,
    "lane_gap": LaneGapValue,
    "response_time": ResponseTimeValue,
}
"""Facts of frames that are numbers."""
TEXTS = ("lane", "message", "way", "check")
"""Facts of frames that are compared with a text."""
WAYS = ("read", "write", "request", "answer")
CHECKS = ("good", "bad", "none")
FUNCTIONS = ("bytes", "has_bytes", "has_text", "flag", "changes", "rises", "falls", "crosses", "after")
FLAG_WORDS = {
    **{word: bit for bit, word in F.named_flags()},
    # an acknowledge that is missing and an answer that refuses are told by different links
    "refused": F.REFUSED | F.EXCEPTION,
}
_LONG = 40


@dataclass(frozen=True, slots=True)
class Moment:
    """When something happened, by what it is called."""

    time_ns: int
    text: str


class Known:
    """What a condition may name.

    Attributes
    ----------
    lanes
    layouts
        All of the library, also those that read nothing here.
    moments
    """

    def __init__(self, lanes: Iterable[str], layouts: Iterable[Layout] = (), moments: Sequence[Moment] = ()) -> None:
        self.lanes = tuple(lanes)
        self.layouts = tuple(layouts)
        self.moments = tuple(moments)
        self._by_field: dict[str, list[tuple[Layout, Field]]] = {}
        for layout in self.layouts:
            for field in layout.once_a_frame():
                self._by_field.setdefault(field.name, []).append((layout, field))

    @property
    def field_names(self) -> Iterable[str]:
        """Names of all fields that are there once a frame."""
        return self._by_field.keys()

    @property
    def messages(self) -> set[str]:
        """Names of all layouts."""
        return {layout.name for layout in self.layouts}

    def having(self, field: FieldValue) -> list[tuple[Layout, Field]]:
        """Return the layouts that have a field, with it."""
        found = self._by_field.get(field.name, [])
        return [pair for pair in found if field.message is None or pair[0].name == field.message]


def bind(text: str, known: Known) -> Term:
    """Return the condition that a text says.

    Raises
    ------
    ConditionError
        If it is none, names what is not there, or compares what cannot be compared.
    """
    try:
        return _Binder(known).truth(parse_condition(text))
    except ExpressionError as error:
        raise ConditionError(str(error)) from error


class _Binder:
    def __init__(self, known: Known) -> None:
        self._known = known

    # conditions

    def truth(self, node: AnyNode) -> Term:
        """Return a node as a condition."""
        if isinstance(node, Then):
            within_ns, words = self._duration(node.within, "within")
            return AfterAnother(self.truth(node.earlier), self.truth(node.later), within_ns, words)
        if isinstance(node, Call):
            if node.operation in ("and_", "or_"):
                return (AllOf if node.operation == "and_" else AnyOf)([self.truth(one) for one in node.arguments])
            if node.operation == "not_":
                return Not(self.truth(node.arguments[0]))
            if node.operation in COMPARISONS:
                return self._comparison(node.operation, *node.arguments)
            if node.operation in FUNCTIONS:
                return getattr(self, f"_{node.operation}")(*self._arguments(node))
        if isinstance(node, Name) and node.name == "unanswered":
            return Flagged(F.UNANSWERED, "unanswered")
        if isinstance(node, Text):
            raise ConditionError(
                f"a text alone ({_short(node.text)}) is no condition.", hint='To search for it, write has_text("…").'
            )
        if isinstance(node, Name) and node.name in TEXTS:
            raise ConditionError(f"{node.name} is compared with a text.", hint=f'Write {node.name} == "…".')
        return IsTrue(self.value(node))

    def _comparison(self, symbol: str, left: AnyNode, right: AnyNode) -> Term:
        if isinstance(left, Text) and not isinstance(right, Text):
            left, right = right, left
            symbol = {"<": ">", ">": "<", "<=": ">=", ">=": "<="}.get(symbol, symbol)
        if isinstance(right, Text):
            return self._with_text(symbol, left, right.text)
        if isinstance(left, Name) and left.name in TEXTS:
            raise ConditionError(f"{left.name} is compared with a text.", hint=f'Write {left.name} == "…".')
        one, other = self.value(left), self.value(right)
        if symbol in ("==", "!="):
            for side, number in ((one, other), (other, one)):
                if isinstance(side, AddressValue) and isinstance(number, Literal) and number.value.denominator == 1:
                    return Addressed(int(number.value), symbol == "==")
        self._check_units(one, other)
        return Compared(symbol, one, other)

    def _with_text(self, symbol: str, left: AnyNode, text: str) -> Term:
        if symbol not in ("==", "!="):
            raise ConditionError(f"a text ({_short(text)}) is the same or not, neither more nor less.")
        equal = symbol == "=="
        if isinstance(left, Name) and left.name == "lane":
            self._must_be_one_of(text, self._known.lanes, "lane")
            return OnLane(text, equal)
        if isinstance(left, Name) and left.name == "message":
            self._must_be_one_of(text, self._known.messages, "message")
            return OfMessage(text, equal)
        if isinstance(left, Name) and left.name == "way":
            self._must_be_one_of(text, WAYS, "way")
            return GoesWay(text, equal)
        if isinstance(left, Name) and left.name == "check":
            self._must_be_one_of(text, CHECKS, "state of a check")
            return Checked(text, equal)
        value = self.value(left)
        if not isinstance(value, FieldValue) or value.wants_raw:
            raise ConditionError(
                f"{value.words()} is a number, and “{_short(text)}” a text.", hint="Write the number without quotes."
            )
        return self._labelled(value, text, equal)

    def _labelled(self, field: FieldValue, text: str, equal: bool) -> Term:
        having = self._known.having(field)
        labels = [named.label for _, one in having for named in one.names]
        if not any(one.names or not one.raw_is_number for _, one in having):
            raise ConditionError(
                f"{field.words()} has no named values.", hint="Compare it with a number, which has no quotes."
            )
        if all(one.raw_is_number for _, one in having):
            self._must_be_one_of(text, labels, f"value of {field.name}")
        return Labelled(field, text, equal)

    def _check_units(self, one: Value, other: Value) -> None:
        """Refuse what no layout could make sense of; where several have such a field, one that fits is enough."""
        fields = list(all_fields([one, other]))
        layouts: list[Layout | None] = [None]
        if fields:
            mine = [layout for layout, _ in self._known.having(fields[0])]
            layouts = [layout for layout in mine if all(field.in_layout(layout) is not None for field in fields)]
            if not layouts:
                raise ConditionError(
                    f"{one.words()} and {other.words()} are never in one frame.",
                    hint="Ask for one after another: A then B within a time.",
                )
        trouble: ConditionError | None = None
        for layout in layouts:
            try:
                check_same(one, other, layout)
                return
            except ExpressionError as error:
                trouble = ConditionError(str(error))
            except ConditionError as error:
                trouble = error
        if trouble is not None:
            raise trouble

    # values

    def value(self, node: AnyNode) -> Value:
        """Return a node as a number."""
        if isinstance(node, Number):
            return Literal(node.value)
        if isinstance(node, Quantity):
            self._must_be_a_unit(node.unit)
            return Literal(node.value, node.unit)
        if isinstance(node, At):
            return PlaceValue(parse_places(node.places))
        if isinstance(node, Member):
            return self._field(node.field, node.message)
        if isinstance(node, Name):
            return NUMBERS[node.name]() if node.name in NUMBERS else self._field(node.name, None)
        if isinstance(node, Call):
            return self._reckoned(node)
        raise ConditionError("this is no number.", hint="Texts are only compared, by == and !=.")

    def _reckoned(self, node: Call) -> Value:
        if node.operation == RAW:
            (only,) = self._arguments(node)
            found = self.value(only)
            if not isinstance(found, FieldValue):
                raise ConditionError("raw takes the name of a field.")
            return FieldValue(found.name, found.message, wants_raw=True)
        if node.operation in FUNCTIONS or node.operation in ("and_", "or_", "not_") or node.operation in COMPARISONS:
            raise ConditionError("a condition stands where a number is meant.", hint="Join conditions by and, or, not.")
        operation = operations().get(node.operation)
        if operation is None:
            known = [*FUNCTIONS, RAW, *(name for name, one in operations().items() if not one.symbol)]
            raise ConditionError(f"there is no function called {node.operation}.", hint=_nearest(node.operation, known))
        if len(node.arguments) != operation.takes:
            raise ConditionError(f"{node.operation} takes {operation.takes} values, not {len(node.arguments)}.")
        arguments = tuple(self.value(one) for one in node.arguments)
        if operation.name == "negate" and isinstance(arguments[0], Literal):
            # so that a scale with a zero of its own converts it as a whole
            return Literal(-arguments[0].value, arguments[0].written_unit)
        return Reckoned(operation, arguments)

    def _field(self, name: str, message: str | None) -> FieldValue:
        field = FieldValue(name, message)
        if self._known.having(field):
            return field
        if message is not None:
            self._must_be_one_of(message, self._known.messages, "message")
            names = [
                one.name for layout in self._known.layouts if layout.name == message for one in layout.once_a_frame()
            ]
            raise ConditionError(f"{message} has no field called {_short(name)}.", hint=_nearest(name, names))
        inside = next((one for one in self._known.layouts for field in one.all_fields() if field.name == name), None)
        if inside is not None:
            raise ConditionError(
                f"{name} of {inside.name} is there several times in a frame.",
                hint="Conditions ask for what is there once.",
            )
        if name in TEXTS:
            raise ConditionError(f"{name} is compared with a text.", hint=f'Write {name} == "…".')
        if not self._known.layouts:
            raise ConditionError(f"there is no {_short(name)} without a library.", hint="Fields come from its layouts.")
        known = [*self._known.field_names, *NUMBERS, *TEXTS, "unanswered"]
        raise ConditionError(f"there is no field called {_short(name)}.", hint=_nearest(name, known))

    def _must_be_a_unit(self, unit: str) -> None:
        carried = {field.unit for layout in self._known.layouts for field in layout.once_a_frame()}
        if not is_known(unit) and unit not in carried:
            raise ConditionError(f"there is no unit called {_short(unit)}.", hint=_nearest(unit, [*carried, *UNITS]))

    # functions

    def _arguments(self, node: Call) -> tuple[AnyNode, ...]:
        most = {"bytes": (1, 2), "crosses": (2, 2), "after": (2, 2)}.get(node.operation, (1, 1))
        if not most[0] <= len(node.arguments) <= most[1]:
            wanted = f"{most[0]} or {most[1]}" if most[0] != most[1] else str(most[0])
            raise ConditionError(f"{node.operation} takes {wanted} values, not {len(node.arguments)}.")
        return node.arguments

    def _bytes(self, pattern: AnyNode, offset: AnyNode | None = None) -> Term:
        text = self._text(pattern, 'bytes takes a pattern in quotes, as bytes("0? FF").')
        offset = Number(Fraction(0)) if offset is None else offset
        if not isinstance(offset, Number) or offset.value.denominator != 1 or not 0 <= offset.value < 1 << 20:
            raise ConditionError("the second value of bytes is the number of the first byte, from 0.")
        digits = re.sub(r"[ \t]+", "", text).upper()
        if not digits or len(digits) % 2 or re.search(r"[^0-9A-F?]", digits):
            raise ConditionError(
                f"“{_short(text)}” is no pattern of bytes.", hint="Write two hex digits a byte; ? is any digit."
            )
        pairs = [(digits[n : n + 2]) for n in range(0, len(digits), 2)]
        mask = bytes(int("".join("0" if digit == "?" else "F" for digit in pair), 16) for pair in pairs)
        wanted = bytes(int(pair.replace("?", "0"), 16) for pair in pairs)
        return BytesAt(mask, wanted, int(offset.value), " ".join(pairs))

    def _has_bytes(self, pattern: AnyNode) -> Term:
        text = self._text(pattern, 'has_bytes takes bytes in quotes, as has_bytes("55 AA").')
        digits = re.sub(r"[ \t]+", "", text)
        if not digits or len(digits) % 2 or re.search(r"[^0-9A-Fa-f]", digits):
            raise ConditionError(
                f"“{_short(text)}” are no bytes.",
                hint='Write two hex digits a byte; letters are searched by has_text("…").',
            )
        wanted = bytes.fromhex(digits)
        return HasBytes(wanted, f"that hold the bytes {wanted.hex(' ').upper()}")

    def _has_text(self, wanted: AnyNode) -> Term:
        text = self._text(wanted, 'has_text takes a text in quotes, as has_text("hook"); bytes are has_bytes("55 AA").')
        if not text:
            raise ConditionError("an empty text is in every frame.")
        return HasBytes(text.encode(), f"that hold the text “{text}”")

    def _flag(self, wanted: AnyNode) -> Term:
        text = self._text(wanted, 'flag takes a word in quotes, as flag("bad check").')
        word = text.replace("_", " ").strip().lower()
        self._must_be_one_of(word, FLAG_WORDS, "flag")
        return Flagged(FLAG_WORDS[word], word)

    def _changes(self, value: AnyNode) -> Term:
        return Moved("changes", self._number_that_moves(value))

    def _rises(self, value: AnyNode) -> Term:
        return Moved("rises", self._number_that_moves(value))

    def _falls(self, value: AnyNode) -> Term:
        return Moved("falls", self._number_that_moves(value))

    def _crosses(self, value: AnyNode, level: AnyNode) -> Term:
        found, wanted = self._number_that_moves(value), self.value(level)
        if not isinstance(wanted, Literal):
            raise ConditionError("crosses takes a value and the number that it crosses.")
        self._check_units(found, wanted)
        return Moved("crosses", found, wanted)

    def _number_that_moves(self, node: AnyNode) -> Value:
        if isinstance(node, Name) and node.name in TEXTS:
            raise ConditionError(f"{node.name} is a text, and whether it changes cannot be asked.")
        value = self.value(node)
        if isinstance(value, FieldValue) and all(not field.raw_is_number for _, field in self._known.having(value)):
            raise ConditionError(f"{value.words()} is a text, and whether it changes cannot be asked.")
        return value

    def _after(self, moment: AnyNode, within: AnyNode) -> Term:
        text = self._text(moment, 'after takes the text of a moment and a time, as after("hook released", 2 s).')
        times = tuple(one.time_ns for one in self._known.moments if one.text == text)
        if not times:
            known = sorted({one.text for one in self._known.moments})
            none = "There are no moments here." if not known else _nearest(text, known)
            raise ConditionError(f"there is no moment called “{_short(text)}”.", hint=none)
        within_ns, words = self._duration(within, "after")
        return AfterMoment(text, times, within_ns, words)

    def _duration(self, node: AnyNode, word: str) -> tuple[int, str]:
        value = self.value(node)
        if not isinstance(value, Literal):
            raise ConditionError(f"{word} takes a time, as 50 ms.")
        seconds = converted(value.value, value.written_unit or "s", "s") if _is_time(value) else None
        if seconds is None or seconds < 0:
            raise ConditionError(f"{word} takes a time, as 50 ms; {value.words()} is none.")
        return int(seconds * 1_000_000_000), value.words() if value.written_unit else f"{value.words()} s"

    def _text(self, node: AnyNode, otherwise: str) -> str:
        if not isinstance(node, Text):
            raise ConditionError(otherwise)
        return node.text

    def _must_be_one_of(self, text: str, known: Iterable[str], what: str) -> None:
        known = list(known)
        if text not in known:
            raise ConditionError(f"there is no {what} called “{_short(text)}”.", hint=_nearest(text, known))


UNITS = (
    *("s", "ms", "us", "µs", "ns", "min", "h", "m", "cm", "mm", "km", "m/s", "km/h", "kn", "deg", "rad", "K", "°C"),
    *("Pa", "kPa", "bar", "V", "mV", "A", "mA", "W", "kW", "MW", "N", "kN", "Hz", "kHz", "rpm", "1/min", "%"),
)
"""Units that a number may carry, whatever the library has."""


def _is_time(value: Literal) -> bool:
    scale = scale_of(value.written_unit)
    return not value.written_unit or (scale is not None and scale.base == (("s", 1),))


def _short(text: str) -> str:
    return text if len(text) <= _LONG else text[: _LONG - 1] + "…"


def _nearest(text: str, known: Iterable[str]) -> str:
    """Return a hint that names what comes nearest, or a few of what there is."""
    known = sorted({word for word in known if word}, key=str.casefold)
    near = difflib.get_close_matches(text, known, 3, 0.6)
    if near:
        return f"Did you mean {' or '.join(near)}?"
    few = ", ".join(known[:8])
    return f"There is {few}{', …' if len(known) > 8 else ''}." if known else ""
