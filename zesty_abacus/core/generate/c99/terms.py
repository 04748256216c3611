"""What a message is called in C, and the conditions that are asked of its struct."""

from __future__ import annotations

import re
from collections.abc import Iterable
from dataclasses import dataclass

from ...layouts.checks.counter import Counter
from ...layouts.fields import Field, Selected
from ...layouts.model import RawSet
from ..carried_fields import CarriedField
from ..carried_message import CarriedMessage, CarriedValue
from ..comparisons import Ends, spans_within
from ..errors import CannotCarryError
from ..lowering import Held, Number64, Steps
from ..message_terms import MessageTerms
from .numbers import of_type, range_of, raw_type, unsigned

BODY = "    "


@dataclass(frozen=True, slots=True)
class Terms(MessageTerms):
    """Names and conditions of one message.

    Attributes
    ----------
    prefix
        In front of every global symbol.
    """

    prefix: str

    @property
    def name(self) -> str:
        """The message's own prefix: ``yuzu_motion``."""
        return f"{self.prefix}_{self.message.name}"

    @property
    def struct(self) -> str:
        """The type of its struct."""
        return f"struct {self.name}"

    def of_struct(self, inner: CarriedMessage) -> str:
        """Return what a struct in the struct is called."""
        return f"{self.prefix}_{inner.name}"

    @property
    def short(self) -> str:
        """The result of a payload, or a room for one, that ends too early."""
        return self.result("TOO_SHORT")

    @property
    def unfit(self) -> str:
        """The result of what a frame cannot say."""
        return self.result("DOES_NOT_FIT")

    def result(self, word: str) -> str:
        """Return the constant of a result."""
        return f"{self.prefix.upper()}_{word}"

    @property
    def numbers(self) -> list[CarriedField]:
        """The fields that are numbers."""
        return [one for one in self.message.fields if one.is_number]

    def presence(self, one: CarriedField) -> str:
        """Return the condition on ``in`` that a field is there, empty if it always is."""
        return "".join(self.presence_conditions(one))

    def holds(self, one: CarriedField) -> str:
        """Return the condition on ``in`` that a field has a value."""
        conditions = self.held_conditions(one)
        if len(conditions) < 2:
            return conditions[0] if conditions else "true"
        return f"{self.name}_holds_{one.name}(in)"

    def selects(self, selected: Selected) -> str:
        """Return the condition on ``in`` that a selector has one of the values under which something is there."""
        try:
            selector = self.message.field(selected.field)
        except KeyError:
            raise CannotCarryError("a part stands under a selector of outside, which is not carried yet.") from None
        inside = within(selected.values, f"in->{selector.raw}", raw_type(selector))
        conditions = [self.holds(selector)] if self.held_conditions(selector) else []
        return " && ".join([*conditions, inside])

    def _is_written(self, one: CarriedField) -> str:
        return f"in->{one.known} != 0U"

    def _is_there(self, one: CarriedField) -> str:
        return f"{self.has_name(one)}(in)"

    def _differs(self, one: CarriedField, raw: int) -> str:
        return f"in->{one.raw} != {unsigned(raw, one.bits)}"

    def _is_a_number(self, one: CarriedField) -> str:
        return f"!isnan({float_of(one)})"

    def _outside(self, one: CarriedField, values: RawSet) -> str:
        return f"!({within(values, f'in->{one.raw}', raw_type(one))})"

    def counters(self) -> list[tuple[Counter, CarriedField]]:
        """Return the counters, and the field of each."""
        counters = [check for check in self.message.layout.checks if isinstance(check, Counter)]
        return [(one, self.message.field(one.field)) for one in counters if self.message.field(one.field).is_number]

    def computed_steps(self, one: CarriedValue) -> list[tuple[CarriedValue, Steps, Held]]:
        """Return what a value is computed of and itself, each with its steps and what holds its result."""
        made: list[tuple[CarriedValue, Steps, Held]] = []
        known: dict[str, Held] = {}
        for number, other in enumerate(self.message.computed_for(one)):
            steps = Steps(self.message, f"c{number}_", dict(known))
            held = steps.lower(other.value.expression)
            made.append((other, steps, held))
            known[other.value.name] = held
        return made

    def sized(self) -> list[CarriedValue]:
        """Return the computed values that the size of the frame goes into."""
        return [one for one in self.message.computed if self.message.takes_size(one)]

    def unsized(self) -> list[CarriedValue]:
        """Return the other ones."""
        return [one for one in self.message.computed if not self.message.takes_size(one)]

    def function(self, kind: str, name: str, body: list[str], *, static: bool = False, more: str = "") -> list[str]:
        """Return the lines of a function of the struct."""
        head = f"{'static ' if static else ''}{kind} {name}(const {self.struct} *in{more})"
        text = "\n".join(body)
        unused = [] if "in->" in text or "(in)" in text else ["(void)in;"]
        return [head, "{", *(BODY + line for line in (*unused, *body)), "}", ""]


def comment(text: str) -> str:
    """Return a text that a comment can hold."""
    return text.replace("*/", "* /").replace("/*", "/ *").replace("\n", " ").replace("\\", "/")


def within(values: RawSet, name: str, kind: str) -> str:
    """Return the condition that a number is in a set."""
    parts = [_between(ends, name, kind) for ends in spans_within(values, range_of(kind))]
    return " || ".join(parts) or "false" if len(parts) < 2 else f"({' || '.join(parts)})"


def _between(ends: Ends, name: str, kind: str) -> str:
    if ends.is_one and ends.low is not None:
        return f"{name} == {of_type(ends.low, kind)}"
    parts = [f"{name} >= {of_type(ends.low, kind)}"] if ends.low is not None else []
    parts += [f"{name} <= {of_type(ends.high, kind)}"] if ends.high is not None else []
    return f"({' && '.join(parts)})" if len(parts) > 1 else (parts[0] if parts else "true")


def has_limits(field: Field) -> bool:
    """Return whether a field has limits."""
    return field.low is not None or field.high is not None


def float_of(one: CarriedField) -> str:
    """Return an expression for the IEEE 754 number of a float field."""
    kind = {16: "half", 32: "single", 64: "double"}[one.bits]
    return f"{kind}_float((uint64_t)in->{one.raw})"


def c_type(held: Held) -> str:
    """Return the type of a number of an expression."""
    return {Number64.SIGNED: "int64_t", Number64.UNSIGNED: "uint64_t", Number64.FLOAT: "double"}[held.kind]


def names(lines: Iterable[str], variable: str) -> bool:
    """Return whether statements name a variable; members of structs may be called alike."""
    return any(re.search(rf"(?<![\w.>]){variable}\b", line) for line in lines)


def under(conditions: list[str], lines: list[str]) -> list[str]:
    """Return statements that run under conditions, or as they are without any."""
    return [f"if ({' && '.join(conditions)}) {{", *(BODY + line for line in lines), "}"] if conditions else lines
