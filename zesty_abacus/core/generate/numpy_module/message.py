"""One message as Python: a dataclass, and functions over single payloads or arrays of them."""

from __future__ import annotations

from dataclasses import dataclass

from ...codec.scaling import CommonScale, rounds_once
from ...expressions.tree import Call, Name
from ...layouts.applies import parse_pattern
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.sum import Carry
from ...layouts.fields import FieldKind
from ...layouts.model import Check, Complement, Coverage, Crc, Field, RawSet, Rule, Sum, Xor
from ...layouts.places import Places
from ..carried import CarriedField, CarriedMessage, CarriedValue, constant_before
from ..lowering import Held, Number64, Steps, is_scaled
from ..pieces import pieces_of
from .expressions import StepWriter

FORMS = {
    "message": ("{}_unpack", "{}_pack", "_{}_accepts", "_{}_checks"),
    "field": ("{message}_{field}", "{message}_has_{field}", "_{message}_holds_{field}", "{message}_set_{field}"),
}  # fmt: skip
"""The symbols that are made of a message and of each of its fields."""
_BODY = "    "
_IGNORING = '@np.errstate(all="ignore")'


def raw_dtype(one: CarriedField) -> str:
    """Return the type of a raw number, or of a letter of text and raw bytes, as NumPy calls it."""
    return f"{'int' if one.field.is_signed else 'uint'}{one.bits}" if one.is_number else "uint8"


