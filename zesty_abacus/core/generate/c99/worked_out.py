"""Works out what a frame says of itself: counts and lengths, equations, complements, what is taken over bytes."""

from __future__ import annotations

from dataclasses import dataclass

from ...expressions.expression import Expression
from ...expressions.tree import Name
from ...layouts.checks.complement import Complement
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.rule import Rule
from ...layouts.fields import FieldKind
from ...layouts.model import Check
from ..carried_fields import CarriedField, Form
from ..lowering import Held, Number64, equation_of, is_scaled
from ..shapes import every_stretch
from .bits import write_lines
from .checks import CheckWriter, bits_of, raw_of_bits
from .expressions import StepWriter
from .moving import Movement, block
from .numbers import of_type, raw_type, unsigned
from .terms import BODY, Terms, c_type, under


@dataclass(frozen=True, slots=True)
class WorkedOut:
    """Writes the statements that put it into the struct ``in``."""

    terms: Terms
    checks: CheckWriter

    def make_true(self, movement: Movement, expression: Expression, count: str) -> list[str]:
        """Return statements that let a field say a count, or refuse where an expression says another one."""
        target = self._counting(expression)
        if target is None:
            lines = movement.amount(expression, "said")
            return block([*lines, f"if (said != {count})", f"{BODY}return {self.terms.unfit};"])
        high = target.raw_range[1]
        beyond = [f"if ({count} > {unsigned(high)})", f"{BODY}return {self.terms.unfit};"] if high < 1 << 32 else []
        lines = [*beyond, f"in->{target.raw} = ({raw_type(target)}){count};"]
        return [*lines, *as_written(target)]

    def _counting(self, expression: Expression) -> CarriedField | None:
        """Return the field that an expression is the name of, if it can be given a count."""
        tree = expression.tree
        found = self.terms.message.named(tree.name) if isinstance(tree, Name) else None
        if not isinstance(found, CarriedField) or found.field.is_curved or found.field.kind is FieldKind.FLOAT:
            return None
        return found if (found.field.ratio, found.field.offset) == (1, 0) else None

    def solved(self, steps: StepWriter, checks: tuple[Check, ...]) -> list[str]:
        """Return statements that work out what equations and complements give."""
        lines: list[str] = []
        message = self.terms.message
        for check in checks:
            if isinstance(check, Complement):
                one, other = message.field(check.field), message.field(check.of)
                mask = unsigned((1 << one.width) - 1)
                conditions = [*self.terms.presence_conditions(one), *self.terms.presence_conditions(other)]
                made = [f"in->{one.raw} = {raw_of_bits(one, f'({bits_of(other)} ^ {mask})')};", *as_written(one)]
                lines += under(conditions, made)
            elif isinstance(check, Rule) and (found := equation_of(message, check)) is not None:
                one, needed, held = found
                lines += self._equation(one, steps.lines(needed.steps), held)
        return lines

    def _equation(self, one: CarriedField, steps: list[str], held: Held) -> list[str]:
        terms = self.terms
        if not is_scaled(one) and held.kind is not Number64.FLOAT and held.bounds is not None:
            # a whole number needs no rounding, which a double would do beyond 53 bits
            low, high = one.raw_range
            kind = c_type(held)
            beyond = [f"{held.name} < {of_type(low, kind)}"] if held.bounds[0] < low else []
            beyond += [f"{held.name} > {of_type(high, kind)}"] if held.bounds[1] > high else []
            inner = [f"if ({' || '.join(beyond)})", f"{BODY}return {self.terms.unfit};"] if beyond else []
            inner += [f"in->{one.raw} = ({raw_type(one)}){held.name};", *as_written(one)]
        else:
            set_it = f"{terms.name}_set_{one.name}(in, (double){held.name}) != {terms.result('OK')}"
            inner = [f"if ({set_it})", f"{BODY}return {self.terms.unfit};"]
        conditions = [*terms.presence_conditions(one), *([] if held.always else [held.known_name])]
        return block([*steps, *under(conditions, inner)])

    def filled(self, checks: tuple[Check, ...]) -> list[str]:
        """Return statements that put in what is taken over bytes, which is last since it may cover all others."""
        lines: list[str] = []
        names = dict(zip((check.id for check in self.terms.message.checks), self.checks.names, strict=True))
        placed = {one.field.id for one in self._fields_beside(checks)}
        for check in checks:
            if not isinstance(check, OverBytes):
                continue
            one = self.terms.message.field(check.field)
            stretch, known = self.checks.stretch(check)
            call = f"{names[check.id]}_taken({self.checks.arguments(check)})"
            put = [f"in->{one.raw} = {raw_of_bits(one, call)};", *as_written(one)]
            if one.unreadable is not None:
                unreadable = unsigned(one.unreadable, one.bits)
                put += [f"if (in->{one.raw} == {unreadable})", f"{BODY}return {self.terms.unfit};"]
            if one.field.id in placed:
                put += write_lines(one, "in", self.terms.unfit)
            conditions = [*self.terms.presence_conditions(one), *([known] if known else [])]
            lines += block([*stretch, *under(conditions, put)])
        return lines

    def _fields_beside(self, checks: tuple[Check, ...]) -> tuple[CarriedField, ...]:
        """Return the fields whose places count from where the bytes of checks do."""
        stretch = self.terms.message.stretch
        if stretch is None:
            return self.terms.message.fields
        return next((inner.fields for inner in every_stretch(stretch) if inner.checks == checks), stretch.fields)


def as_written(one: CarriedField) -> list[str]:
    """Return statements that say of a number in characters that it is one."""
    if one.form is not Form.WRITTEN:
        return []
    return [*([f"in->{one.tens} = 0;"] if one.has_tens else []), f"in->{one.known} = 1U;"]
