"""One message as C: its struct and what is declared of it, and the functions that are defined."""

from __future__ import annotations

from dataclasses import dataclass

from ...codec.scaling import CommonScale, rounds_once
from ...layouts.applies import parse_pattern
from ...layouts.checks.counter import Counter
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.rule import Rule
from ...layouts.fields import Field, FieldKind
from ...layouts.model import Complement, RawSet
from ..carried import CarriedField, CarriedMessage, CarriedValue
from ..lowering import Held, Number64, Steps, is_scaled
from ..naming import Symbols, identifier
from .bits import read_lines, write_lines
from .checks import CheckWriter, bits_of, raw_of_bits
from .expressions import StepWriter
from .numbers import floating, of_type, raw_type, unsigned

FORMS = {
    "message": ("{}", "{}_unpack", "{}_pack", "{}_accepts", "{}_checks"),
    "field": ("{message}_{field}", "{message}_has_{field}", "{message}_set_{field}", "{message}_holds_{field}",
              "{message}_good_{field}", "{message}_count_{field}"),
}  # fmt: skip
"""The symbols that are made of a message and of each of its fields."""
_WIDEST_FACTOR = 1 << 63
_BODY = "    "


@dataclass(slots=True)
class MessageWriter:
    """Writes one message.

    Parameters
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

    # conditions

    def presence(self, one: CarriedField) -> str:
        """Return the condition on ``in`` that a field is there, empty if it always is."""
        return f"{self.has_name(one)}(in)" if one.field.selected is not None else ""

    def holds(self, one: CarriedField) -> str:
        """Return the condition on ``in`` that a field has a value: it is there, readable, available and no fault."""
        conditions = self._held_conditions(one)
        if len(conditions) < 2:
            return conditions[0] if conditions else "true"
        return f"{self.name}_holds_{one.name}(in)"

    def _held_conditions(self, one: CarriedField) -> list[str]:
        field, raw = one.field, f"in->{one.raw}"
        conditions = [there] if (there := self.presence(one)) else []
        if one.unreadable is not None:
            conditions.append(f"{raw} != {unsigned(one.unreadable, one.bits)}")
        if field.kind is FieldKind.FLOAT:
            conditions.append(f"!isnan({_float_of(one)})")
        for raws in (field.unavailable, field.errors):
            if raws:
                conditions.append(f"!({within(raws, raw, raw_type(one))})")
        return conditions

    # the header

    def declarations(self) -> list[str]:
        """Return the lines of the header."""
        layout = self.message.layout
        lines = ["", f"/* {comment(layout.name)}: {comment(layout.applies.words())}", f"   {_said_of(layout)} */"]
        lines += self._constants()
        lines += [f"{self.struct} {{"]
        lines += [f"{_BODY}{self._member(one)}" for one in self.message.fields] or [f"{_BODY}uint8_t nothing;"]
        lines += ["};", ""]
        lines += [
            f"int {self.name}_unpack({self.struct} *out, const uint8_t *data, size_t size);",
            f"int {self.name}_pack(uint8_t *data, size_t size, const {self.struct} *in);",
        ]
        for one in self.message.fields:
            if one.field.selected is not None:
                lines.append(f"bool {self.has_name(one)}(const {self.struct} *in);")
            if one.is_number:
                lines.append(f"double {self.value_name(one)}(const {self.struct} *in);")
                if self.can_be_set(one):
                    lines.append(f"int {self.name}_set_{one.name}({self.struct} *out, double value);")
                if _has_limits(one.field):
                    lines.append(f"bool {self.name}_good_{one.name}(const {self.struct} *in);")
        lines += [f"double {self.value_name(one)}(const {self.struct} *in, size_t size);" for one in self._sized()]
        lines += [f"double {self.value_name(one)}(const {self.struct} *in);" for one in self._unsized()]
        lines += [f"void {self.name}_count_{one.name}({self.struct} *in);" for _, one in self._counters()]
        return lines

    def _member(self, one: CarriedField) -> str:
        array = f"[{one.length}]" if not one.is_number else ""
        unit = f", {one.field.unit}" if one.field.unit else ""
        return (
            f"{raw_type(one)} {one.raw}{array}; /* {comment(one.field.name)}: {_read_as(one.field)}{comment(unit)} */"
        )

    def _constants(self) -> list[str]:
        """Return sizes, limits and named values; values beyond int cannot be enumerators in C99."""
        taken = Symbols()
        upper = self.name.upper()
        lines = [f"#define {upper}_SIZE {self.message.size_of_all}U"]
        if self.message.layout.applies.is_for_one_address:
            lines.append(f"#define {upper}_ADDRESS {unsigned(self.message.address)}")
        for one in self.numbers:
            for word, limit in (("LOW", one.field.low), ("HIGH", one.field.high)):
                if limit is not None:
                    lines.append(f"#define {upper}_{one.name.upper()}_{word} {floating(limit)}")
            for named in one.field.names:
                label = taken.give(f"{upper}_{one.name}_{identifier(named.label)}".upper(), one.field.id)
                if one.field.kind is FieldKind.BITS:
                    lines.append(f"#define {label} {unsigned(1 << named.raw, one.bits)}")
                    continue
                ends = (("", named.raw),) if named.to is None else (("_FROM", named.raw), ("_TO", named.last))
                lines += [f"#define {label}{end} {of_type(number, raw_type(one))}" for end, number in ends]
        return lines

    # the source

    def definitions(self) -> list[str]:
        """Return the lines of the source."""
        steps = StepWriter(self.value_name, self.holds)
        names = tuple(f"{self.name}_checks_{number}" for number in range(len(self.message.checks)))
        presence = {one.name: self.presence(one) for one in self.message.fields}
        checks = CheckWriter(self.message, self.struct, names, steps, presence)
        lines = ["", f"/* {comment(self.message.layout.name)} */", ""]
        for one in self.message.selectors_first():
            lines += self._field_functions(one)
        lines += self._computed_functions(steps)
        lines += checks.functions()
        body = [*self._accepts(), *self._unpack(names), *self._pack(checks, steps)]
        for counter, one in self._counters():
            body += self._count(counter, one)
        return [*lines, *body]

    def _field_functions(self, one: CarriedField) -> list[str]:
        lines: list[str] = []
        if one.field.selected is not None:
            selector = self.message.field(one.field.selected.field)
            inside = within(one.field.selected.values, f"in->{selector.raw}", raw_type(selector))
            conditions = [self.holds(selector)] if self._held_conditions(selector) else []
            lines += self._function("bool", self.has_name(one), [f"return {' && '.join([*conditions, inside])};"])
        if not one.is_number:
            return lines
        if len(held := self._held_conditions(one)) > 1:
            lines += self._function(
                "bool", f"{self.name}_holds_{one.name}", [f"return {' && '.join(held)};"], static=True
            )
        lines += self._function("double", self.value_name(one), self._value(one))
        if self.can_be_set(one):
            lines += self._setter(one)
        if _has_limits(one.field):
            lines += self._function("bool", f"{self.name}_good_{one.name}", self._good(one))
        return lines

    def _function(self, kind: str, name: str, body: list[str], *, static: bool = False, more: str = "") -> list[str]:
        head = f"{'static ' if static else ''}{kind} {name}(const {self.struct} *in{more})"
        text = "\n".join(body)
        unused = [] if "in->" in text or "(in)" in text else ["(void)in;"]
        return [head, "{", *(_BODY + line for line in (*unused, *body)), "}", ""]

    def _value(self, one: CarriedField) -> list[str]:
        lines = []
        if self._held_conditions(one):
            held = self.holds(one)
            is_call = held.endswith("(in)") and not held.startswith("!")
            lines += [f"if (!{held if is_call else f'({held})'})", f"{_BODY}return (double)NAN;"]
        return [*lines, *_value_lines(one)]

    def _good(self, one: CarriedField) -> list[str]:
        lines = [f"const double value = {self.value_name(one)}(in);"]
        limits = []
        # the limits of whole numbers are met by the raw number, which a double may not hold
        for limit, sign in ((one.field.low, ">="), (one.field.high, "<=")):
            if limit is not None:
                limits.append(f"value {sign} {floating(limit)}")
        return [*lines, f"return {' && '.join(limits)};"]

    def can_be_set(self, one: CarriedField) -> bool:
        """Return whether a value can be put in: along a curve several raw numbers may have it."""
        return one.is_number and not one.field.is_curved

    def _setter(self, one: CarriedField) -> list[str]:
        field = one.field
        refuse = [f"{_BODY}return {self.result('DOES_NOT_FIT')};"]
        head = [f"int {self.name}_set_{one.name}({self.struct} *out, double value)", "{"]
        if field.kind is FieldKind.FLOAT:
            kind = {16: "half", 32: "single", 64: "double"}[one.bits]
            scaled = _unscaled_float(field)
            body = [
                f"const double number = {scaled};", f"const uint64_t bits = {kind}_bits(number);",
                f"if (!isfinite({kind}_float(bits)))", *refuse, f"out->{one.raw} = ({raw_type(one)})bits;",
            ]  # fmt: skip
            return [*head, *(_BODY + line for line in body), f"{_BODY}return {self.result('OK')};", "}", ""]
        low, high = field.raw_range()
        above = f"about > {floating(high)}" if high < 1 << 53 else f"about >= {floating(high + 1)}"
        body = [
            f"const double about = rint({_unscaled(field)});",
            f"if (isnan(about) || about < {floating(low)} || {above})", *refuse,
            f"out->{one.raw} = ({raw_type(one)})about;",
        ]  # fmt: skip
        return [*head, *(_BODY + line for line in body), f"{_BODY}return {self.result('OK')};", "}", ""]

    def _computed_steps(self, until: CarriedValue | None = None) -> list[tuple[CarriedValue, Steps, Held]]:
        made: list[tuple[CarriedValue, Steps, Held]] = []
        known: dict[str, Held] = {}
        for number, one in enumerate(self.message.computed):
            steps = Steps(self.message, f"c{number}_", known)
            held = steps.lower(one.value.expression)
            made.append((one, steps, held))
            known = {**known, one.value.name: held}
            if one is until:
                break
        return made

    def _sized(self) -> list[CarriedValue]:
        """Return the computed values that the size of the frame goes into."""
        return [one for one in self.message.computed if self._takes_size(one)]

    def _unsized(self) -> list[CarriedValue]:
        return [one for one in self.message.computed if not self._takes_size(one)]

    def _takes_size(self, one: CarriedValue) -> bool:
        return any(step.operation == "size" for _, steps, _ in self._computed_steps(one) for step in steps.steps)

    def _computed_functions(self, writer: StepWriter) -> list[str]:
        lines: list[str] = []
        for one in self.message.computed:
            body: list[str] = []
            for other, steps, held in self._computed_steps(one):
                body += writer.lines(steps.steps)
                if other is one:
                    break
                body.append(f"const {_c_type(held)} computed_{other.name} = {held.name};")
                if not held.always:
                    body.append(f"const bool computed_{other.name}_known = {held.known_name};")
            value = f"(double){held.name}" if held.kind is not Number64.FLOAT else held.name
            body.append(f"return {value if held.always else f'{held.known_name} ? {value} : (double)NAN'};")
            more = ", size_t size" if self._takes_size(one) else ""
            lines += self._function("double", self.value_name(one), _without_unused(body), more=more)
        return lines

    def _accepts(self) -> list[str]:
        """Return the function that says whether a payload is of the shape that the layout reads."""
        conditions = self._shape_conditions()
        if not conditions:
            return []
        body = [f"{_BODY}return {(chr(10) + _BODY * 2 + '&& ').join(conditions)};"]
        text = "\n".join(body)
        unused = [f"{_BODY}(void){word};" for word in ("data", "size") if word not in text]
        if "(in)" not in text and "in->" not in text:
            unused.append(f"{_BODY}(void)in;")
        return [f"static bool {self.name}_accepts(const {self.struct} *in, const uint8_t *data, size_t size)", "{",
                *unused, *body, "}", ""]  # fmt: skip

    def _shape_conditions(self) -> list[str]:
        applies, branch = self.message.layout.applies, self.message.branch
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
            selector = self.message.field(branch.selector.id)
            held = [self.holds(selector)] if self._held_conditions(selector) else []
            conditions += [*held, f"({within(branch.values, f'in->{selector.raw}', raw_type(selector))})"]
        return conditions

    def _unpack(self, checks: tuple[str, ...]) -> list[str]:
        lines = [f"int {self.name}_unpack({self.struct} *out, const uint8_t *data, size_t size)", "{"]
        body = ["bool is_short = false;", "memset(out, 0, sizeof *out);"]
        for one in self.message.selectors_first():
            fits = f"size < {one.field.places.size_needed}U"
            inner = [f"if ({fits}) {{", f"{_BODY}is_short = true;", "} else {",
                     *(_BODY + line for line in _unbraced(read_lines(one))), "}"]  # fmt: skip
            if there := self.presence(one):
                inner = [f"if ({there.replace('(in)', '(out)')}) {{", *(_BODY + line for line in inner), "}"]
            body += inner
        if not self.message.fields:
            body += ["(void)data;", "(void)size;"]
        body += ["if (is_short)", f"{_BODY}return {self.result('TOO_SHORT')};"]
        if self._shape_conditions():
            body += [f"if (!{self.name}_accepts(out, data, size))", f"{_BODY}return {self.result('OTHER_SHAPE')};"]
        for name in checks:
            body += [f"if (!{name}(out, data, size))", f"{_BODY}return {self.result('CHECK_FAILED')};"]
        body.append(f"return {self.result('OK')};")
        return [*lines, *(_BODY + line for line in body), "}", ""]

    def _pack(self, checks: CheckWriter, writer: StepWriter) -> list[str]:
        lines = [f"int {self.name}_pack(uint8_t *data, size_t size, const {self.struct} *in)", "{"]
        solved = self._solved(checks, writer)
        if self.message.checks:
            # what is worked out stands over what the struct holds, and the struct of the caller is not written
            lines = [f"int {self.name}_pack(uint8_t *data, size_t size, const {self.struct} *values)", "{"]
            lines += [f"{_BODY}{self.struct} made = *values;", f"{_BODY}{self.struct} *const in = &made;"]
        body: list[str] = []
        for one in self.message.fields:
            short = [f"size < {one.field.places.size_needed}U"]
            conditions = [there, *short] if (there := self.presence(one)) else short
            body += [f"if ({' && '.join(conditions)})", f"{_BODY}return {self.result('TOO_SHORT')};"]
        body += solved
        for one in self.message.fields:
            body += self._where_there(one, write_lines(one, "in", self.result("DOES_NOT_FIT")))
        body += self._filled(checks)
        if not self.message.fields:
            body += ["(void)data;", "(void)size;", "(void)in;"]
        return [*lines, *(_BODY + line for line in body), f"{_BODY}return {self.result('OK')};", "}", ""]

    def _where_there(self, one: CarriedField, lines: list[str]) -> list[str]:
        there = self.presence(one)
        return [f"if ({there}) {{", *(_BODY + line for line in lines), "}"] if there else lines

    def _solved(self, checks: CheckWriter, writer: StepWriter) -> list[str]:
        """Return statements that work out what equations and complements give, before anything is written."""
        lines: list[str] = []
        for check in self.message.checks:
            if isinstance(check, Complement):
                one, other = self.message.field(check.field), self.message.field(check.of)
                mask = unsigned((1 << len(one.field.places)) - 1)
                conditions = [there for there in (self.presence(one), self.presence(other)) if there]
                made = [f"in->{one.raw} = {raw_of_bits(one, f'({bits_of(other)} ^ {mask})')};"]
                lines += _under(conditions, made)
            elif isinstance(check, Rule) and (found := checks.solved(check)) is not None:
                one, steps, held = found
                if self.can_be_set(one):
                    lines += self._equation(one, writer.lines(steps.steps), held)
        return lines

    def _equation(self, one: CarriedField, steps: list[str], held: Held) -> list[str]:
        set_it = f"{self.name}_set_{one.name}(in, (double){held.name}) != {self.result('OK')}"
        if not is_scaled(one) and held.kind is not Number64.FLOAT:
            # a whole number needs no rounding, which a double would do beyond 53 bits
            low, high = one.field.raw_range()
            assert held.bounds is not None, "it is whole"
            kind = _c_type(held)
            beyond = [f"{held.name} < {of_type(low, kind)}"] if held.bounds[0] < low else []
            beyond += [f"{held.name} > {of_type(high, kind)}"] if held.bounds[1] > high else []
            inner = [f"if ({' || '.join(beyond)})", f"{_BODY}return {self.result('DOES_NOT_FIT')};"] if beyond else []
            inner.append(f"in->{one.raw} = ({raw_type(one)}){held.name};")
        else:
            inner = [f"if ({set_it})", f"{_BODY}return {self.result('DOES_NOT_FIT')};"]
        conditions = [there] if (there := self.presence(one)) else []
        conditions += [] if held.always else [held.known_name]
        return ["{", *(_BODY + line for line in (*steps, *_under(conditions, inner))), "}"]

    def _filled(self, checks: CheckWriter) -> list[str]:
        """Return statements that put in what is taken over bytes, which is last since it may cover all others."""
        lines: list[str] = []
        for check, name in zip(self.message.checks, checks.names, strict=True):
            if not isinstance(check, OverBytes):
                continue
            one = self.message.field(check.field)
            stretch, known = checks.stretch(check)
            call = f"{name}_taken({checks.arguments(check)})"
            put = [f"made.{one.raw} = {raw_of_bits(one, call)};"]
            if one.unreadable is not None:
                put += [f"if (made.{one.raw} == {unsigned(one.unreadable, one.bits)})",
                        f"{_BODY}return {self.result('DOES_NOT_FIT')};"]  # fmt: skip
            put += write_lines(one, "in", self.result("DOES_NOT_FIT"))
            conditions = [there] if (there := self.presence(one)) else []
            conditions += [known] if known else []
            lines += ["{", *(_BODY + line for line in (*stretch, *_under(conditions, put))), "}"]
        return lines

    def _counters(self) -> list[tuple[Counter, CarriedField]]:
        counters = [check for check in self.message.layout.checks if isinstance(check, Counter)]
        return [(one, self.message.field(one.field)) for one in counters if self.message.field(one.field).is_number]

    def _count(self, counter: Counter, one: CarriedField) -> list[str]:
        width = len(one.field.places)
        wraps = counter.wraps_at or 1 << min(width, 62)
        step = counter.step % wraps
        text = f"({bits_of(one)} % {unsigned(wraps)} + {unsigned(step)}) % {unsigned(wraps)}"
        return [f"void {self.name}_count_{one.name}({self.struct} *in)", "{",
                f"{_BODY}in->{one.raw} = {raw_of_bits(one, f'({text})')};", "}", ""]  # fmt: skip


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


def _said_of(layout) -> str:  # type: ignore[no-untyped-def]
    sender = f", sent by {comment(layout.sender)}" if layout.sender else ""
    note = f" {comment(layout.note).rstrip('.')}." if layout.note else ""
    return f"{layout.size} bytes{sender}.{note}"


def _read_as(field: Field) -> str:
    scale = "" if (field.ratio, field.offset) == (1, 0) else f" times {field.ratio}"
    offset = f" plus {field.offset}" if field.offset else ""
    return f"{field.kind.words}, {field.places}{scale}{offset}"


def _has_limits(field: Field) -> bool:
    return field.low is not None or field.high is not None


def _float_of(one: CarriedField) -> str:
    kind = {16: "half", 32: "single", 64: "double"}[one.bits]
    return f"{kind}_float((uint64_t)in->{one.raw})"


def _value_lines(one: CarriedField) -> list[str]:
    field = one.field
    if field.kind is FieldKind.FLOAT:
        text = _float_of(one)
        if (field.ratio, field.offset) != (1, 0):
            text = f"{text} * {floating(field.ratio)} + {floating(field.offset)}"
    else:
        text = _scaled_text(one, f"in->{one.raw}", raw_type(one))
    if not field.is_curved:
        return [f"return {text};"]
    return [f"const double x = {text};", *_curve_lines(field)]


def _curve_lines(field: Field) -> list[str]:
    if field.polynomial:
        # in the order in which decoding adds
        total = floating(field.polynomial[-1])
        total = f"{total} + x * 0.0" if len(field.polynomial) == 1 else total
        for coefficient in reversed(field.polynomial[:-1]):
            total = f"{floating(coefficient)} + ({total}) * x"
        return [f"return {total};"]
    xs = ", ".join(floating(corner.x) for corner in field.table)
    ys = ", ".join(floating(corner.y) for corner in field.table)
    count = len(field.table)
    return [f"static const double xs[{count}] = {{{xs}}};", f"static const double ys[{count}] = {{{ys}}};",
            f"return along_table(x, xs, ys, {count}U);"]  # fmt: skip


def _scaled_text(one: CarriedField, raw: str, kind: str) -> str:
    """Return an expression for the nearest double of a raw number, scaled."""
    field = one.field
    if (field.ratio, field.offset) == (1, 0):
        return f"(double){raw}"
    scale = CommonScale.of(field.ratio, field.offset)
    if rounds_once(field):
        text = f"(double){raw}"
        text = text if scale.times == 1 else f"{text} * {floating(scale.times)}"
        text = text if not scale.plus else f"{text} + {floating(scale.plus)}"
        return text if scale.over == 1 else f"({text}) / {floating(scale.over)}"
    if max(abs(scale.times), abs(scale.plus), scale.over) < _WIDEST_FACTOR:
        size, sign = f"(uint64_t){raw}", "false"
        if not kind.startswith("u"):
            size, sign = f"({raw} < 0 ? 0U - (uint64_t){raw} : (uint64_t){raw})", f"{raw} < 0"
        sign = sign if scale.times > 0 else {"false": f"{raw} != 0"}.get(sign, f"{raw} > 0")
        from .numbers import signed

        return (
            f"nearest_ratio({size}, {sign}, {unsigned(abs(scale.times))}, {signed(scale.plus)}, {unsigned(scale.over)})"
        )
    # factors of more than 63 bits: within a few units in the last place
    return f"(double){raw} * {floating(field.ratio)} + {floating(field.offset)}"


def _unscaled(field: Field) -> str:
    text = "value"
    if field.offset:
        text = f"({text} - {floating(field.offset)})"
    ratio = field.ratio
    if ratio.denominator != 1:
        text = f"{text} * {floating(ratio.denominator)}"
    return text if ratio.numerator == 1 else f"{text} / {floating(ratio.numerator)}"


def _unscaled_float(field: Field) -> str:
    text = f"(value - {floating(field.offset)})" if field.offset else "value"
    return f"{text} / {floating(field.ratio)}" if field.ratio != 1 else text


def _c_type(held: Held) -> str:
    return {Number64.SIGNED: "int64_t", Number64.UNSIGNED: "uint64_t", Number64.FLOAT: "double"}[held.kind]


def _under(conditions: list[str], lines: list[str]) -> list[str]:
    return [f"if ({' && '.join(conditions)}) {{", *(_BODY + line for line in lines), "}"] if conditions else lines


def _unbraced(lines: list[str]) -> list[str]:
    if lines and lines[0] == "{" and lines[-1] == "}":
        return [line.removeprefix(_BODY) for line in lines[1:-1]]
    return lines


def _without_unused(lines: list[str]) -> list[str]:
    """Return statements without constants that nothing behind them names."""
    import re

    kept: list[str] = []
    for line in reversed(lines):
        match = re.match(r"const \w+ (\w+) = ", line)
        if match is None or any(re.search(rf"\b{match[1]}\b", other) for other in kept):
            kept.append(line)
    return kept[::-1]