@dataclass(slots=True)
class MessageWriter:
    """Writes one message."""

    message: CarriedMessage

    @property
    def name(self) -> str:
        """The message's own prefix: ``motion``."""
        return self.message.name

    @property
    def struct(self) -> str:
        """The name of its dataclass: ``Motion``."""
        return "".join(word[:1].upper() + word[1:] for word in self.name.split("_"))

    def value_name(self, one: CarriedField | CarriedValue) -> str:
        """Return the function that gives a value."""
        return f"{self.name}_{one.name}"

    def has_name(self, one: CarriedField) -> str:
        """Return the function that says whether a field is there."""
        return f"{self.name}_has_{one.name}"

    def presence(self, one: CarriedField) -> str:
        """Return the condition on ``struct`` that a field is there, empty if it always is."""
        return f"{self.has_name(one)}(struct)" if one.field.selected is not None else ""

    def holds(self, one: CarriedField) -> str:
        """Return the condition on ``struct`` that a field has a value."""
        conditions = self._held_conditions(one)
        if len(conditions) < 2:
            return conditions[0] if conditions else "np.True_"
        return f"_{self.name}_holds_{one.name}(struct)"

    def _held_conditions(self, one: CarriedField) -> list[str]:
        field, raw = one.field, f"struct.{one.raw}"
        conditions = [there] if (there := self.presence(one)) else []
        if one.unreadable is not None:
            conditions.append(f"(np.asarray({raw}) != {one.unreadable})")
        if field.kind is FieldKind.FLOAT:
            conditions.append(f"~np.isnan(_float({raw}, {one.bits}))")
        for raws in (field.unavailable, field.errors):
            if raws:
                conditions.append(f"~_within({raw}, {_spans(raws)})")
        return conditions

    def lines(self) -> list[str]:
        """Return all lines of the message."""
        steps = StepWriter(lambda one: f"{self.value_name(one)}(struct)", self.holds)
        lines = [*self._dataclass(), *self._names()]
        for one in self.message.selectors_first():
            lines += self._field_functions(one)
        lines += self._computed_functions(steps)
        for number, check in enumerate(self.message.checks):
            lines += self._check(number, check, steps)
        return [*lines, *self._accepts(), *self._unpack(), *self._pack(steps)]

    def _dataclass(self) -> list[str]:
        layout = self.message.layout
        sender = f", sent by {layout.sender}" if layout.sender else ""
        note = f" {layout.note.rstrip('.')}." if layout.note else ""
        said = docstring(f"{layout.name}: {layout.applies.words()}, {layout.size} bytes{sender}.{note}")
        members = [f"{_BODY}{one.raw}: Any  # {raw_dtype(one)}{f'[{one.length}]' if one.length else ''}, "
                   f"{comment(_read_as(one.field))}" for one in self.message.fields]  # fmt: skip
        return ["", "", "@dataclass", f"class {self.struct}:", f'{_BODY}"""{said}"""', "", *members]

    def _names(self) -> list[str]:
        """Return the names of raw values as a table a field."""
        lines: list[str] = []
        for one in self.message.fields:
            if one.field.names:
                pairs = ", ".join(
                    f"{f'({n.raw}, {n.last})' if n.to is not None else n.raw}: {n.label!r}" for n in one.field.names
                )
                lines.append(f"{self.name}_{one.name}_names".upper() + f" = {{{pairs}}}")
        return ["", "", *lines] if lines else []

    def _function(
        self, name: str, said: str, body: list[str], arguments: str = "struct", *, quiet: bool = False
    ) -> list[str]:
        head = [_IGNORING] if quiet else []
        text = [f'{_BODY}"""{docstring(said)}"""'] if said else []
        return ["", "", *head, f"def {name}({arguments}):", *text, *(_BODY + line for line in body)]

    def _field_functions(self, one: CarriedField) -> list[str]:
        lines: list[str] = []
        field = one.field
        if field.selected is not None:
            selector = self.message.field(field.selected.field)
            inside = f"_within(struct.{selector.raw}, {_spans(field.selected.values)})"
            conditions = [self.holds(selector)] if self._held_conditions(selector) else []
            lines += self._function(
                self.has_name(one), f"Return whether {field.name} is there.",
                [f"return _plain({' & '.join([*conditions, inside])})"],
            )  # fmt: skip
        if not one.is_number:
            return lines
        if len(held := self._held_conditions(one)) > 1:
            lines += self._function(f"_{self.name}_holds_{one.name}", "", [f"return {' & '.join(held)}"])
        unit = f" in {field.unit}" if field.unit else ""
        value = _value_text(one)
        if self._held_conditions(one):
            value = f"np.where({self.holds(one)}, {value}, np.nan)"
        return lines + self._function(
            self.value_name(one), f"Return {field.name}{unit}, NaN where there is none.",
            [f"return _plain({value})"], quiet=True,
        )  # fmt: skip

    def _computed_functions(self, writer: StepWriter) -> list[str]:
        lines: list[str] = []
        for one in self.message.computed:
            body: list[str] = []
            known: dict[str, Held] = {}
            for number, other in enumerate(self.message.computed_for(one)):
                steps = Steps(self.message, f"c{number}_", dict(known))
                held = known[other.value.name] = steps.lower(other.value.expression)
                body += [*writer.lines(steps.steps), f"computed_{other.name} = {held.name}"]
                if not held.always:
                    body.append(f"computed_{other.name}_known = {held.known_name}")
            held = known[one.value.name]
            value = f"{held.name}.astype(np.float64)"
            body.append(f"return _plain({value if held.always else f'np.where({held.known_name}, {value}, np.nan)'})")
            arguments = "struct, size" if self.message.takes_size(one) else "struct"
            lines += self._function(self.value_name(one), f"Return {one.value.name}: {one.value.expression}.", body,
                                    arguments, quiet=True)  # fmt: skip
        return lines

    # checks

    def _check(self, number: int, check: Check, writer: StepWriter) -> list[str]:
        """Return the function that says in which frames a check agrees, or cannot be made."""
        body = self._agreement(number, check, writer)
        lines = self._taken(number, check, writer) if isinstance(check, OverBytes) else []
        said = f"Return where {check.name} ({check.words()}) agrees, or cannot be made."
        return lines + self._function(
            f"_{self.name}_checks_{number}", said, body, "struct, rows", quiet=True
        )  # fmt: skip

    def _agreement(self, number: int, check: Check, writer: StepWriter) -> list[str]:
        if isinstance(check, Rule):
            steps = Steps(self.message)
            held = steps.lower(check.expression)
            agrees = f"({held.name} != 0)"
            text = agrees if held.always else f"~np.asarray({held.known_name}) | {agrees}"
            return ["size = rows.shape[1]", *writer.lines(steps.steps), f"return {text}"]
        if isinstance(check, Complement):
            one, other = self.message.field(check.field), self.message.field(check.of)
            width = len(one.field.places)
            agrees = (
                f"(_as_bits(struct.{one.raw}, {width}) ^ _as_bits(struct.{other.raw}, {width})) == {(1 << width) - 1}"
            )
            return [f"return {self._or_absent(agrees, one, other)}"]
        assert isinstance(check, OverBytes), "there are no others"
        one = self.message.field(check.field)
        width = len(one.field.places)
        agrees = f"~known | (found & np.uint64({(1 << width) - 1}) == _as_bits(struct.{one.raw}, {width}))"
        return [f"found, known = _{self.name}_taken_{number}(struct, rows)", f"return {self._or_absent(agrees, one)}"]

    def _or_absent(self, agrees: str, *fields: CarriedField) -> str:
        conditions = [there for one in fields if (there := self.presence(one))]
        return f"~np.asarray({' & '.join(conditions)}) | ({agrees})" if conditions else agrees

    def _taken(self, number: int, check: OverBytes, writer: StepWriter) -> list[str]:
        """Return the function that works a check out: its number, and where a frame holds all of its bytes."""
        coverage = check.coverage
        own = self.message.field(check.field).field.places.bits
        body = ["size = rows.shape[1]"]
        if coverage.places is not None:
            needed = coverage.places.size_needed
            body += [f"if size < {needed}:", f"{_BODY}return np.zeros(len(rows), np.uint64), np.zeros(len(rows), bool)",
                     "known = np.ones(len(rows), bool)"]  # fmt: skip
            stretch = f"({', '.join(map(str, coverage.places.bits))},)"
        else:
            body += self._stretch(coverage, writer)
            stretch = "(first, end)"
        octets = f"_covered(rows, {stretch}, {_tuple(own)}, {constant_before(coverage, self.message.address)!r}, "
        octets += f"{bytes.fromhex(coverage.key_after)!r})"
        body += [f"octets = {octets}", f"return {_working(check, len(own))}, known"]
        return self._function(f"_{self.name}_taken_{number}", "", body, "struct, rows", quiet=True)

    def _stretch(self, coverage: Coverage, writer: StepWriter) -> list[str]:
        first, end = Steps(self.message, "f"), Steps(self.message, "e")
        begins, stops = first.lower(coverage.first), end.lower(coverage.end)
        lines = [*writer.lines(first.steps), *writer.lines(end.steps), "nothing = np.zeros(len(rows), np.int64)"]
        for word, held in (("first", begins), ("end", stops)):
            lines.append(f"{word} = _whole({held.name}, {'True' if held.always else held.known_name}) + nothing")
        known = [f"np.asarray({one.known_name})" for one in (begins, stops) if not one.always]
        lines.append(f"known = {' & '.join([*known, '(first >= 0) & (first <= end) & (end <= size)'])}")
        return [*lines, "first, end = np.where(known, first, 0), np.where(known, end, 0)"]

    # unpacking and packing

    def _accepts(self) -> list[str]:
        conditions = self._shape_conditions()
        if not conditions:
            return []
        return self._function(f"_{self.name}_accepts", "Return which payloads are of the shape that is read.",
                              [f"return {' & '.join(conditions)}"], "struct, rows")  # fmt: skip

    def _shape_conditions(self) -> list[str]:
        applies, branch = self.message.layout.applies, self.message.branch
        conditions = []
        if applies.sizes:
            conditions.append(f"_within(np.int64(rows.shape[1]), {_spans(applies.sizes)})")
        wanted, mask = parse_pattern(applies.pattern)
        if len(wanted):
            conditions.append(f"_starts(rows, {wanted.tobytes()!r}, {mask.tobytes()!r})")
        if branch is not None:
            selector = self.message.field(branch.selector.id)
            held = [f"np.asarray({self.holds(selector)})"] if self._held_conditions(selector) else []
            conditions += [*held, f"_within(struct.{selector.raw}, {_spans(branch.values)})"]
        return conditions

    def _unpack(self) -> list[str]:
        zeros = [f"np.zeros(({f'count, {one.length}' if one.length else 'count,'}), np.{raw_dtype(one)})"
                 for one in self.message.fields]  # fmt: skip
        body = ["rows, single = _rows(data)", "count, size = rows.shape", f"struct = {self.struct}({', '.join(zeros)})",
                "short = np.zeros(count, bool)"]  # fmt: skip
        for one in self.message.selectors_first():
            body += self._read(one)
        body.append("result = np.full(count, OK)")
        for number in reversed(range(len(self.message.checks))):
            body.append(
                f"result[np.broadcast_to(~_{self.name}_checks_{number}(struct, rows), (count,))] = CHECK_FAILED"
            )
        if self._shape_conditions():
            body.append(f"result[np.broadcast_to(~_{self.name}_accepts(struct, rows), (count,))] = OTHER_SHAPE")
        body.append("result[short] = TOO_SHORT")
        ones = ", ".join(f"_one(struct.{one.raw}, single)" for one in self.message.fields)
        body.append(f"return _one(result, single), {self.struct}({ones})")
        said = f"Return the result and the raw numbers of {self.message.layout.name}, of one payload or of (n, size)."
        return self._function(f"{self.name}_unpack", said, body, "data")

    def _read(self, one: CarriedField) -> list[str]:
        there = self.presence(one)
        present = f"np.asarray({there})" if there else "np.True_"
        needed = one.field.places.size_needed
        lines = [f"if size < {needed}:", f"{_BODY}short |= {present}", "else:"]
        if one.is_number:
            read = f"({_read_text(one)}).astype(np.{raw_dtype(one)})"
        else:
            read = f"_content(rows, {_octets(one.field)}){' ^ np.uint8(255)' if one.field.inverted else ''}"
        if there:
            mask = f"{present}[:, None]" if one.length else present
            read = f"np.where({mask}, {read}, np.{raw_dtype(one)}(0))"
        return [*lines, f"{_BODY}struct.{one.raw} = {read}"]

    def _pack(self, writer: StepWriter) -> list[str]:
        body = ["rows, single = _rows(data)", "rows = rows.copy()", "count, size = rows.shape"]
        made = [f"np.broadcast_to(np.asarray(struct.{one.raw}), (count, {one.length}))" if one.length else
                f"np.broadcast_to(np.asarray(struct.{one.raw}), (count,))" for one in self.message.fields]  # fmt: skip
        body.append(f"struct = {self.struct}({', '.join(made)})")
        for one in self.message.fields:
            there = self.presence(one)
            needed = one.field.places.size_needed
            condition = f"size < {needed}" + (f" and np.any({there})" if there else "")
            body += [
                f"if {condition}:",
                f'{_BODY}raise ValueError("the payload is too short for {text(one.field.name)}")',
            ]
        for check in self.message.checks:
            body += self._solved(check, writer)
        for one in self.message.fields:
            body += self._write(one)
        for number, check in enumerate(self.message.checks):
            if isinstance(check, OverBytes):
                body += self._filled(number, check)
        body.append("return rows[0].tobytes() if single and isinstance(data, (bytes, bytearray, memoryview)) else "
                    "(rows[0] if single else rows)")  # fmt: skip
        said = (f"Return payloads with {self.message.layout.name} put in; checks are worked out, bits of no field "
                "stay. Raises ValueError for what does not fit.")  # fmt: skip
        return self._function(f"{self.name}_pack", said, body, "data, struct", quiet=True)

    def _write(self, one: CarriedField) -> list[str]:
        field, raw, there = one.field, f"struct.{one.raw}", self.presence(one) or "True"
        if not one.is_number:
            flip = " ^ np.uint8(255)" if field.inverted else ""
            places = [Places(field.places.bits[k * 8 : k * 8 + 8]) for k in range(one.length)]
            lines = [f"_put(rows, {_pieces(place)}, ({raw}[:, {k}]{flip}).astype(np.uint64), {there})"
                     for k, place in enumerate(places)]  # fmt: skip
            return self._guarded(one, lines)
        low, high = field.raw_range()
        beyond = f"~_within({raw}, ({low}, {high}))"
        if one.unreadable is not None:
            beyond = f"{beyond} & (np.asarray({raw}) != {one.unreadable})"
            there = f"{there} & (np.asarray({raw}) != {one.unreadable})" if there != "True" else (
                f"np.asarray({raw}) != {one.unreadable}"
            )  # fmt: skip
        checked = f"{there} & {beyond}" if self.presence(one) else beyond
        lines = [
            f"_fit({checked}, {field.name!r})",
            f"_put(rows, {_pieces(field.places)}, {_bits_text(one, raw)}, {there})",
        ]
        return self._guarded(one, lines)

    def _guarded(self, one: CarriedField, lines: list[str]) -> list[str]:
        """Return statements that are only run where a payload has room: who is absent may lie behind its end."""
        if not self.presence(one):
            return lines
        return [f"if size >= {one.field.places.size_needed}:", *(_BODY + line for line in lines)]

    def _solved(self, check: Check, writer: StepWriter) -> list[str]:
        """Return statements that work out what equations and complements give, before anything is written."""
        if isinstance(check, Complement):
            one, other = self.message.field(check.field), self.message.field(check.of)
            mask = (1 << len(one.field.places)) - 1
            bits = f"_as_bits(struct.{other.raw}, {len(one.field.places)}) ^ np.uint64({mask})"
            conditions = [there for there in (self.presence(one), self.presence(other)) if there]
            return [_assigned(one, _from_bits(one, bits), " & ".join(conditions))]
        found = self._equation(check)
        if found is None:
            return []
        one, steps, held = found
        conditions = [there] if (there := self.presence(one)) else []
        conditions += [] if held.always else [held.known_name]
        lines = writer.lines(steps.steps)
        if is_scaled(one) or held.kind is Number64.FLOAT:
            number = f"np.rint({_unscaled(one.field, f'{held.name}.astype(np.float64)')})"
            if one.field.kind is FieldKind.FLOAT:
                number = f"_float_bits({_unscaled(one.field, f'{held.name}.astype(np.float64)')}, {one.bits})"
                return [*lines, _assigned(one, number, " & ".join(conditions))]
        else:
            number = held.name
        low, high = one.field.raw_range()
        top = f"{number} < {float(high + 1)!r}" if high >= 1 << 53 else f"{number} <= {high}"
        fits = f"({number} >= {low}) & ({top})"
        wrong = f"{' & '.join([*conditions, ''])}~np.asarray({fits})"
        return [*lines, f"_fit({wrong}, {one.field.name!r})", _assigned(one, number, " & ".join(conditions))]

    def _equation(self, check: Check) -> tuple[CarriedField, Steps, Held] | None:
        tree = check.expression.tree if isinstance(check, Rule) else None
        if not isinstance(check, Rule) or not isinstance(tree, Call) or tree.operation != "==":
            return None
        for side, other in (tree.arguments, tuple(reversed(tree.arguments))):
            found = self.message.named(side.name) if isinstance(side, Name) else None
            if isinstance(found, CarriedField):
                if found.field.is_curved:
                    return None
                steps = Steps(self.message)
                return found, steps, steps.lower_node(other, check.expression)
        return None

    def _filled(self, number: int, check: OverBytes) -> list[str]:
        one = self.message.field(check.field)
        there = self.presence(one)
        known = f"known & {there}" if there else "known"
        lines = [f"found, known = _{self.name}_taken_{number}(struct, rows)",
                 _assigned(one, _from_bits(one, "found"), known)]  # fmt: skip
        if one.unreadable is not None:
            lines.append(f"_fit({known} & (struct.{one.raw} == {one.unreadable}), {one.field.name!r})")
        return [*lines, *self._write(one)]


