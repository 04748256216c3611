"""Functions of fields and computed values: whether they are there, their values, how values are put in."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.fields import FieldKind
from ..carried_fields import CarriedField
from ..carried_message import CarriedValue
from ..lowering import Held, Number64, Steps
from .expressions import StepWriter
from .routine import Routine, indented, joined, under
from .scaling import unscaled, value_lines
from .terms import FLOATS, Terms, within
from .types import LARGEST, bits, converted, floating, raw_type, string, type_of, whole


@dataclass(frozen=True, slots=True)
class FieldFunctions:
    """Writes the functions of the fields of one message."""

    terms: Terms

    def routines(self) -> list[Routine]:
        """Return all of them, each before who calls it."""
        made: list[Routine] = []
        for one in self.terms.message.selectors_first():
            made += self._of_field(one)
        return [*made, *(self._computed(one) for one in self.terms.message.computed)]

    def _of_field(self, one: CarriedField) -> list[Routine]:
        terms, field = self.terms, one.field
        made = []
        if field.selected is not None:
            selector = terms.message.field(field.selected.field)
            inside = within(field.selected.values, f"raw.{selector.raw}", raw_type(selector))
            made.append(self._asking(terms.has_name(one), f"Whether {field.name} is there.",
                                     [*terms.holds(selector), inside]))  # fmt: skip
        if not one.is_number:
            return made
        if held := terms.held_conditions(one):
            made.append(self._asking(terms.holds_name(one), f"Whether {field.name} has a value.", held))
        made.append(self._value(one))
        if terms.can_be_set(one):
            made.append(self._setter(one))
        if field.low is not None or field.high is not None:
            made.append(self._good(one))
        if field.names and field.kind is not FieldKind.BITS:
            made.append(self._label(one))
        return made

    def _asking(self, name: str, said: str, conditions: list[str]) -> Routine:
        return Routine(name, "BOOL", said, [f"raw : {self.terms.name}"], body=[f"{name} := {joined(conditions)};"])

    def _value(self, one: CarriedField) -> Routine:
        terms, field = self.terms, one.field
        name = terms.value_name(one)
        lines, inside = value_lines(terms, one, name)
        unit = f" in {field.unit}" if field.unit else ""
        said = f"{field.name}{unit}; 0.0, and not known, where there is none."
        made = Routine(name, "LREAL", said, [f"raw : {terms.name}"], [], ["known : BOOL"], inside)
        made.body = [f"{name} := LREAL#0.0;", f"known := {joined(terms.holds(one))};",
                     *under(["known"] if terms.holds(one) else [], lines)]  # fmt: skip
        if field.kind is FieldKind.FLOAT or field.is_curved:
            made.body.append(f"known := known AND (ABS({name}) <= {LARGEST});")
        return made

    def _good(self, one: CarriedField) -> Routine:
        terms = self.terms
        name = f"{terms.name}_good_{one.name}"
        limits = [f"(value {sign} {floating(limit)})" for limit, sign in ((one.field.low, ">="), (one.field.high, "<="))
                  if limit is not None]  # fmt: skip
        return Routine(
            name, "BOOL", f"Whether {one.field.name} has a value that lies within its limits.",
            [f"raw : {terms.name}"], [], [], ["value : LREAL", "known : BOOL"],
            [f"value := {terms.value_name(one)}(raw := raw, known => known);",
             f"{name} := {joined(['known', *limits])};"],
        )  # fmt: skip

    def _setter(self, one: CarriedField) -> Routine:
        terms, field, kind = self.terms, one.field, raw_type(one)
        name = f"{terms.name}_set_{one.name}"
        made = Routine(name, f"{terms.prefix}_result", f"Puts a value of {field.name} in, rounded to what it holds.",
                       ["value : LREAL"], [f"raw : {terms.name}"], [], ["about : LREAL"])  # fmt: skip
        made.body = [f"{name} := {terms.result('does_not_fit')};", f"IF ABS(value) <= {LARGEST} THEN"]
        if field.kind is FieldKind.FLOAT:
            exponent, fraction = FLOATS[one.bits]
            mask = bits(((1 << exponent) - 1) << fraction)
            made.inside.append("pattern : LWORD")
            shape = f"exponent_bits := {exponent}, fraction_bits := {fraction}"
            call = f"{terms.helper('float_bits')}(number := about, {shape})"
            kept = [f"raw.{one.raw} := LWORD_TO_{kind}(pattern);", f"{name} := {terms.result('ok')};"]
            lines = [f"about := {unscaled(field)};", f"pattern := {call};",
                     f"IF (pattern AND {mask}) <> {mask} THEN", *indented(kept), "END_IF;"]  # fmt: skip
        else:
            low, high = field.raw_range()
            top = f"(about <= {floating(high)})" if high < 1 << 53 else f"(about < {floating(high + 1)})"
            wide = "ULINT" if kind.startswith("U") else "LINT"
            kept = [f"raw.{one.raw} := {converted(f'LREAL_TRUNC_{wide}(about)', wide, kind)};",
                    f"{name} := {terms.result('ok')};"]  # fmt: skip
            lines = [f"about := {terms.helper('round')}(number := {unscaled(field)});",
                     f"IF (about >= {floating(low)}) AND {top} THEN", *indented(kept), "END_IF;"]  # fmt: skip
        made.body += [*indented(lines), "END_IF;"]
        return made

    def _label(self, one: CarriedField) -> Routine:
        terms, kind = self.terms, raw_type(one)
        name = f"{terms.name}_label_{one.name}"
        made = Routine(name, "STRING", f"What the value of {one.field.name} is called; empty if it has no name.",
                       [f"raw : {terms.name}"])  # fmt: skip
        made.body = [f"{name} := '';"]
        for word, named in zip(["IF", *["ELSIF"] * len(one.field.names)], one.field.names, strict=False):
            raw = f"raw.{one.raw}"
            inside = f"{raw} = {whole(named.raw, kind)}" if named.to is None else (
                f"({raw} >= {whole(named.raw, kind)}) AND ({raw} <= {whole(named.last, kind)})")  # fmt: skip
            made.body += [f"{word} {inside} THEN", *indented([f"{name} := {string(named.label)};"])]
        made.body.append("END_IF;")
        return made

    def _computed(self, one: CarriedValue) -> Routine:
        terms = self.terms
        name = terms.value_name(one)
        inputs = [f"raw : {terms.name}"] + (["size : UDINT"] if terms.message.takes_size(one) else [])
        made = Routine(name, "LREAL", f"{one.value.name}: {one.value.expression}.", inputs, [], ["known : BOOL"])
        known: dict[str, Held] = {}
        held: Held | None = None
        for number, other in enumerate(terms.message.computed_for(one)):
            steps = Steps(terms.message, f"c{number}_", dict(known))
            held = known[other.value.name] = steps.lower(other.value.expression)
            written = StepWriter(terms).write(steps)
            made.inside += written.inside
            made.body += written.lines
            if other is not one:
                made.inside.append(f"computed_{other.name} : {type_of(held.kind)}")
                made.body.append(f"computed_{other.name} := {held.name};")
                if not held.always:
                    made.inside.append(f"computed_{other.name}_known : BOOL")
                    made.body.append(f"computed_{other.name}_known := {held.known_name};")
        assert held is not None, "a value is computed of itself at least"
        taken = [f"{name} := {converted(held.name, type_of(held.kind), type_of(Number64.FLOAT))};"]
        known_text = "TRUE" if held.always else held.known_name
        made.body += [f"{name} := LREAL#0.0;", f"known := {known_text};", *under(["known"], taken)]
        return made
