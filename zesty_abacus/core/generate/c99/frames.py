"""Functions of whole frames: their shape, unpacking, packing, counting on."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.applies import parse_pattern
from ...layouts.checks.counter import Counter
from ..carried_fields import CarriedField
from .bits import read_lines, write_lines
from .checks import CheckWriter, bits_of, raw_of_bits
from .expressions import StepWriter
from .numbers import raw_type, unsigned
from .terms import BODY, Terms, within
from .worked_out import WorkedOut


@dataclass(frozen=True, slots=True)
class FrameFunctions:
    """Writes the functions of whole frames of one message.

    Attributes
    ----------
    rounds
        How often a frame that moves is written until what is worked out stands everywhere.
    """

    terms: Terms
    steps: StepWriter
    checks: CheckWriter
    rounds: int

    def lines(self) -> list[str]:
        """Return the lines of all of them."""
        if self.terms.message.moves:
            made = [*self._accepts(), *self._unpack_moving(), *self._pack_moving()]
        else:
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

    def _unpack_moving(self) -> list[str]:
        terms = self.terms
        ok, failed = terms.result("OK"), terms.result("CHECK_FAILED")
        body = ["size_t at = 0U;", "int came;", "memset(out, 0, sizeof *out);",
                f"came = {terms.name}_read(out, data, 0U, size, &at);", f"if (came != {ok} && came != {failed})",
                f"{BODY}return came;", *self._shape_asked()]  # fmt: skip
        own = {check.id for check in terms.message.layout.checks}
        for check, name in zip(terms.message.checks, self.checks.names, strict=True):
            if check.id in own:
                body += [f"if (!{name}(out, data, size))", f"{BODY}return {failed};"]
        body.append("return came;")
        return [f"int {terms.name}_unpack({terms.struct} *out, const uint8_t *data, size_t size)", "{",
                *(BODY + line for line in body), "}", ""]  # fmt: skip

    def _shape_asked(self) -> list[str]:
        if not self._shape_conditions():
            return []
        return [f"if (!{self.terms.name}_accepts(out, data, size))",
                f"{BODY}return {self.terms.result('OTHER_SHAPE')};"]  # fmt: skip

    def _pack_moving(self) -> list[str]:
        terms = self.terms
        ok = terms.result("OK")
        once = ["*used = 0U;", f"came = {terms.name}_write(data, 0U, size, used, in);"]
        body = ["int came;", *once, "return came;"]
        if self.rounds > 1:
            # what is worked out last stands in front, in characters that others are counted by
            body = [f"int came = {ok};", "unsigned round;",
                    f"for (round = 0U; round < {self.rounds}U && came == {ok}; round++) {{",
                    *(BODY + line for line in once), "}", "return came;"]  # fmt: skip
        head = f"int {terms.name}_pack(uint8_t *data, size_t size, size_t *used, {terms.struct} *in)"
        return [head, "{", *(BODY + line for line in body), "}", ""]

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
        body += ["if (is_short)", f"{BODY}return {terms.short};"]
        body += self._shape_asked()
        for name in self.checks.names:
            body += [f"if (!{name}(out, data, size))", f"{BODY}return {terms.result('CHECK_FAILED')};"]
        body.append(f"return {terms.result('OK')};")
        return [*lines, *(BODY + line for line in body), "}", ""]

    def _pack(self) -> list[str]:
        terms = self.terms
        lines = [f"int {terms.name}_pack(uint8_t *data, size_t size, const {terms.struct} *in)", "{"]
        worked_out = WorkedOut(terms, self.checks)
        solved = worked_out.solved(self.steps, terms.message.checks)
        if terms.message.checks:
            # what is worked out stands over what the struct holds, and the struct of the caller is not written
            lines = [f"int {terms.name}_pack(uint8_t *data, size_t size, const {terms.struct} *values)", "{"]
            lines += [f"{BODY}{terms.struct} made = *values;", f"{BODY}{terms.struct} *const in = &made;"]
        body: list[str] = []
        for one in terms.message.fields:
            short = [f"size < {one.field.places.size_needed}U"]
            conditions = [there, *short] if (there := terms.presence(one)) else short
            body += [f"if ({' && '.join(conditions)})", f"{BODY}return {terms.short};"]
        body += solved
        for one in terms.message.fields:
            body += self._where_there(one, write_lines(one, "in", terms.unfit))
        body += worked_out.filled(terms.message.checks)
        if not terms.message.fields:
            body += ["(void)data;", "(void)size;", "(void)in;"]
        return [*lines, *(BODY + line for line in body), f"{BODY}return {terms.result('OK')};", "}", ""]

    def _where_there(self, one: CarriedField, lines: list[str]) -> list[str]:
        there = self.terms.presence(one)
        return [f"if ({there}) {{", *(BODY + line for line in lines), "}"] if there else lines

    def _count(self, counter: Counter, one: CarriedField) -> list[str]:
        terms = self.terms
        width = one.width
        wraps = counter.wraps_at or 1 << min(width, 62)
        step = counter.step % wraps
        text = f"({bits_of(one)} % {unsigned(wraps)} + {unsigned(step)}) % {unsigned(wraps)}"
        return [f"void {terms.name}_count_{one.name}({terms.struct} *in)", "{",
                f"{BODY}in->{one.raw} = {raw_of_bits(one, f'({text})')};", "}", ""]  # fmt: skip


def _unbraced(lines: list[str]) -> list[str]:
    if lines and lines[0] == "{" and lines[-1] == "}":
        return [line.removeprefix(BODY) for line in lines[1:-1]]
    return lines
