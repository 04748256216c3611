"""What must agree in a frame, as C: functions that say whether it does, and statements that make it so."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.checks.complement import Complement
from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.rule import Rule
from ...layouts.checks.sum import Carry
from ...layouts.model import Check, Coverage, Crc, Sum, Xor
from ..carried import constant_before
from ..carried_fields import CarriedField
from ..carried_message import CarriedMessage
from ..lowering import Number64, Steps
from .expressions import StepWriter, whole_number
from .numbers import raw_type, unsigned
from .terms import comment, names

_BODY = "    "


@dataclass(frozen=True, slots=True)
class CheckWriter:
    """Writes the checks of one message.

    Attributes
    ----------
    struct
        The type of the struct, ``struct x``.
    names
        What the function of each check is called, in their order.
    expressions
    presence
        The condition that a field is there, empty if it always is.
    """

    message: CarriedMessage
    struct: str
    names: tuple[str, ...]
    expressions: StepWriter
    presence: dict[str, str]

    def functions(self) -> list[str]:
        """Return the lines of all functions that the checks take."""
        lines: list[str] = []
        for check, name in zip(self.message.checks, self.names, strict=True):
            if isinstance(check, OverBytes):
                lines += self._taken(check, name)
            lines += self._agrees(check, name)
        return lines

    def _agrees(self, check: Check, name: str) -> list[str]:
        body = self._agreement(check, name)
        unused = [f"(void){word};" for word in ("in", "data", "size") if not names(body, word)]
        return [
            f"/* {comment(check.name)}: {check.words()}. Where it cannot be made, it does not disagree. */",
            f"static bool {name}(const {self.struct} *in, const uint8_t *data, size_t size)", "{",
            *(_BODY + line for line in (*body[:-1], *unused, body[-1])), "}", "",
        ]  # fmt: skip

    def _agreement(self, check: Check, name: str) -> list[str]:
        """Return statements of which the last one returns whether a check agrees."""
        if isinstance(check, Rule):
            steps = Steps(self.message)
            held = steps.lower(check.expression)
            zero = "0.0" if held.kind is Number64.FLOAT else "0"
            agrees = f"{held.name} != {zero}"
            return [*self._lines(steps), f"return {agrees if held.always else f'!{held.known_name} || {agrees}'};"]
        if isinstance(check, Complement):
            one, other = self.message.field(check.field), self.message.field(check.of)
            mask = unsigned((1 << one.width) - 1)
            there = self._absent(one, other)
            return [*there, f"return ({bits_of(one)} ^ {bits_of(other)}) == {mask};"]
        assert isinstance(check, OverBytes), "there are no others"
        one = self.message.field(check.field)
        lines, known = self.stretch(check)
        call = f"{cut(one, f'{name}_taken({self.arguments(check)})')} == {bits_of(one)}"
        return [*self._absent(one), *lines, f"return {f'!({known}) || ' if known else ''}{call};"]

    def _absent(self, *fields: CarriedField) -> list[str]:
        conditions = [self.presence[one.name] for one in fields if self.presence[one.name]]
        return [f"if (!({' && '.join(conditions)}))", "    return true;"] if conditions else []

    def _lines(self, steps: Steps) -> list[str]:
        return self.expressions.lines(steps.steps)

    def arguments(self, check: OverBytes) -> str:
        """Return what the function of a check is called with."""
        return "data" if check.coverage.places is not None else "data, (size_t)first, (size_t)end"

    def stretch(self, check: OverBytes) -> tuple[list[str], str]:
        """Return statements that find the stretch, and the condition that the frame holds all of it."""
        coverage = check.coverage
        if coverage.places is not None:
            return [], f"size >= {coverage.places.size_needed}U"
        first, end = Steps(self.message, "f"), Steps(self.message, "e")
        begins, stops = first.lower(coverage.first), end.lower(coverage.end)
        lines = [*self._lines(first), *self._lines(end)]
        lines += [f"const int64_t first = {whole_number(begins)};", f"const int64_t end = {whole_number(stops)};"]
        known = [one.known_name for one in (begins, stops) if not one.always]
        return lines, " && ".join([*known, "first >= 0 && first <= end && end <= (int64_t)size"])

    def _taken(self, check: OverBytes, name: str) -> list[str]:
        """Return the function that works a check out over its bytes."""
        own = self.message.own_bits(check)
        start, each, result = _working(check, self.message.field(check.field).width)
        coverage = check.coverage
        stretch = coverage.places is None
        head = f"static uint64_t {name}_taken(const uint8_t *data{', size_t first, size_t end' if stretch else ''})"
        uses_place = any("place" in line for line in each)
        lines = [head, "{", *(_BODY + line for line in start)]
        if uses_place:
            lines.append(f"{_BODY}size_t place = 0U;")
        # C99 wants what is counted with declared where it stands
        lines.append(f"{_BODY}size_t i;")
        lines += _constant_bytes(constant_before(coverage, self.message.address), each)
        lines += _loop(coverage, own, each)
        lines += _constant_bytes(bytes.fromhex(coverage.key_after), each)
        return [*lines, *(_BODY + line for line in result), "}", ""]


def bits_of(one: CarriedField, struct: str = "in") -> str:
    """Return an expression for a raw number as bits in two's complement, cut to its width."""
    cast = "(uint64_t)(int64_t)" if raw_type(one).startswith("int") else "(uint64_t)"
    width = one.width
    text = f"{cast}{struct}->{one.raw}"
    return f"({text} & {unsigned((1 << width) - 1)})" if width < 64 else text


