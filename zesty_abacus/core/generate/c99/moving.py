"""What reading and writing of what moves have in common: where a part begins, whether it is there, how many it has."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from ...expressions.expression import Expression
from ...layouts.fields import Selected
from ..carried import CarriedMessage
from ..lowering import Held, Number64, Steps
from ..shapes import Move, MovedLine, MovedList, MovedStruct, Stretch, every_move
from .expressions import StepWriter
from .terms import BODY, Terms


@dataclass(frozen=True, slots=True)
class Movement:
    """Writes expressions of one struct.

    Attributes
    ----------
    has_size
        Whether ``size`` is that of the payload that expressions mean.
    """

    terms: Terms
    steps: StepWriter
    has_size: bool

    def number(self, expression: Expression, name: str, otherwise: str = "0") -> list[str]:
        """Return statements that define a whole number, ``otherwise`` where there is none."""
        lines, held = self._lowered(expression, name)
        return [*lines, f"const int64_t {name} = {whole(held, otherwise)};"]

    def amount(self, expression: Expression | None, name: str) -> list[str]:
        """Return statements that define a count of items or bytes, 0 of no expression."""
        if expression is None:
            return [f"const size_t {name} = 0U;"]
        lines, held = self._lowered(expression, name)
        return [*lines, f"const size_t {name} = amount_of({whole(held, '0')});"]

    def known(self, expression: Expression, name: str) -> tuple[list[str], str]:
        """Return the same, and the condition that there is a number; empty if there always is."""
        lines, held = self._lowered(expression, name)
        return [*lines, f"const size_t {name} = amount_of({whole(held, '0')});"], "" if held.always else held.known_name

    def _lowered(self, expression: Expression, name: str) -> tuple[list[str], Held]:
        steps = Steps(self.terms.message, f"{name}_", knows_size=self.has_size)
        held = steps.lower(expression)
        return self.steps.lines(steps.steps), held

    def is_there(self, selected: Selected | None) -> str:
        """Return the condition on ``in`` that what stands under a selector is there, empty if it always is."""
        if selected is None:
            return ""
        return self.terms.selects(selected)

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


def whole(held: Held, otherwise: str) -> str:
    """Return a number as int64_t, cut towards zero, ``otherwise`` where there is none."""
    if held.kind is Number64.FLOAT:
        fits = f"fabs({held.name}) < 4611686018427387904.0"
        condition = fits if held.always else f"{held.known_name} && {fits}"
        return f"({condition} ? (int64_t){held.name} : {otherwise})"
    text = held.name if held.kind is Number64.SIGNED else f"(int64_t)({held.name} & (uint64_t)INT64_MAX)"
    return text if held.always else f"({held.known_name} ? {text} : {otherwise})"


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


def payloads_in(stretch: Stretch | None) -> set[str]:
    """Return the names of the structs that are payloads of their own."""
    found: set[str] = set()
    for move in every_move(stretch):
        if isinstance(move, MovedStruct):
            found |= ({move.inner.name} if move.is_payload else set()) | payloads_in(move.inner.stretch)
        elif isinstance(move, MovedList):
            found |= payloads_in(move.items.stretch)
    return found


def is_row(message: CarriedMessage) -> bool:
    """Return whether a struct is an item of a line, whose columns the line takes apart."""
    moves = message.stretch.moves if message.stretch is not None else ()
    return len(moves) == 1 and isinstance(moves[0], MovedLine) and moves[0].is_row


def short_if(terms: Terms, condition: str) -> list[str]:
    """Return statements that say that a frame is too short under a condition."""
    return [f"if ({condition})", f"{BODY}return {terms.result('TOO_SHORT')};"]


def came_in(terms: Terms, call: str) -> list[str]:
    """Return statements that read what lies inside; where its checks fail, reading goes on."""
    return block([f"const int came = {call};", f"if (came == {terms.result('CHECK_FAILED')})", f"{BODY}holds = false;",
                  f"else if (came != {terms.result('OK')})", f"{BODY}return came;"])  # fmt: skip


def came_out(terms: Terms, call: str) -> list[str]:
    """Return statements that write what lies inside, and end where that cannot be done."""
    return block([f"const int came = {call};", f"if (came != {terms.result('OK')})", f"{BODY}return came;"])


def names(lines: Iterable[str], variable: str) -> bool:
    """Return whether statements name a variable; members of structs may be called alike."""
    return any(re.search(rf"(?<![\w.>]){variable}\b", line) for line in lines)


def truth(holds: bool) -> str:
    """Return a truth as C writes it."""
    return "true" if holds else "false"


def octets(content: bytes) -> str:
    """Return bytes as an initialiser."""
    return "{" + ", ".join(f"0x{octet:02X}U" for octet in content) + "}"