def _assigned(one: CarriedField, number: str, condition: str) -> str:
    cast = f"np.asarray({number}).astype(np.{raw_dtype(one)})"
    # of a signed and an unsigned type together a float would come
    kept = f"struct.{one.raw}.astype(np.{raw_dtype(one)})"
    return f"struct.{one.raw} = np.where({condition}, {cast}, {kept})" if condition else (
        f"struct.{one.raw} = np.broadcast_to({cast}, (count,))"
    )  # fmt: skip


def _from_bits(one: CarriedField, bits: str) -> str:
    """Return an expression for the raw numbers that bits in two's complement are."""
    width = len(one.field.places)
    if one.field.is_signed:
        return f"_signed({bits}, {width})"
    return f"{bits} & np.uint64({(1 << width) - 1})" if bits == "found" else bits


def _read_text(one: CarriedField) -> str:
    field = one.field
    width = len(field.places)
    bits = f"_bits(rows, {_pieces(field.places)})"
    if field.inverted:
        bits = f"{bits} ^ np.uint64({(1 << width) - 1})"
    if field.kind in _READERS:
        return f"{_READERS[field.kind]}({bits}, {width})"
    if field.kind is FieldKind.GRAY:
        return f"_gray({bits})"
    if field.kind is FieldKind.BCD:
        return f"_digits({bits}, {width // 4}, 4)"
    if field.kind is FieldKind.BCD_BYTES:
        return f"_digits({bits}, {width // 8}, 8)"
    return bits