def cut(one: CarriedField, number: str) -> str:
    """Return an expression for a number of 64 bits, cut to the width of a field."""
    width = one.width
    return f"({number} & {unsigned((1 << width) - 1)})" if width < 64 else number


def raw_of_bits(one: CarriedField, bits: str) -> str:
    """Return an expression for the raw number that bits are, the opposite of :func:`bits_of`."""
    width = one.width
    kind = raw_type(one)
    if not one.is_signed:
        return f"({kind})({bits} & {unsigned((1 << width) - 1)})"
    sign = unsigned(1 << width - 1)
    mask = unsigned((1 << width) - 1)
    return f"({kind})as_signed((({bits} & {mask}) ^ {sign}) - {sign})"


def _constant_bytes(octets: bytes, each: list[str]) -> list[str]:
    lines = []
    for octet in octets:
        lines += [f"{_BODY}{{", f"{_BODY * 2}const uint8_t octet = 0x{octet:02X}U;",
                  *(_BODY * 2 + line for line in each), f"{_BODY}}}"]  # fmt: skip
    return lines


def _loop(coverage: Coverage, own: tuple[int, ...], each: list[str]) -> list[str]:
    """Return the loop over the bytes that are covered; the bits of the check itself count as zero among them."""
    inner = [_BODY * 2 + line for line in each]
    if coverage.places is not None:
        return _loop_over_places(coverage.places.bits, own, inner)
    masks: dict[int, int] = {}
    for bit in own:
        masks[bit // 8] = masks.get(bit // 8, 0xFF) & ~(1 << bit % 8)
    lines = [f"{_BODY}for (i = first; i < end; i++) {{"]
    if masks:
        lines.append(f"{_BODY * 2}uint8_t octet = data[i];")
        for byte, mask in sorted(masks.items()):
            lines.append(f"{_BODY * 2}if (i == {byte}U)")
            lines.append(f"{_BODY * 3}octet = (uint8_t)(octet & 0x{mask:02X}U);")
    else:
        lines.append(f"{_BODY * 2}const uint8_t octet = data[i];")
    return [*lines, *inner, f"{_BODY}}}"]


def _loop_over_places(bits: tuple[int, ...], own: tuple[int, ...], inner: list[str]) -> list[str]:
    """Return a loop over bits named one by one, eight to a byte, the last byte filled up with zeros."""
    zero = 0xFFFFFF
    named = [zero if bit in own else bit for bit in bits]
    named += [zero] * (-len(named) % 8)
    rows = [", ".join(f"{bit}U" for bit in named[k : k + 8]) for k in range(0, len(named), 8)]
    table = [f"{_BODY}static const uint32_t bits[{len(named)}] = {{"]
    table += [*(f"{_BODY * 2}{row}," for row in rows), f"{_BODY}}};"]
    return [
        f"{_BODY}/* the bits that are covered, in order; {zero} is one that counts as zero */", *table,
        f"{_BODY}for (i = 0U; i < {len(named)}U; i += 8U) {{",
        f"{_BODY * 2}uint8_t octet = 0U;", f"{_BODY * 2}size_t k;",
        f"{_BODY * 2}for (k = i; k < i + 8U; k++)",
        f"{_BODY * 3}octet = (uint8_t)((uint32_t)octet << 1 | (bits[k] == {zero}U ? 0U : "
        "(data[bits[k] / 8U] >> (bits[k] % 8U)) & 1U));",
        *inner, f"{_BODY}}}",
    ]  # fmt: skip


def _working(check: OverBytes, width: int) -> tuple[list[str], list[str], list[str]]:
    """Return declarations, what is done for each ``octet``, and what returns the result."""
    if isinstance(check, Crc):
        return _crc(check)
    if isinstance(check, Xor):
        each = ["sum = (uint8_t)(sum ^ octet);"]
        result = "(sum >> 4 ^ sum) & 0xFU" if check.word_bits == 4 else "sum"
        return [f"uint8_t sum = 0x{check.start & 255:02X}U;"], each, [f"return (uint64_t)({result});"]
    assert isinstance(check, Sum), "others are refused"
    return _sum(check, check.width or width)


def _crc(check: Crc) -> tuple[list[str], list[str], list[str]]:
    width, top = check.width, 64 - check.width
    if check.reflect_in:
        polynomial, start = _turned(check.polynomial, width), _turned(check.start, width)
        each = ["unsigned step;", "sum ^= octet;", "for (step = 0U; step < 8U; step++)",
                f"    sum = (sum & 1U) != 0U ? (sum >> 1) ^ {unsigned(polynomial)} : sum >> 1;"]  # fmt: skip
        result = "sum"
    else:
        polynomial, start = check.polynomial << top, check.start << top
        each = ["unsigned step;", "sum ^= (uint64_t)octet << 56;", "for (step = 0U; step < 8U; step++)",
                f"    sum = sum >> 63 != 0U ? (sum << 1) ^ {unsigned(polynomial)} : sum << 1;"]  # fmt: skip
        result = f"sum >> {top}" if top else "sum"
    if check.reflect_in != check.reflect_out:
        result = f"turned_round({result}, {width}U)"
    final = f" ^ {unsigned(check.final)}" if check.final else ""
    result = f"({result}){final}" if final and not result.endswith(")") else f"{result}{final}"
    return [f"uint64_t sum = {unsigned(start)};"], each, [f"return {result};"]


def _turned(number: int, width: int) -> int:
    return int(f"{number:0{width}b}"[::-1], 2)


def _sum(check: Sum, width: int) -> tuple[list[str], list[str], list[str]]:
    mask = unsigned((1 << width) - 1)
    folded = [f"while (sum > {mask})", f"    sum = (sum & {mask}) + (sum >> {width});"]
    fold = folded if check.carry is Carry.AROUND and width < 64 else []
    size = check.word_bytes
    start = [f"uint64_t sum = {unsigned(check.start)};"]
    ending: list[str] = []
    if check.word_bits == 4:
        each = ["sum += (uint64_t)(octet >> 4);", *fold, "sum += (uint64_t)(octet & 0xFU);", *fold]
    elif size == 1:
        each = ["sum += octet;", *fold]
    else:
        start.append("uint64_t word = 0U;")
        shift = f"8U * (place % {size}U)" if check.low_byte_first else f"8U * ({size - 1}U - place % {size}U)"
        each = [f"word |= (uint64_t)octet << ({shift});", "place++;", f"if (place % {size}U == 0U) {{",
                "    sum += word;", "    word = 0U;", *(f"    {line}" for line in fold), "}"]  # fmt: skip
        ending = [f"if (place % {size}U != 0U) {{", "    sum += word;", *(f"    {line}" for line in fold), "}"]
    turned = {"none": "sum", "ones": "~sum", "twos": "0U - sum"}[check.negated]
    return start, each, [*ending, f"return ({turned}) & {mask};"]
