"""What must agree in a frame, as structured text: functions that say whether it does, and what it is worked out to."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.sum import Carry
from ...layouts.model import Check, Complement, Coverage, Crc, Rule, Sum, Xor
from ..carried import constant_before
from ..lowering import Held, Number64, Steps
from ..pieces import pieces_of_bits
from .bits import bits_of, gather
from .expressions import StepWriter, Written
from .routine import Routine, indented, joined, under
from .terms import Terms
from .types import bits


@dataclass(frozen=True, slots=True)
class CheckWriter:
    """Writes the checks of one message."""

    terms: Terms

    def name(self, number: int) -> str:
        """Return the function that says whether a check agrees."""
        return f"{self.terms.name}_checks_{number}"

    def routines(self) -> list[Routine]:
        """Return all functions that the checks take."""
        made = []
        for number, check in enumerate(self.terms.message.checks):
            if isinstance(check, OverBytes):
                made.append(self._taken(check, f"{self.name(number)}_taken"))
            made.append(self._agrees(check, self.name(number)))
        return made

    def _agrees(self, check: Check, name: str) -> Routine:
        terms = self.terms
        said = f"{check.name}: {check.words()}. Where it cannot be made, it does not disagree."
        made = Routine(name, "BOOL", said, [f"raw : {terms.name}", "size : UDINT"], [f"data : {terms.block}"])
        made.body.append(f"{name} := TRUE;")
        if isinstance(check, Rule):
            steps = Steps(terms.message)
            held = steps.lower(check.expression)
            written = StepWriter(terms).write(steps)
            zero = "LREAL#0.0" if held.kind is Number64.FLOAT else f"{'U' * (held.kind is Number64.UNSIGNED)}LINT#0"
            made.inside += written.inside
            known = [] if held.always else [held.known_name]
            made.body += written.lines + under(known, [f"{name} := {held.name} <> {zero};"])
        elif isinstance(check, Complement):
            one, other = terms.message.field(check.field), terms.message.field(check.of)
            mask = bits((1 << len(one.field.places)) - 1)
            agrees = [f"{name} := ({bits_of(one)} XOR {bits_of(other)}) = {mask};"]
            made.body += under([*terms.presence(one), *terms.presence(other)], agrees)
        else:
            assert isinstance(check, OverBytes), "there are no others"
            one = terms.message.field(check.field)
            written, conditions = self.stretch(check, "raw")
            made.inside += written.inside
            mask = bits((1 << len(one.field.places)) - 1)
            agrees = [f"{name} := ({self.call(check, name)} AND {mask}) = {bits_of(one)};"]
            made.body += under(terms.presence(one), [*written.lines, *under(conditions, agrees)])
        return made

    def call(self, check: OverBytes, name: str) -> str:
        """Return an expression for what a check is worked out to, as LWORD."""
        stretch = "" if check.coverage.places is not None else ", first := first, last := last"
        return f"{name}_taken(data := data{stretch})"

    def stretch(self, check: OverBytes, struct: str, number: int = 0) -> tuple[Written, list[str]]:
        """Return statements that find the stretch, and the conditions that the frame holds all of it."""
        coverage = check.coverage
        if coverage.places is not None:
            return Written(), [f"(size >= UDINT#{coverage.places.size_needed})"]
        made = Written()
        known = []
        for prefix, target, expression in (("f", "first", coverage.first), ("e", "last", coverage.end)):
            steps = Steps(self.terms.message, f"{prefix}{number}_")
            held = steps.lower(expression)
            written = StepWriter(self.terms, struct).write(steps)
            made.lines += written.lines + _as_place(held, target)
            made.inside += [*written.inside, f"{target} : LINT"]
            known += [] if held.always else [held.known_name]
        made.lines.append("(* the last byte itself, no longer the one behind it *)")
        made.lines.append("last := last - LINT#1;")
        ends = ["(first >= LINT#0)", "(first <= last + LINT#1)", "(last < UDINT_TO_LINT(size))",
                f"(last < LINT#{self.terms.room})"]  # fmt: skip
        return made, [*known, *ends]

    def _taken(self, check: OverBytes, name: str) -> Routine:
        """Return the function that works a check out over its bytes."""
        terms = self.terms
        own = terms.message.field(check.field).field.places.bits
        work = _working(check, len(own), terms)
        coverage = check.coverage
        made = Routine(name, "LWORD", "", [], [f"data : {terms.block}"], [], ["octet : LWORD", *work.inside])
        made.body += work.start
        for octet in constant_before(coverage, terms.message.address):
            made.body += [f"octet := {bits(octet)};", *work.each]
        if coverage.places is not None:
            made.body += self._over_places(coverage, own, work.each)
        else:
            made.inputs = ["first : LINT", "last : LINT"]
            made.inside.append("i : LINT")
            made.body += ["FOR i := first TO last DO", *indented([*self._octet(own), *work.each]), "END_FOR;"]
        for octet in bytes.fromhex(coverage.key_after):
            made.body += [f"octet := {bits(octet)};", *work.each]
        made.body += [*work.ending, f"{name} := {work.result};"]
        return made

    def _octet(self, own: tuple[int, ...]) -> list[str]:
        """Return statements that take byte ``i``; the bits of the check itself count as zero."""
        lines = ["octet := BYTE_TO_LWORD(data[i]);"]
        if self.terms.unit_bytes == 2:
            lines = ["octet := WORD_TO_LWORD(data[i / LINT#2]);", "IF i MOD LINT#2 = LINT#0 THEN",
                     *indented(["octet := SHR(octet, 8);"]), "END_IF;",
                     f"octet := octet AND {bits(0xFF)};"]  # fmt: skip
        masks: dict[int, int] = {}
        for bit in own:
            masks[bit // 8] = masks.get(bit // 8, 0xFF) & ~(1 << bit % 8)
        for byte, mask in sorted(masks.items()):
            lines += [f"IF i = LINT#{byte} THEN", *indented([f"octet := octet AND {bits(mask)};"]), "END_IF;"]
        return lines

    def _over_places(self, coverage: Coverage, own: tuple[int, ...], each: list[str]) -> list[str]:
        """Return statements for bits named one by one, eight to a byte, the last byte filled up with zeros."""
        assert coverage.places is not None, "they are named"
        named = [None if bit in own else bit for bit in coverage.places.bits]
        named += [None] * (-len(named) % 8)
        lines = []
        for start in range(0, len(named), 8):
            pieces = pieces_of_bits(named[start : start + 8], self.terms.unit_bytes)
            lines += [f"octet := {gather(pieces, self.terms.unit_bytes)};", *each]
        return lines


def _as_place(held: Held, target: str) -> list[str]:
    """Return statements that give a place the whole part of a number, 0 where it is none."""
    if held.kind is Number64.SIGNED:
        return [f"{target} := {held.name};"]
    zero = [f"{target} := LINT#0;"]
    if held.kind is Number64.UNSIGNED:
        conditions, text = [f"({held.name} <= ULINT#4611686018427387904)"], f"ULINT_TO_LINT({held.name})"
    else:
        conditions = [f"(ABS({held.name}) < LREAL#4611686018427387904.0)"]
        text = f"LREAL_TRUNC_LINT({held.name})"
    known = [] if held.always else [held.known_name]
    return [*zero, f"IF {joined([*known, *conditions])} THEN", *indented([f"{target} := {text};"]), "END_IF;"]


@dataclass(frozen=True, slots=True)
class _Work:
    """Statements before the bytes, for each ``octet``, and behind them; an expression for the result; variables."""

    start: list[str]
    each: list[str]
    ending: list[str]
    result: str
    inside: list[str]


def _working(check: OverBytes, width: int, terms: Terms) -> _Work:
    if isinstance(check, Crc):
        return _crc(check, terms)
    if isinstance(check, Xor):
        folded = f"(SHR(number, 4) XOR number) AND {bits(15)}" if check.word_bits == 4 else "number"
        start = [f"number := {bits(check.start & 255)};"]
        return _Work(start, ["number := number XOR octet;"], [], folded, ["number : LWORD"])
    assert isinstance(check, Sum), "others are refused"
    return _sum(check, check.width or width, terms)


def _crc(check: Crc, terms: Terms) -> _Work:
    """Parameters as in R. N. Williams, *A painless guide to CRC error detection algorithms* (1993)."""
    width, top = check.width, 64 - check.width
    if check.reflect_in:
        polynomial, start = _turned(check.polynomial, width), _turned(check.start, width)
        put_in, out, shifted = "octet", bits(1), "SHR(number, 1)"
    else:
        polynomial, start = check.polynomial << top, check.start << top
        put_in, out, shifted = "SHL(octet, 56)", bits(1 << 63), "SHL(number, 1)"
    each = [f"number := number XOR {put_in};", "FOR turn := 1 TO 8 DO", *indented([
            f"IF (number AND {out}) <> {bits(0)} THEN", *indented([f"number := {shifted} XOR {bits(polynomial)};"]),
            "ELSE", *indented([f"number := {shifted};"]), "END_IF;"]), "END_FOR;"]  # fmt: skip
    result = "number" if check.reflect_in or not top else f"SHR(number, {top})"
    if check.reflect_in != check.reflect_out:
        result = f"{terms.helper('turned_round')}(bits := {result}, width := {width})"
    if check.final:
        result = f"{result} XOR {bits(check.final)}"
    return _Work([f"number := {bits(start)};"], each, [], result, ["number : LWORD", "turn : INT"])


def _turned(number: int, width: int) -> int:
    return int(f"{number:0{width}b}"[::-1], 2)


def _sum(check: Sum, width: int, terms: Terms) -> _Work:
    plus, size = terms.helper("plus"), check.word_bytes
    mask = bits((1 << width) - 1)

    def added(what: str) -> list[str]:
        lines = [f"total := {plus}(one := total, other := {what});"]
        if check.carry is Carry.AROUND and width < 64:
            again = f"total := {plus}(one := total AND {mask}, other := SHR(total, {width}));"
            lines += [f"WHILE LWORD_TO_ULINT(total) > LWORD_TO_ULINT({mask}) DO", *indented([again]), "END_WHILE;"]
        return lines

    start, ending = [f"total := {bits(check.start)};"], []
    inside = ["total : LWORD"]
    if check.word_bits == 4:
        each = [*added("SHR(octet, 4)"), *added(f"octet AND {bits(15)}")]
    elif size == 1:
        each = added("octet")
    else:
        start += [f"word_bits := {bits(0)};", "place := 0;"]
        inside += ["word_bits : LWORD", "place : INT"]
        shift = "8 * place" if check.low_byte_first else f"8 * ({size - 1} - place)"
        ready = [*added("word_bits"), f"word_bits := {bits(0)};", "place := 0;"]
        each = [f"word_bits := word_bits OR SHL(octet, {shift});", "place := place + 1;",
                f"IF place = {size} THEN", *indented(ready), "END_IF;"]  # fmt: skip
        ending = ["IF place > 0 THEN", *indented(added("word_bits")), "END_IF;"]
    turned = {"none": "total", "ones": "(NOT total)",
              "twos": f"{plus}(one := NOT total, other := {bits(1)})"}[check.negated]  # fmt: skip
    return _Work(start, each, ending, f"{turned} AND {mask}", inside)