_READERS = {FieldKind.SIGNED: "_signed", FieldKind.SIGN_MAGNITUDE: "_sign_magnitude",
            FieldKind.ONES_COMPLEMENT: "_ones_complement"}  # fmt: skip


def _bits_text(one: CarriedField, raw: str) -> str:
    """Return an expression for the bits of raw numbers, uint64."""
    field = one.field
    width = len(field.places)
    mask, sign = (1 << width) - 1, 1 << width - 1
    if field.kind is FieldKind.SIGN_MAGNITUDE:
        text = (
            f"np.where({raw} < 0, np.uint64({sign}), np.uint64(0)) | np.abs({raw}.astype(np.int64)).astype(np.uint64)"
        )
    elif field.kind is FieldKind.ONES_COMPLEMENT:
        text = f"_as_bits(np.where({raw} < 0, {raw}.astype(np.int64) - 1, {raw}.astype(np.int64)), {width})"
    elif field.kind is FieldKind.BCD:
        text = f"_to_digits({raw}.astype(np.uint64), {width // 4}, 4)"
    elif field.kind is FieldKind.BCD_BYTES:
        text = f"_to_digits({raw}.astype(np.uint64), {width // 8}, 8)"
    elif field.kind is FieldKind.GRAY:
        text = f"{raw}.astype(np.uint64) ^ {raw}.astype(np.uint64) >> np.uint64(1)"
    else:
        text = f"_as_bits({raw}, {width})"
    return f"({text}) ^ np.uint64({mask})" if field.inverted else text


