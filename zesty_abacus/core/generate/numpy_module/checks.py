"""What must agree in payloads: where it does, and what it is worked out to."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.checks.over_bytes import OverBytes
from ...layouts.checks.sum import Carry
from ...layouts.model import Check, Complement, Coverage, Crc, Rule, Sum, Xor
from ..carried import constant_before
from ..carried_fields import CarriedField
from ..lowering import Steps
from .expressions import StepWriter
from .terms import BODY, Terms, function, tuple_text


@dataclass(frozen=True, slots=True)
class CheckFunctions:
    """Writes the functions of the checks of one message."""

    terms: Terms
    steps: StepWriter

    def lines(self) -> list[str]:
        """Return the lines of all of them."""
        made: list[str] = []
        for number, check in enumerate(self.terms.message.checks):
            made += self._check(number, check)
        return made

    def _check(self, number: int, check: Check) -> list[str]:
        """Return the function that says in which frames a check agrees, or cannot be made."""
        body = self._agreement(number, check)
        lines = self._taken(number, check) if isinstance(check, OverBytes) else []
        said = f"Return where {check.name} ({check.words()}) agrees, or cannot be made."
        return lines + function(
            f"_{self.terms.name}_checks_{number}", said, body, "struct, rows", quiet=True
        )  # fmt: skip

    def _agreement(self, number: int, check: Check) -> list[str]:
        terms = self.terms
        if isinstance(check, Rule):
            steps = Steps(terms.message)
            held = steps.lower(check.expression)
            agrees = f"({held.name} != 0)"
            text = agrees if held.always else f"~np.asarray({held.known_name}) | {agrees}"
            return ["size = rows.shape[1]", *self.steps.lines(steps.steps), f"return {text}"]
        if isinstance(check, Complement):
            one, other = terms.message.field(check.field), terms.message.field(check.of)
            width = len(one.field.places)
            agrees = (
                f"(_as_bits(struct.{one.raw}, {width}) ^ _as_bits(struct.{other.raw}, {width})) == {(1 << width) - 1}"
            )
            return [f"return {self._or_absent(agrees, one, other)}"]
        assert isinstance(check, OverBytes), "there are no others"
        one = terms.message.field(check.field)
        width = len(one.field.places)
        agrees = f"~known | (found & np.uint64({(1 << width) - 1}) == _as_bits(struct.{one.raw}, {width}))"
        return [
            f"found, known = _{terms.name}_taken_{number}(struct, rows)",
            f"return {self._or_absent(agrees, one)}",
        ]

    def _or_absent(self, agrees: str, *fields: CarriedField) -> str:
        conditions = [there for one in fields if (there := self.terms.presence(one))]
        return f"~np.asarray({' & '.join(conditions)}) | ({agrees})" if conditions else agrees

    def _taken(self, number: int, check: OverBytes) -> list[str]:
        """Return the function that works a check out: its number, and where a frame holds all of its bytes."""
        terms = self.terms
        coverage = check.coverage
        own = terms.message.field(check.field).field.places.bits
        body = ["size = rows.shape[1]"]
        if coverage.places is not None:
            needed = coverage.places.size_needed
            body += [f"if size < {needed}:", f"{BODY}return np.zeros(len(rows), np.uint64), np.zeros(len(rows), bool)",
                     "known = np.ones(len(rows), bool)"]  # fmt: skip
            stretch = f"({', '.join(map(str, coverage.places.bits))},)"
        else:
            body += self._stretch(coverage)
            stretch = "(first, end)"
        octets = f"_covered(rows, {stretch}, {tuple_text(own)}, {constant_before(coverage, terms.message.address)!r}, "
        octets += f"{bytes.fromhex(coverage.key_after)!r})"
        body += [f"octets = {octets}", f"return {_working(check, len(own))}, known"]
        return function(f"_{terms.name}_taken_{number}", "", body, "struct, rows", quiet=True)

    def _stretch(self, coverage: Coverage) -> list[str]:
        terms = self.terms
        first, end = Steps(terms.message, "f"), Steps(terms.message, "e")
        begins, stops = first.lower(coverage.first), end.lower(coverage.end)
        lines = [
            *self.steps.lines(first.steps),
            *self.steps.lines(end.steps),
            "nothing = np.zeros(len(rows), np.int64)",
        ]
        for word, held in (("first", begins), ("end", stops)):
            lines.append(f"{word} = _whole({held.name}, {'True' if held.always else held.known_name}) + nothing")
        known = [f"np.asarray({one.known_name})" for one in (begins, stops) if not one.always]
        lines.append(f"known = {' & '.join([*known, '(first >= 0) & (first <= end) & (end <= size)'])}")
        return [*lines, "first, end = np.where(known, first, 0), np.where(known, end, 0)"]


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
