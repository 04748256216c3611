"""Makes a condition of a text: every name in it has to exist, every comparison to make sense."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import replace
from typing import Protocol

from ..expressions.operations.registry import operations
from ..expressions.quantities import converted, is_known, scale_of
from ..expressions.tree import RAW, Call, ExpressionError, Name, Number
from ..layouts.fields import NO_BITS, FieldKind
from ..layouts.model import Field, Layout
from ..layouts.places import PlacesError, parse_places
from ..nearest import nearest, short
from .facts import CHECKS, NUMBERS, TEXTS, WAYS
from .frame_terms import Addressed, Checked, GoesWay, OfMessage, OnLane, Unanswered
from .functions import FUNCTIONS
from .items import EachItem, OneItem, of_items
from .joined import AfterAnother, AllOf, AnyOf, Not
from .parse import parse_condition
from .rows import inside_arrays
from .term import Term
from .tree import AnyNode, At, ConditionError, Member, Quantity, Text, Then
from .value_terms import COMPARISONS, Compared, IsTrue, Labelled
from .values import (
    AddressValue,
    FieldValue,
    Literal,
    PlaceValue,
    Reckoned,
    Value,
    all_fields,
    check_same,
)


class Moment(Protocol):
    """When something happened, and what it is called; a trial's moments are such."""

    @property
    def time_ns(self) -> int:
        """Return the time, on the capture's clock."""
        ...

    @property
    def text(self) -> str:
        """Return what it is called."""
        ...


_ByName = dict[str, list[tuple[Layout, Field]]]


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
        self._once: _ByName = {}
        self._in_arrays: _ByName = {}
        for layout in self.layouts:
            for field in layout.once_a_frame():
                self._once.setdefault(field.name, []).append((layout, field))
            for field in inside_arrays(layout) if layout.parts else ():
                self._in_arrays.setdefault(field.name, []).append((layout, field))

    @property
    def field_names(self) -> Iterable[str]:
        """Names of all fields."""
        return {**self._once, **self._in_arrays}

    @property
    def messages(self) -> set[str]:
        """Names of all layouts."""
        return {layout.name for layout in self.layouts}

    def having(self, field: FieldValue) -> list[tuple[Layout, Field]]:
        """Return the layouts that have a field, with it."""
        fields = self._in_arrays if isinstance(field, EachItem | OneItem) else self._once
        found = fields.get(field.name, [])
        return [pair for pair in found if field.message is None or pair[0].name == field.message]


def bind(text: str, known: Known) -> Term:
    """Return the condition that a text says.

    Raises
    ------
    ConditionError
        If it is none, names what is not there, or compares what cannot be compared.
    """
    try:
        return Binder(known).truth(parse_condition(text))
    except ExpressionError as error:
        raise ConditionError(str(error)) from error


_WIDEST = 64


