"""Functions of whole payloads: their shape, unpacking, packing."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.applies import parse_pattern
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.fields import FieldKind
from ...layouts.model import Check, Complement, Rule
from ...layouts.places import Places
from ..carried_fields import CarriedField
from ..lowering import Number64, equation_of, is_scaled
from .expressions import StepWriter
from .numbers import assigned, bits_text, from_bits, read_text, unscaled
from .terms import BODY, Terms, function, octets_text, pieces_text, raw_dtype, spans_text, text


@dataclass(frozen=True, slots=True)
class FrameFunctions:
    """Writes the functions of whole payloads of one message."""

    terms: Terms
    steps: StepWriter

    def lines(self) -> list[str]:
        """Return the lines of all of them."""
        return [*self._accepts(), *self._unpack(), *self._pack()]

    def _accepts(self) -> list[str]:
        conditions = self._shape_conditions()
        if not conditions:
            return []
        return function(f"_{self.terms.name}_accepts", "Return which payloads are of the shape that is read.",
                              [f"return {' & '.join(conditions)}"], "struct, rows")  # fmt: skip

    def _shape_conditions(self) -> list[str]:
        applies, branch = self.terms.message.layout.applies, self.terms.message.branch
        conditions = []
        if applies.sizes:
            conditions.append(f"_within(np.int64(rows.shape[1]), {spans_text(applies.sizes)})")
        wanted, mask = parse_pattern(applies.pattern)
        if len(wanted):
            conditions.append(f"_starts(rows, {wanted.tobytes()!r}, {mask.tobytes()!r})")
        if branch is not None:
            selector = self.terms.message.field(branch.selector.id)
            held = [f"np.asarray({self.terms.holds(selector)})"] if self.terms.held_conditions(selector) else []
            conditions += [*held, f"_within(struct.{selector.raw}, {spans_text(branch.values)})"]
        return conditions

    def _unpack(self) -> list[str]:
        terms = self.terms
        zeros = [f"np.zeros(({f'count, {one.length}' if one.length else 'count,'}), np.{raw_dtype(one)})"
                 for one in terms.message.fields]  # fmt: skip
        made = f"struct = {terms.struct}({', '.join(zeros)})"
        body = ["rows, single = _rows(data)", "count, size = rows.shape", made, "short = np.zeros(count, bool)"]
        for one in terms.message.selectors_first():
            body += self._read(one)
        body.append("result = np.full(count, OK)")
        for number in reversed(range(len(terms.message.checks))):
            body.append(
                f"result[np.broadcast_to(~_{terms.name}_checks_{number}(struct, rows), (count,))] = CHECK_FAILED"
            )
        if self._shape_conditions():
            body.append(f"result[np.broadcast_to(~_{terms.name}_accepts(struct, rows), (count,))] = OTHER_SHAPE")
        body.append("result[short] = TOO_SHORT")
        ones = ", ".join(f"_one(struct.{one.raw}, single)" for one in terms.message.fields)
        body.append(f"return _one(result, single), {terms.struct}({ones})")
        said = f"Return the result and the raw numbers of {terms.message.layout.name}, of one payload or of (n, size)."
        return function(f"{terms.name}_unpack", said, body, "data")

    def _read(self, one: CarriedField) -> list[str]:
        there = self.terms.presence(one)
        present = f"np.asarray({there})" if there else "np.True_"
        needed = one.field.places.size_needed
        lines = [f"if size < {needed}:", f"{BODY}short |= {present}", "else:"]
        if one.is_number:
            read = f"({read_text(one)}).astype(np.{raw_dtype(one)})"
        else:
            read = f"_content(rows, {octets_text(one.field)}){' ^ np.uint8(255)' if one.field.inverted else ''}"
        if there:
            mask = f"{present}[:, None]" if one.length else present
            read = f"np.where({mask}, {read}, np.{raw_dtype(one)}(0))"
        return [*lines, f"{BODY}struct.{one.raw} = {read}"]

    def _pack(self) -> list[str]:
        terms = self.terms
        body = ["rows, single = _rows(data)", "rows = rows.copy()", "count, size = rows.shape"]
        made = [f"np.broadcast_to(np.asarray(struct.{one.raw}), (count, {one.length}))" if one.length else
                f"np.broadcast_to(np.asarray(struct.{one.raw}), (count,))"
                for one in terms.message.fields]  # fmt: skip
        body.append(f"struct = {terms.struct}({', '.join(made)})")
        for one in terms.message.fields:
            there = terms.presence(one)
            needed = one.field.places.size_needed
            condition = f"size < {needed}" + (f" and np.any({there})" if there else "")
            body += [
                f"if {condition}:",
                f'{BODY}raise ValueError("the payload is too short for {text(one.field.name)}")',
            ]
        for check in terms.message.checks:
            body += self._solved(check)
        for one in terms.message.fields:
            body += self._write(one)
        for number, check in enumerate(terms.message.checks):
            if isinstance(check, OverBytes):
                body += self._filled(number, check)
        body.append("return rows[0].tobytes() if single and isinstance(data, (bytes, bytearray, memoryview)) else "
                    "(rows[0] if single else rows)")  # fmt: skip
        said = (f"Return payloads with {terms.message.layout.name} put in; checks are worked out, bits of no field "
                "stay. Raises ValueError for what does not fit.")  # fmt: skip
        return function(f"{terms.name}_pack", said, body, "data, struct", quiet=True)

    def _write(self, one: CarriedField) -> list[str]:
        field, raw, there = one.field, f"struct.{one.raw}", self.terms.presence(one) or "True"
        if not one.is_number:
            flip = " ^ np.uint8(255)" if field.inverted else ""
            places = [Places(field.places.bits[k * 8 : k * 8 + 8]) for k in range(one.length)]
            lines = [f"_put(rows, {pieces_text(place)}, ({raw}[:, {k}]{flip}).astype(np.uint64), {there})"
                     for k, place in enumerate(places)]  # fmt: skip
            return self._guarded(one, lines)
        low, high = field.raw_range()
        beyond = f"~_within({raw}, ({low}, {high}))"
        if one.unreadable is not None:
            beyond = f"{beyond} & (np.asarray({raw}) != {one.unreadable})"
            there = f"{there} & (np.asarray({raw}) != {one.unreadable})" if there != "True" else (
                f"np.asarray({raw}) != {one.unreadable}"
            )  # fmt: skip
        checked = f"{there} & {beyond}" if self.terms.presence(one) else beyond
        lines = [
            f"_fit({checked}, {field.name!r})",
            f"_put(rows, {pieces_text(field.places)}, {bits_text(one, raw)}, {there})",
        ]
        return self._guarded(one, lines)

    def _guarded(self, one: CarriedField, lines: list[str]) -> list[str]:
        """Return statements that are only run where a payload has room: who is absent may lie behind its end."""
        if not self.terms.presence(one):
            return lines
        return [f"if size >= {one.field.places.size_needed}:", *(BODY + line for line in lines)]

    def _solved(self, check: Check) -> list[str]:
        """Return statements that work out what equations and complements give, before anything is written."""
        if isinstance(check, Complement):
            one, other = self.terms.message.field(check.field), self.terms.message.field(check.of)
            mask = (1 << len(one.field.places)) - 1
            bits = f"_as_bits(struct.{other.raw}, {len(one.field.places)}) ^ np.uint64({mask})"
            conditions = [there for there in (self.terms.presence(one), self.terms.presence(other)) if there]
            return [assigned(one, from_bits(one, bits), " & ".join(conditions))]
        found = equation_of(self.terms.message, check) if isinstance(check, Rule) else None
        if found is None:
            return []
        one, steps, held = found
        conditions = [there] if (there := self.terms.presence(one)) else []
        conditions += [] if held.always else [held.known_name]
        lines = self.steps.lines(steps.steps)
        if is_scaled(one) or held.kind is Number64.FLOAT:
            number = f"np.rint({unscaled(one.field, f'{held.name}.astype(np.float64)')})"
            if one.field.kind is FieldKind.FLOAT:
                number = f"_float_bits({unscaled(one.field, f'{held.name}.astype(np.float64)')}, {one.bits})"
                return [*lines, assigned(one, number, " & ".join(conditions))]
        else:
            number = held.name
        low, high = one.field.raw_range()
        top = f"{number} < {float(high + 1)!r}" if high >= 1 << 53 else f"{number} <= {high}"
        fits = f"({number} >= {low}) & ({top})"
        wrong = f"{' & '.join([*conditions, ''])}~np.asarray({fits})"
        return [*lines, f"_fit({wrong}, {one.field.name!r})", assigned(one, number, " & ".join(conditions))]

    def _filled(self, number: int, check: OverBytes) -> list[str]:
        terms = self.terms
        one = terms.message.field(check.field)
        there = terms.presence(one)
        known = f"known & {there}" if there else "known"
        lines = [f"found, known = _{terms.name}_taken_{number}(struct, rows)",
                 assigned(one, from_bits(one, "found"), known)]  # fmt: skip
        if one.unreadable is not None:
            lines.append(f"_fit({known} & (struct.{one.raw} == {one.unreadable}), {one.field.name!r})")
        return [*lines, *self._write(one)]
