"""Function blocks of whole frames: unpacking, with every value beside it, and packing."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.applies import parse_pattern
from ...layouts.checks.counter import Counter
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.model import Complement, Rule
from ..carried_fields import CarriedField
from ..lowering import Number64, equation_of, is_scaled
from .bits import bits_of, number_of_bits, read_lines, write_lines
from .checks import CheckWriter
from .expressions import StepWriter
from .routine import Routine, indented, joined, under
from .terms import Terms, within
from .types import bits, converted, raw_type, type_of, whole


@dataclass(frozen=True, slots=True)
class FrameBlocks:
    """Writes the function blocks of one message."""

    terms: Terms
    checks: CheckWriter

    def routines(self) -> list[Routine]:
        """Return all of them."""
        made = [self._accepts()] if self._shape_conditions() else []
        return [*made, self._unpack(), self._pack(), *self._counting()]

    def _accepts(self) -> Routine:
        terms = self.terms
        name = f"{terms.name}_accepts"
        return Routine(name, "BOOL", "Whether a payload is of the shape that is read.",
                       [f"raw : {terms.name}", "size : UDINT"], [f"data : {terms.block}"],
                       body=[f"{name} := {joined(self._shape_conditions())};"])  # fmt: skip

    def _shape_conditions(self) -> list[str]:
        terms = self.terms
        applies, branch = terms.message.layout.applies, terms.message.branch
        conditions = []
        if applies.sizes:
            conditions.append(within(applies.sizes, "size", "UDINT"))
        wanted, mask = parse_pattern(applies.pattern)
        if len(wanted):
            conditions.append(f"(size >= UDINT#{len(wanted)})")
        conditions += [self._begins(place, w & m, m) for place, (w, m)
                       in enumerate(zip(wanted.tolist(), mask.tolist(), strict=True)) if m]  # fmt: skip
        if branch is not None:
            selector = terms.message.field(branch.selector.id)
            inside = within(branch.values, f"raw.{selector.raw}", raw_type(selector))
            conditions += [*terms.holds(selector), inside]
        if terms.asks_for_end:
            # what lies behind the block cannot be looked at, so nothing is said of such a frame
            conditions.append(f"(size <= UDINT#{terms.room})")
        return conditions

    def _begins(self, place: int, wanted: int, mask: int) -> str:
        unit = self.terms.unit_bytes
        if unit == 1:
            return f"((BYTE_TO_LWORD(data[{place}]) AND {bits(mask)}) = {bits(wanted)})"
        shift = 8 * (1 - place % 2)
        return f"((WORD_TO_LWORD(data[{place // 2}]) AND {bits(mask << shift)}) = {bits(wanted << shift)})"

    def _unpack(self) -> Routine:
        terms = self.terms
        made = Routine(f"{terms.name}_unpack", "", f"Reads {terms.message.layout.name}; result says whether it holds.",
                       [f"size : UDINT := {terms.message.size_of_all}"], [f"data : {terms.block}"],
                       [f"result : {terms.prefix}_result", f"raw : {terms.name}"],
                       ["bits : LWORD", "is_short : BOOL", f"nothing : {terms.name}"])  # fmt: skip
        made.body = ["raw := nothing;", "is_short := FALSE;"]
        for one in terms.message.selectors_first():
            fits = [f"size >= UDINT#{one.field.places.size_needed}"]
            lines = under(fits, read_lines(terms, one), ["is_short := TRUE;"])
            made.body += under(terms.presence(one), lines)
        for one in terms.message.fields:
            if one.is_number:
                made.outputs += [f"{one.name}_value : LREAL", f"{one.name}_known : BOOL"]
                call = f"{terms.value_name(one)}(raw := raw, known => {one.name}_known)"
                made.body.append(f"{one.name}_value := {call};")
        for value in terms.message.computed:
            made.outputs += [f"{value.name}_value : LREAL", f"{value.name}_known : BOOL"]
            more = ", size := size" if terms.message.takes_size(value) else ""
            call = f"{terms.value_name(value)}(raw := raw{more}, known => {value.name}_known)"
            made.body.append(f"{value.name}_value := {call};")
        return self._with_result(made)

    def _with_result(self, made: Routine) -> Routine:
        terms = self.terms
        cases = [("is_short", "too_short")]
        if self._shape_conditions():
            cases.append((f"NOT {terms.name}_accepts(raw := raw, size := size, data := data)", "other_shape"))
        for number in range(len(terms.message.checks)):
            cases.append((f"NOT {self.checks.name(number)}(raw := raw, size := size, data := data)", "check_failed"))
        for word, (condition, result) in zip(["IF", *["ELSIF"] * len(cases)], cases, strict=False):
            made.body += [f"{word} {condition} THEN", *indented([f"result := {terms.result(result)};"])]
        made.body += ["ELSE", *indented([f"result := {terms.result('ok')};"]), "END_IF;"]
        return made

    def _pack(self) -> Routine:
        terms = self.terms
        made = Routine(
            f"{terms.name}_pack", "",
            f"Writes {terms.message.layout.name}; checks are worked out, bits of no field stay as they are in data.",
            [f"raw : {terms.name}", f"size : UDINT := {terms.message.size_of_all}"], [f"data : {terms.block}"],
            [f"result : {terms.prefix}_result"], [f"made : {terms.name}", "bits : LWORD"],
        )  # fmt: skip
        made.body = ["made := raw;"]
        for one in terms.message.fields:
            short = [f"(size < UDINT#{one.field.places.size_needed})"]
            made.body += under([*terms.presence(one, "made"), *short],
                               [f"result := {terms.result('too_short')};", "RETURN;"])  # fmt: skip
        for number, check in enumerate(terms.message.checks):
            if isinstance(check, Complement):
                made.body += self._complement(check)
            elif isinstance(check, Rule):
                self._equation(made, check, number)
        for one in terms.message.fields:
            made.body += under(terms.presence(one, "made"), write_lines(terms, one))
        declared: set[str] = set()
        for number, check in enumerate(terms.message.checks):
            if isinstance(check, OverBytes):
                written, lines = self._filled(check, number)
                made.inside += [one for one in written if one not in declared]
                declared |= set(written)
                made.body += lines
        made.body.append(f"result := {terms.result('ok')};")
        return made

    def _complement(self, check: Complement) -> list[str]:
        terms = self.terms
        one, other = terms.message.field(check.field), terms.message.field(check.of)
        mask = bits((1 << len(one.field.places)) - 1)
        there = [*terms.presence(one, "made"), *terms.presence(other, "made")]
        return under(there, number_of_bits(one, f"({bits_of(other, 'made')} XOR {mask})"))

    def _equation(self, made: Routine, check: Rule, number: int) -> None:
        """Add statements that work out what an equation gives, before anything is written."""
        terms = self.terms
        found = equation_of(terms.message, check, f"q{number}_")
        if found is None:
            return
        one, steps, held = found
        written = StepWriter(terms, "made").write(steps)
        made.inside += written.inside
        refused = [f"result := {terms.result('does_not_fit')};", "RETURN;"]
        kind = raw_type(one)
        if not is_scaled(one) and held.kind is not Number64.FLOAT:
            # a whole number needs no rounding, which an LREAL would do beyond 53 bits
            low, high = one.field.raw_range()
            assert held.bounds is not None, "it is whole"
            wide = type_of(held.kind)
            beyond = [f"({held.name} < {whole(low, wide)})"] if held.bounds[0] < low else []
            beyond += [f"({held.name} > {whole(high, wide)})"] if held.bounds[1] > high else []
            lines = under([" OR ".join(beyond)] if beyond else [], refused) if beyond else []
            lines.append(f"made.{one.raw} := {converted(held.name, wide, kind)};")
        else:
            value = converted(held.name, type_of(held.kind), "LREAL")
            call = f"{terms.name}_set_{one.name}(value := {value}, raw := made)"
            lines = under([f"{call} <> {terms.result('ok')}"], refused)
        known = [] if held.always else [held.known_name]
        made.body += written.lines + under([*terms.presence(one, "made"), *known], lines)

    def _filled(self, check: OverBytes, number: int) -> tuple[list[str], list[str]]:
        """Return variables and statements that put in what is taken over bytes: last, since it may cover all others."""
        terms = self.terms
        one = terms.message.field(check.field)
        written, conditions = self.checks.stretch(check, "made", number)
        put = number_of_bits(one, self.checks.call(check, self.checks.name(number)))
        if one.unreadable is not None:
            put += under([f"made.{one.raw} = {whole(one.unreadable, raw_type(one))}"],
                         [f"result := {terms.result('does_not_fit')};", "RETURN;"])  # fmt: skip
        put += write_lines(terms, one)
        return written.inside, [*written.lines, *under([*terms.presence(one, "made"), *conditions], put)]

    def _counting(self) -> list[Routine]:
        counters = [check for check in self.terms.message.layout.checks if isinstance(check, Counter)]
        fields = [(one, self.terms.message.field(one.field)) for one in counters]
        return [self._count(counter, one) for counter, one in fields if one.is_number]

    def _count(self, counter: Counter, one: CarriedField) -> Routine:
        terms = self.terms
        wraps = counter.wraps_at or 1 << min(len(one.field.places), 62)
        name = f"{terms.name}_count_{one.name}"
        number = f"LWORD_TO_ULINT({bits_of(one, 'made')})"
        text = f"({number} MOD ULINT#{wraps} + ULINT#{counter.step % wraps}) MOD ULINT#{wraps}"
        return Routine(name, "BOOL", f"Counts {one.field.name} on.", [], [f"made : {terms.name}"], [], ["bits : LWORD"],
                       [*number_of_bits(one, f"ULINT_TO_LWORD({text})"), f"{name} := TRUE;"])  # fmt: skip
