"""Functions of fields and computed values: whether they are there, their values, how values are put in."""

from __future__ import annotations

import re
from dataclasses import dataclass

from ...layouts.fields import FieldKind
from ..carried_fields import CarriedField, Form
from ..lowering import Number64
from .expressions import StepWriter
from .numbers import floating, raw_type
from .scaling import unscaled, unscaled_float, value_lines
from .terms import BODY, Terms, c_type, has_limits


@dataclass(frozen=True, slots=True)
class FieldFunctions:
    """Writes the functions of the fields of one message."""

    terms: Terms
    steps: StepWriter

    def lines(self) -> list[str]:
        """Return the lines of all of them, each before who calls it."""
        terms = self.terms
        made: list[str] = []
        for one in terms.message.selectors_first():
            made += self._of_field(one)
        return [*made, *self._of_structs(), *self._of_computed()]

    def _of_structs(self) -> list[str]:
        """Return the functions that say which of the structs in it are there."""
        terms = self.terms
        lines: list[str] = []
        for move in terms.message.structs_that_may_be_absent():
            assert move.selected is not None, "else it is always there"
            lines += terms.function("bool", terms.has_member(move), [f"return {terms.selects(move.selected)};"])
        return lines

    def _of_field(self, one: CarriedField) -> list[str]:
        terms = self.terms
        lines: list[str] = []
        if one.field.selected is not None:
            lines += terms.function("bool", terms.has_name(one), [f"return {terms.selects(one.field.selected)};"])
        if not one.is_number:
            return lines
        if len(held := terms.held_conditions(one)) > 1:
            lines += terms.function(
                "bool", f"{terms.name}_holds_{one.name}", [f"return {' && '.join(held)};"], static=True
            )
        lines += terms.function("double", terms.value_name(one), self._value(one))
        if terms.can_be_set(one):
            lines += self._setter(one)
        if has_limits(one.field):
            lines += terms.function("bool", f"{terms.name}_good_{one.name}", self._good(one))
        return lines

    def _value(self, one: CarriedField) -> list[str]:
        terms = self.terms
        lines = []
        if terms.held_conditions(one):
            held = terms.holds(one)
            is_call = held.endswith("(in)") and not held.startswith("!")
            lines += [f"if (!{held if is_call else f'({held})'})", f"{BODY}return (double)NAN;"]
        return [*lines, *value_lines(one)]

    def _good(self, one: CarriedField) -> list[str]:
        lines = [f"const double value = {self.terms.value_name(one)}(in);"]
        limits = []
        for limit, sign in ((one.field.low, ">="), (one.field.high, "<=")):
            if limit is not None:
                limits.append(f"value {sign} {floating(limit)}")
        return [*lines, f"return {' && '.join(limits)};"]

    def _setter(self, one: CarriedField) -> list[str]:
        terms = self.terms
        field = one.field
        refuse = [f"{BODY}return {terms.unfit};"]
        head = [f"int {terms.name}_set_{one.name}({terms.struct} *out, double value)", "{"]
        if one.has_tens:
            body = [f"if (!decimal_of({unscaled(field)}, &out->{one.raw}, &out->{one.tens}))", *refuse,
                    f"out->{one.known} = 1U;"]  # fmt: skip
            return [*head, *(BODY + line for line in body), f"{BODY}return {terms.result('OK')};", "}", ""]
        if field.kind is FieldKind.FLOAT:
            kind = {16: "half", 32: "single", 64: "double"}[one.bits]
            scaled = unscaled_float(field)
            body = [
                f"const double number = {scaled};", f"const uint64_t bits = {kind}_bits(number);",
                f"if (!isfinite({kind}_float(bits)))", *refuse, f"out->{one.raw} = ({raw_type(one)})bits;",
            ]  # fmt: skip
            return [*head, *(BODY + line for line in body), f"{BODY}return {terms.result('OK')};", "}", ""]
        low, high = one.raw_range
        above = f"about > {floating(high)}" if high < 1 << 53 else f"about >= {floating(high + 1)}"
        body = [
            f"const double about = rint({unscaled(field)});",
            f"if (isnan(about) || about < {floating(low)} || {above})", *refuse,
            f"out->{one.raw} = ({raw_type(one)})about;",
            *([f"out->{one.known} = 1U;"] if one.form is Form.WRITTEN else []),
        ]  # fmt: skip
        return [*head, *(BODY + line for line in body), f"{BODY}return {terms.result('OK')};", "}", ""]

    def _of_computed(self) -> list[str]:
        terms = self.terms
        lines: list[str] = []
        for one in terms.message.computed:
            body: list[str] = []
            for other, steps, held in terms.computed_steps(one):
                body += self.steps.lines(steps.steps)
                if other is one:
                    break
                body.append(f"const {c_type(held)} computed_{other.name} = {held.name};")
                if not held.always:
                    body.append(f"const bool computed_{other.name}_known = {held.known_name};")
            value = f"(double){held.name}" if held.kind is not Number64.FLOAT else held.name
            body.append(f"return {value if held.always else f'{held.known_name} ? {value} : (double)NAN'};")
            more = ", size_t size" if terms.message.takes_size(one) else ""
            lines += terms.function("double", terms.value_name(one), _without_unused(body), more=more)
        return lines


def _without_unused(lines: list[str]) -> list[str]:
    """Return statements without constants that nothing behind them names."""
    kept: list[str] = []
    for line in reversed(lines):
        match = re.match(r"const \w+ (\w+) = ", line)
        if match is None or any(re.search(rf"\b{match[1]}\b", other) for other in kept):
            kept.append(line)
    return kept[::-1]