def _value_text(one: CarriedField) -> str:
    field, raw = one.field, f"struct.{one.raw}"
    if field.kind is FieldKind.FLOAT:
        text = f"_float({raw}, {one.bits})"
        if (field.ratio, field.offset) != (1, 0):
            text = f"{text} * {float(field.ratio)!r} + {float(field.offset)!r}"
    elif (field.ratio, field.offset) == (1, 0):
        text = f"np.asarray({raw}).astype(np.float64)"
    else:
        scale = CommonScale.of(field.ratio, field.offset)
        function = "_scaled" if rounds_once(field) else "_nearest"
        text = f"{function}({raw}, {scale.times}, {scale.plus}, {scale.over})"
    if field.polynomial:
        return f"_polynomial({text}, {_tuple(float(one) for one in field.polynomial)})"
    if field.table:
        xs, ys = _tuple(float(c.x) for c in field.table), _tuple(float(c.y) for c in field.table)
        return f"_curve({text}, {xs}, {ys})"
    return text


def _unscaled(field: Field, value: str) -> str:
    text = f"({value} - {float(field.offset)!r})" if field.offset else value
    if field.kind is FieldKind.FLOAT:
        return f"{text} / {float(field.ratio)!r}" if field.ratio != 1 else text
    text = f"{text} * {float(field.ratio.denominator)!r}" if field.ratio.denominator != 1 else text
    return text if field.ratio.numerator == 1 else f"{text} / {float(field.ratio.numerator)!r}"