class Binder:
    """Turns nodes into conditions and values that make sense for what is known.

    Attributes
    ----------
    known
    """

    def __init__(self, known: Known) -> None:
        self.known = known

    # conditions

    def truth(self, node: AnyNode) -> Term:
        """Return a node as a condition."""
        if isinstance(node, Then):
            within_ns, words = self.duration(node.within, "within")
            return AfterAnother(self.truth(node.earlier), self.truth(node.later), within_ns, words)
        if isinstance(node, Call):
            if node.operation in ("and_", "or_"):
                return (AllOf if node.operation == "and_" else AnyOf)([self.truth(one) for one in node.arguments])
            if node.operation == "not_":
                return Not(self.truth(node.arguments[0]))
            if node.operation in COMPARISONS:
                return self._comparison(node.operation, *node.arguments)
            if node.operation in FUNCTIONS:
                return FUNCTIONS[node.operation].make(self, *self._arguments(node, FUNCTIONS[node.operation].takes))
        if isinstance(node, Name) and node.name == "unanswered":
            return Unanswered()
        if isinstance(node, Text):
            raise ConditionError(
                f"a text alone ({short(node.text)}) is no condition.", hint='To search for it, write has_text("…").'
            )
        if isinstance(node, Name) and node.name in TEXTS:
            raise ConditionError(f"{node.name} is compared with a text.", hint=f'Write {node.name} == "…".')
        return of_items(IsTrue(self.value(node)))

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
        self.check_units(one, other)
        return of_items(Compared(symbol, one, other))

    def _with_text(self, symbol: str, left: AnyNode, text: str) -> Term:
        if symbol not in ("==", "!="):
            raise ConditionError(f"a text ({short(text)}) is the same or not, neither more nor less.")
        equal = symbol == "=="
        if isinstance(left, Name) and left.name == "lane":
            self.must_be_one_of(text, self.known.lanes, "lane")
            return OnLane(text, equal)
        if isinstance(left, Name) and left.name == "message":
            self.must_be_one_of(text, self.known.messages, "message")
            return OfMessage(text, equal)
        if isinstance(left, Name) and left.name == "way":
            self.must_be_one_of(text, WAYS, "way")
            return GoesWay(text, equal)
        if isinstance(left, Name) and left.name == "check":
            self.must_be_one_of(text, CHECKS, "state of a check")
            return Checked(text, equal)
        value = self.value(left)
        if not isinstance(value, FieldValue) or value.wants_raw:
            raise ConditionError(
                f"{value.words()} is a number, and “{short(text)}” a text.", hint="Write the number without quotes."
            )
        return self._labelled(value, text, equal)

    def _labelled(self, field: FieldValue, text: str, equal: bool) -> Term:
        having = self.known.having(field)
        labels = [named.label for _, one in having for named in one.called]
        labels += [NO_BITS] * any(one.kind is FieldKind.BITS for _, one in having)
        if not any(one.called or not one.raw_is_number for _, one in having):
            raise ConditionError(
                f"{field.words()} has no named values.", hint="Compare it with a number, which has no quotes."
            )
        if all(one.raw_is_number for _, one in having):
            self.must_be_one_of(text, labels, f"value of {field.name}")
        return of_items(Labelled(field, text, equal))

    def check_units(self, one: Value, other: Value) -> None:
        """Refuse what no layout could make sense of; where several have such a field, one that fits is enough."""
        fields = list(all_fields([one, other]))
        layouts: list[Layout | None] = [None]
        if fields:
            mine = [layout for layout, _ in self.known.having(fields[0])]
            layouts = [layout for layout in mine if all(field.in_layout(layout) is not None for field in fields)]
            if not layouts:
                raise ConditionError(
                    f"{one.words()} and {other.words()} are never in one frame.",
                    hint="Ask for one after another: A then B within a time.",
                )
            self._must_share_an_array(fields, layouts)
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

    @staticmethod
    def _must_share_an_array(fields: Sequence[FieldValue], layouts: Iterable[Layout | None]) -> None:
        names = {field.name for field in fields if isinstance(field, EachItem)}
        if len(names) < 2:
            return
        groups = [group for one in layouts if one is not None for part in one.parts for group in part.field_groups()]
        if not any(names <= {field.name for field in group} for _, group in groups):
            raise ConditionError(
                f"{' and '.join(sorted(names))} are in different arrays.",
                hint="Name an item of each, as `cells[3].voltage`.",
            )

    # values

    def value(self, node: AnyNode) -> Value:
        """Return a node as a number."""
        if isinstance(node, Number):
            return Literal(node.value)
        if isinstance(node, Quantity):
            self._must_be_a_unit(node.unit)
            return Literal(node.value, node.unit)
        if isinstance(node, At):
            return self._place(node)
        if isinstance(node, Member):
            return self._field(node.field, node.message)
        if isinstance(node, Name):
            return NUMBERS[node.name]() if node.name in NUMBERS else self._field(node.name, None)
        if isinstance(node, Call):
            return self._reckoned(node)
        raise ConditionError("this is no number.", hint="Texts are only compared, by == and !=.")

    def _place(self, node: At) -> Value:
        try:
            places = parse_places(node.places)
        except PlacesError as error:
            raise ConditionError(f"at({short(node.places)}) is no place: {error}") from error
        if len(places) > _WIDEST:
            raise ConditionError(
                f"at({short(node.places)}) has {len(places)} bits; a number has at most {_WIDEST} bits."
            )
        return PlaceValue(places)

    def _reckoned(self, node: Call) -> Value:
        if node.operation == RAW:
            (only,) = self._arguments(node, (1, 1))
            found = self.value(only)
            if not isinstance(found, FieldValue):
                raise ConditionError("raw takes the name of a field.")
            return replace(found, wants_raw=True)
        if node.operation in FUNCTIONS or node.operation in ("and_", "or_", "not_") or node.operation in COMPARISONS:
            raise ConditionError("a condition stands where a number is meant.", hint="Join conditions by and, or, not.")
        operation = operations().get(node.operation)
        if operation is None:
            known = [*FUNCTIONS, RAW, *(name for name, one in operations().items() if not one.symbol)]
            raise ConditionError(f"there is no function called {node.operation}.", hint=nearest(node.operation, known))
        if len(node.arguments) != operation.takes:
            raise ConditionError(f"{node.operation} takes {operation.takes} values, not {len(node.arguments)}.")
        arguments = tuple(self.value(one) for one in node.arguments)
        if operation.name == "negate" and isinstance(arguments[0], Literal):
            # so that a scale with a zero of its own converts it as a whole
            return Literal(-arguments[0].value, arguments[0].written_unit)
        return Reckoned(operation, arguments)

    def _field(self, name: str, message: str | None) -> FieldValue:
        candidates = (FieldValue(name, message), EachItem(name, message), OneItem.written(name, message))
        for field in candidates:
            if field is not None and self.known.having(field):
                return field
        if message is not None:
            self.must_be_one_of(message, self.known.messages, "message")
            names = [
                one.name for layout in self.known.layouts if layout.name == message for one in layout.named_items()
            ]
            raise ConditionError(f"{message} has no field called {short(name)}.", hint=nearest(name, names))
        if name in TEXTS:
            raise ConditionError(f"{name} is compared with a text.", hint=f'Write {name} == "…".')
        if not self.known.layouts:
            raise ConditionError(
                f"there is no field called {short(name)}, as there are no layouts.",
                hint="Fields come from the layouts of a library.",
            )
        known = [*self.known.field_names, *NUMBERS, *TEXTS, "unanswered"]
        raise ConditionError(f"there is no field called {short(name)}.", hint=nearest(name, known))

    def _must_be_a_unit(self, unit: str) -> None:
        carried = {field.unit for layout in self.known.layouts for field in layout.once_a_frame()}
        if not is_known(unit) and unit not in carried:
            raise ConditionError(f"there is no unit called {short(unit)}.", hint=nearest(unit, [*carried, *UNITS]))

    # what functions take

    def _arguments(self, node: Call, most: tuple[int, int]) -> tuple[AnyNode, ...]:
        if not most[0] <= len(node.arguments) <= most[1]:
            wanted = f"{most[0]} or {most[1]}" if most[0] != most[1] else str(most[0])
            raise ConditionError(f"{node.operation} takes {wanted} values, not {len(node.arguments)}.")
        return node.arguments

    def duration(self, node: AnyNode, word: str) -> tuple[int, str]:
        """Return a time in ns, and as it is said; ``word`` is what takes it."""
        value = self.value(node)
        if not isinstance(value, Literal):
            raise ConditionError(f"{word} takes a time, as 50 ms.")
        seconds = converted(value.value, value.written_unit or "s", "s") if _is_time(value) else None
        if seconds is None or seconds < 0:
            raise ConditionError(f"{word} takes a time, as 50 ms; {value.words()} is none.")
        return int(seconds * 1_000_000_000), value.words() if value.written_unit else f"{value.words()} s"

    def text(self, node: AnyNode, otherwise: str) -> str:
        """Return a text in quotes; ``otherwise`` is what is told if it is none."""
        if not isinstance(node, Text):
            raise ConditionError(otherwise)
        return node.text

    def must_be_one_of(self, text: str, known: Iterable[str], what: str) -> None:
        """Raise :class:`ConditionError` if a text is none of those that there are."""
        known = list(known)
        if text not in known:
            raise ConditionError(f"there is no {what} called “{short(text)}”.", hint=nearest(text, known))


UNITS = (
    *("s", "ms", "us", "µs", "ns", "min", "h", "m", "cm", "mm", "km", "m/s", "km/h", "kn", "deg", "rad", "K", "°C"),
    *("Pa", "kPa", "bar", "V", "mV", "A", "mA", "W", "kW", "MW", "N", "kN", "Hz", "kHz", "rpm", "1/min", "%"),
)
"""Units that a number may carry, whatever the library has."""


def _is_time(value: Literal) -> bool:
    scale = scale_of(value.written_unit)
    return not value.written_unit or (scale is not None and scale.base == (("s", 1),))
