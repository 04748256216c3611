"""Functions of whole frames: their shape, unpacking, packing, counting on."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.applies import parse_pattern
from ...layouts.checks.counter import Counter
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.rule import Rule
from ...layouts.model import Complement
from ..carried import CarriedField
from ..lowering import Held, Number64, equation_of, is_scaled
from .bits import read_lines, write_lines
from .checks import CheckWriter, bits_of, raw_of_bits
from .expressions import StepWriter
from .numbers import of_type, raw_type, unsigned
from .terms import BODY, Terms, c_type, under, within


@dataclass(frozen=True, slots=True)
class FrameFunctions:
    """Writes the functions of whole frames of one message."""

    terms: Terms
    steps: StepWriter
    checks: CheckWriter

    def lines(self) -> list[str]:
        """Return the lines of all of them."""
        made = [*self._accepts(), *self._unpack(), *self._pack()]
        for counter, one in self.terms.counters():
            made += self._count(counter, one)
        return made

    def _accepts(self) -> list[str]:
        """Return the function that says whether a payload is of the shape that the layout reads."""
        terms = self.terms
        conditions = self._shape_conditions()
        if not conditions:
            return []
        body = [f"{BODY}return {(chr(10) + BODY * 2 + '&& ').join(conditions)};"]
        text = "\n".join(body)
        unused = [f"{BODY}(void){word};" for word in ("data", "size") if word not in text]
        if "(in)" not in text and "in->" not in text:
            unused.append(f"{BODY}(void)in;")
        return [f"static bool {terms.name}_accepts(const {terms.struct} *in, const uint8_t *data, size_t size)", "{",
                *unused, *body, "}", ""]  # fmt: skip

    def _shape_conditions(self) -> list[str]:
        terms = self.terms
        applies, branch = terms.message.layout.applies, terms.message.branch
        conditions = []
        if applies.sizes:
            conditions.append(f"({within(applies.sizes, 'size', 'uint32_t')})")
        wanted, mask = parse_pattern(applies.pattern)
        if len(wanted):
            conditions.append(f"size >= {len(wanted)}U")
        conditions += [
            f"(data[{place}] & 0x{m:02X}U) == 0x{w & m:02X}U"
            for place, (w, m) in enumerate(zip(wanted.tolist(), mask.tolist(), strict=True)) if m
        ]  # fmt: skip
        if branch is not None:
            selector = terms.message.field(branch.selector.id)
            held = [terms.holds(selector)] if terms.held_conditions(selector) else []
            conditions += [*held, f"({within(branch.values, f'in->{selector.raw}', raw_type(selector))})"]
        return conditions

    def _unpack(self) -> list[str]:
        terms = self.terms
        lines = [f"int {terms.name}_unpack({terms.struct} *out, const uint8_t *data, size_t size)", "{"]
        body = ["bool is_short = false;", "memset(out, 0, sizeof *out);"]
        for one in terms.message.selectors_first():
            fits = f"size < {one.field.places.size_needed}U"
            inner = [f"if ({fits}) {{", f"{BODY}is_short = true;", "} else {",
                     *(BODY + line for line in _unbraced(read_lines(one))), "}"]  # fmt: skip
            if there := terms.presence(one):
                inner = [f"if ({there.replace('(in)', '(out)')}) {{", *(BODY + line for line in inner), "}"]
            body += inner
        if not terms.message.fields:
            body += ["(void)data;", "(void)size;"]
        body += ["if (is_short)", f"{BODY}return {terms.result('TOO_SHORT')};"]
        if self._shape_conditions():
            body += [
                f"if (!{terms.name}_accepts(out, data, size))",
                f"{BODY}return {terms.result('OTHER_SHAPE')};",
            ]
        for name in self.checks.names:
            body += [f"if (!{name}(out, data, size))", f"{BODY}return {terms.result('CHECK_FAILED')};"]
        body.append(f"return {terms.result('OK')};")
        return [*lines, *(BODY + line for line in body), "}", ""]

    def _pack(self) -> list[str]:
        terms = self.terms
        lines = [f"int {terms.name}_pack(uint8_t *data, size_t size, const {terms.struct} *in)", "{"]
        solved = self._solved()
        if terms.message.checks:
            # what is worked out stands over what the struct holds, and the struct of the caller is not written
            lines = [f"int {terms.name}_pack(uint8_t *data, size_t size, const {terms.struct} *values)", "{"]
            lines += [f"{BODY}{terms.struct} made = *values;", f"{BODY}{terms.struct} *const in = &made;"]
        body: list[str] = []
        for one in terms.message.fields:
            short = [f"size < {one.field.places.size_needed}U"]
            conditions = [there, *short] if (there := terms.presence(one)) else short
            body += [f"if ({' && '.join(conditions)})", f"{BODY}return {terms.result('TOO_SHORT')};"]
        body += solved
        for one in terms.message.fields:
            body += self._where_there(one, write_lines(one, "in", terms.result("DOES_NOT_FIT")))
        body += self._filled()
        if not terms.message.fields:
            body += ["(void)data;", "(void)size;", "(void)in;"]
        return [*lines, *(BODY + line for line in body), f"{BODY}return {terms.result('OK')};", "}", ""]

    def _where_there(self, one: CarriedField, lines: list[str]) -> list[str]:
        there = self.terms.presence(one)
        return [f"if ({there}) {{", *(BODY + line for line in lines), "}"] if there else lines

    def _solved(self) -> list[str]:
        """Return statements that work out what equations and complements give, before anything is written."""
        lines: list[str] = []
        for check in self.terms.message.checks:
            if isinstance(check, Complement):
                one, other = self.terms.message.field(check.field), self.terms.message.field(check.of)
                mask = unsigned((1 << len(one.field.places)) - 1)
                conditions = [there for there in (self.terms.presence(one), self.terms.presence(other)) if there]
                made = [f"in->{one.raw} = {raw_of_bits(one, f'({bits_of(other)} ^ {mask})')};"]
                lines += under(conditions, made)
            elif isinstance(check, Rule) and (found := equation_of(self.terms.message, check)) is not None:
                one, steps, held = found
                lines += self._equation(one, self.steps.lines(steps.steps), held)
        return lines

    def _equation(self, one: CarriedField, steps: list[str], held: Held) -> list[str]:
        terms = self.terms
        set_it = f"{terms.name}_set_{one.name}(in, (double){held.name}) != {terms.result('OK')}"
        if not is_scaled(one) and held.kind is not Number64.FLOAT:
            # a whole number needs no rounding, which a double would do beyond 53 bits
            low, high = one.field.raw_range()
            assert held.bounds is not None, "it is whole"
            kind = c_type(held)
            beyond = [f"{held.name} < {of_type(low, kind)}"] if held.bounds[0] < low else []
            beyond += [f"{held.name} > {of_type(high, kind)}"] if held.bounds[1] > high else []
            inner = [f"if ({' || '.join(beyond)})", f"{BODY}return {terms.result('DOES_NOT_FIT')};"] if beyond else []
            inner.append(f"in->{one.raw} = ({raw_type(one)}){held.name};")
        else:
            inner = [f"if ({set_it})", f"{BODY}return {terms.result('DOES_NOT_FIT')};"]
        conditions = [there] if (there := terms.presence(one)) else []
        conditions += [] if held.always else [held.known_name]
        return ["{", *(BODY + line for line in (*steps, *under(conditions, inner))), "}"]

    def _filled(self) -> list[str]:
        """Return statements that put in what is taken over bytes, which is last since it may cover all others."""
        terms = self.terms
        lines: list[str] = []
        for check, name in zip(terms.message.checks, self.checks.names, strict=True):
            if not isinstance(check, OverBytes):
                continue
            one = terms.message.field(check.field)
            stretch, known = self.checks.stretch(check)
            call = f"{name}_taken({self.checks.arguments(check)})"
            put = [f"made.{one.raw} = {raw_of_bits(one, call)};"]
            if one.unreadable is not None:
                put += [f"if (made.{one.raw} == {unsigned(one.unreadable, one.bits)})",
                        f"{BODY}return {terms.result('DOES_NOT_FIT')};"]  # fmt: skip
            put += write_lines(one, "in", terms.result("DOES_NOT_FIT"))
            conditions = [there] if (there := terms.presence(one)) else []
            conditions += [known] if known else []
            lines += ["{", *(BODY + line for line in (*stretch, *under(conditions, put))), "}"]
        return lines

    def _count(self, counter: Counter, one: CarriedField) -> list[str]:
        terms = self.terms
        width = len(one.field.places)
        wraps = counter.wraps_at or 1 << min(width, 62)
        step = counter.step % wraps
        text = f"({bits_of(one)} % {unsigned(wraps)} + {unsigned(step)}) % {unsigned(wraps)}"
        return [f"void {terms.name}_count_{one.name}({terms.struct} *in)", "{",
                f"{BODY}in->{one.raw} = {raw_of_bits(one, f'({text})')};", "}", ""]  # fmt: skip


def _unbraced(lines: list[str]) -> list[str]:
    if lines and lines[0] == "{" and lines[-1] == "}":
        return [line.removeprefix(BODY) for line in lines[1:-1]]
    return lines