def _working(check: OverBytes, width: int) -> str:
    if isinstance(check, Crc):
        return (f"_crc(rows, octets, {check.width}, {check.polynomial}, {check.start}, {check.final}, "
                f"{check.reflect_in}, {check.reflect_out})")  # fmt: skip
    if isinstance(check, Xor):
        return f"_xor(rows, octets, {check.start & 255}, {check.word_bits == 4})"
    assert isinstance(check, Sum), "others are refused"
    around = check.carry is Carry.AROUND
    return (f"_sum(rows, octets, {check.width or width}, {check.word_bytes}, {check.low_byte_first}, {check.start}, "
            f"{around}, {check.negated!r}, {check.word_bits == 4})")  # fmt: skip


def _pieces(places: Places) -> str:
    return _tuple(f"({p.byte}, {p.right}, {p.mask}, {p.left})" for p in pieces_of(places))


def _octets(field: Field) -> str:
    places = [Places(field.places.bits[k : k + 8]) for k in range(0, len(field.places), 8)]
    return _tuple(_pieces(place) for place in places)


def _tuple(items) -> str:  # type: ignore[no-untyped-def]
    listed = [str(item) for item in items]
    return f"({', '.join(listed)}{',' if len(listed) == 1 else ''})"


def _spans(raws: RawSet) -> str:
    return ", ".join(f"({low}, {high})" for low, high in raws.spans)


def docstring(words: str) -> str:
    """Return a text that a docstring can hold."""
    return words.replace("\\", "/").replace('"""', "'''").replace("\n", " ").strip() or "Nothing is said."


def comment(words: str) -> str:
    """Return a text that a comment can hold."""
    return words.replace("\n", " ")


def text(words: str) -> str:
    """Return a text that stands between quotes."""
    return words.replace("\\", "/").replace('"', "'").replace("\n", " ")


def _read_as(field: Field) -> str:
    scale = "" if (field.ratio, field.offset) == (1, 0) else f" times {field.ratio}"
    offset = f" plus {field.offset}" if field.offset else ""
    return f"{field.kind.words}, {field.places}{scale}{offset}{f', {field.unit}' if field.unit else ''}"
