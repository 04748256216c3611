"""What reading and writing of what moves have in common: where a part begins, whether it is there, how many it has."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from ...expressions.expression import Expression
from ...layouts.fields import Selected
from ..carried_message import CarriedMessage
from ..lowering import Held, Steps
from ..shapes import Move, MovedList, MovedStruct, Stretch, every_move
from .expressions import StepWriter, whole_number
from .terms import BODY, Terms


@dataclass(frozen=True, slots=True)
class Movement:
    """Writes expressions of one struct.

    Attributes
    ----------
    stretch
        Where they stand: in a payload of its own ``size`` is what expressions mean by it.
    """

    terms: Terms
    steps: StepWriter
    stretch: Stretch

    def number(self, expression: Expression, name: str, otherwise: str = "0") -> list[str]:
        """Return statements that define a whole number, ``otherwise`` where there is none."""
        lines, held = self._lowered(expression, name)
        return [*lines, f"const int64_t {name} = {whole_number(held, otherwise)};"]

    def amount(self, expression: Expression | None, name: str) -> list[str]:
        """Return statements that define a count of items or bytes, 0 of no expression."""
        return self.known(expression, name)[0] if expression is not None else [f"const size_t {name} = 0U;"]

    def known(self, expression: Expression, name: str) -> tuple[list[str], str]:
        """Return the same, and the condition that there is a number; empty if there always is."""
        lines, held = self._lowered(expression, name)
        lines = [*lines, f"const size_t {name} = amount_of({whole_number(held)});"]
        return lines, "" if held.always else held.known_name

    def _lowered(self, expression: Expression, name: str) -> tuple[list[str], Held]:
        steps = Steps(self.terms.message, f"{name}_", knows_size=self.stretch.is_payload)
        held = steps.lower(expression)
        return self.steps.lines(steps.steps), held

    def conditions(self, selected: Selected | None) -> list[str]:
        """Return the condition on ``in`` that what stands under a selector is there, none if it always is."""
        return [self.terms.selects(selected)] if selected is not None else []

    def begin(self, move: Move, end: str) -> list[str]:
        """Return statements that define ``start``, the byte that a part begins at: beyond ``end`` without a place."""
        if move.start is None and move.align == 1:
            return ["const size_t start = *at;"]
        lines = ["size_t start = *at;"]
        if move.start is not None:
            lines += [*self.number(move.start, "offset", "-1"),
                      f"start = offset < 0 ? {end} + 1U : begin + amount_of(offset);"]  # fmt: skip
        if move.align > 1:
            lines.append(f"start = begin + (start - begin + {move.align - 1}U) / {move.align}U * {move.align}U;")
        return lines


def block(lines: list[str]) -> list[str]:
    """Return statements with a scope of their own."""
    return ["{", *(BODY + line for line in lines), "}"]


def inner_messages(stretch: Stretch | None) -> Iterator[CarriedMessage]:
    """Yield the structs in a struct, each behind those in it."""
    for move in every_move(stretch):
        inner = move.items if isinstance(move, MovedList) else move.inner if isinstance(move, MovedStruct) else None
        if inner is not None:
            yield from inner_messages(inner.stretch)
            yield inner


def short_if(terms: Terms, condition: str) -> list[str]:
    """Return statements that say that a frame is too short under a condition."""
    return [f"if ({condition})", f"{BODY}return {terms.short};"]


def came_in(terms: Terms, call: str) -> list[str]:
    """Return statements that read what lies inside; where its checks fail, reading goes on."""
    return block([f"const int came = {call};", f"if (came == {terms.result('CHECK_FAILED')})", f"{BODY}holds = false;",
                  f"else if (came != {terms.result('OK')})", f"{BODY}return came;"])  # fmt: skip


def came_out(terms: Terms, call: str) -> list[str]:
    """Return statements that write what lies inside, and end where that cannot be done."""
    return block([f"const int came = {call};", f"if (came != {terms.result('OK')})", f"{BODY}return came;"])


def truth(holds: bool) -> str:
    """Return a truth as C writes it."""
    return "true" if holds else "false"


def octets(content: bytes) -> str:
    """Return bytes as an initialiser."""
    return "{" + ", ".join(f"0x{octet:02X}U" for octet in content) + "}"
