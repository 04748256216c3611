"""What a message is called in C, and the conditions that are asked of its struct."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.checks.counter import Counter
from ...layouts.fields import Field, FieldKind
from ...layouts.model import RawSet
from ..carried import CarriedField, CarriedMessage, CarriedValue
from ..lowering import Held, Number64, Steps
from .numbers import of_type, raw_type, unsigned

BODY = "    "


@dataclass(frozen=True, slots=True)
class Terms:
    """Names and conditions of one message.

    Attributes
    ----------
    prefix
        In front of every global symbol.
    """

    message: CarriedMessage
    prefix: str

    @property
    def name(self) -> str:
        """The message's own prefix: ``yuzu_motion``."""
        return f"{self.prefix}_{self.message.name}"

    @property
    def struct(self) -> str:
        """The type of its struct."""
        return f"struct {self.name}"

    def result(self, word: str) -> str:
        """Return the constant of a result."""
        return f"{self.prefix.upper()}_{word}"

    def value_name(self, one: CarriedField | CarriedValue) -> str:
        """Return the function that gives a value."""
        return f"{self.name}_{one.name}"

    def has_name(self, one: CarriedField) -> str:
        """Return the function that says whether a field is there."""
        return f"{self.name}_has_{one.name}"

    @property
    def numbers(self) -> list[CarriedField]:
        """The fields that are numbers."""
        return [one for one in self.message.fields if one.is_number]

    def presence(self, one: CarriedField) -> str:
        """Return the condition on ``in`` that a field is there, empty if it always is."""
        return f"{self.has_name(one)}(in)" if one.field.selected is not None else ""

    def holds(self, one: CarriedField) -> str:
        """Return the condition on ``in`` that a field has a value: it is there, readable, available and no fault."""
        conditions = self.held_conditions(one)
        if len(conditions) < 2:
            return conditions[0] if conditions else "true"
        return f"{self.name}_holds_{one.name}(in)"

    def held_conditions(self, one: CarriedField) -> list[str]:
        """Return the conditions of :meth:`holds`, one by one."""
        field, raw = one.field, f"in->{one.raw}"
        conditions = [there] if (there := self.presence(one)) else []
        if one.unreadable is not None:
            conditions.append(f"{raw} != {unsigned(one.unreadable, one.bits)}")
        if field.kind is FieldKind.FLOAT:
            conditions.append(f"!isnan({float_of(one)})")
        for raws in (field.unavailable, field.errors):
            if raws:
                conditions.append(f"!({within(raws, raw, raw_type(one))})")
        return conditions

    def can_be_set(self, one: CarriedField) -> bool:
        """Return whether a value can be put in: along a curve several raw numbers may have it."""
        return one.is_number and not one.field.is_curved

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
    """Return the condition that a number is in a set, without comparisons that always hold."""
    bits = int(kind.strip("uint_"))
    lowest, highest = (0, (1 << bits) - 1) if kind.startswith("u") else (-(1 << bits - 1), (1 << bits - 1) - 1)
    parts = []
    for low, high in values.spans:
        if low > highest or high < lowest:
            continue
        if low == high:
            parts.append(f"{name} == {of_type(low, kind)}")
            continue
        ends = [f"{name} >= {of_type(low, kind)}"] if low > lowest else []
        ends += [f"{name} <= {of_type(high, kind)}"] if high < highest else []
        parts.append(f"({' && '.join(ends)})" if len(ends) > 1 else (ends[0] if ends else "true"))
    return " || ".join(parts) or "false" if len(parts) < 2 else f"({' || '.join(parts)})"


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


def under(conditions: list[str], lines: list[str]) -> list[str]:
    """Return statements that run under conditions, or as they are without any."""
    return [f"if ({' && '.join(conditions)}) {{", *(BODY + line for line in lines), "}"] if conditions else lines
