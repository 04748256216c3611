"""Functions of fields and computed values: whether they are there, and their values."""

from __future__ import annotations

from dataclasses import dataclass

from ..carried_fields import CarriedField
from ..lowering import Held, Steps
from .expressions import StepWriter
from .numbers import value_text
from .terms import Terms, function, spans_text


@dataclass(frozen=True, slots=True)
class FieldFunctions:
    """Writes the functions of the fields of one message."""

    terms: Terms
    steps: StepWriter

    def lines(self) -> list[str]:
        """Return the lines of all of them, each before who calls it."""
        made: list[str] = []
        for one in self.terms.message.selectors_first():
            made += self._of_field(one)
        return [*made, *self._of_computed()]

    def _of_field(self, one: CarriedField) -> list[str]:
        lines: list[str] = []
        field = one.field
        if field.selected is not None:
            selector = self.terms.message.field(field.selected.field)
            inside = f"_within(struct.{selector.raw}, {spans_text(field.selected.values)})"
            conditions = [self.terms.holds(selector)] if self.terms.held_conditions(selector) else []
            lines += function(
                self.terms.has_name(one), f"Return whether {field.name} is there.",
                [f"return _plain({' & '.join([*conditions, inside])})"],
            )  # fmt: skip
        if not one.is_number:
            return lines
        if len(held := self.terms.held_conditions(one)) > 1:
            lines += function(f"_{self.terms.name}_holds_{one.name}", "", [f"return {' & '.join(held)}"])
        unit = f" in {field.unit}" if field.unit else ""
        value = value_text(one)
        if self.terms.held_conditions(one):
            value = f"np.where({self.terms.holds(one)}, {value}, np.nan)"
        return lines + function(
            self.terms.value_name(one), f"Return {field.name}{unit}, NaN where there is none.",
            [f"return _plain({value})"], quiet=True,
        )  # fmt: skip

    def _of_computed(self) -> list[str]:
        lines: list[str] = []
        for one in self.terms.message.computed:
            body: list[str] = []
            known: dict[str, Held] = {}
            for number, other in enumerate(self.terms.message.computed_for(one)):
                steps = Steps(self.terms.message, f"c{number}_", dict(known))
                held = known[other.value.name] = steps.lower(other.value.expression)
                body += [*self.steps.lines(steps.steps), f"computed_{other.name} = {held.name}"]
                if not held.always:
                    body.append(f"computed_{other.name}_known = {held.known_name}")
            held = known[one.value.name]
            value = f"{held.name}.astype(np.float64)"
            body.append(f"return _plain({value if held.always else f'np.where({held.known_name}, {value}, np.nan)'})")
            arguments = "struct, size" if self.terms.message.takes_size(one) else "struct"
            lines += function(self.terms.value_name(one), f"Return {one.value.name}: {one.value.expression}.", body,
                                    arguments, quiet=True)  # fmt: skip
        return lines
