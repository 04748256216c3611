"""Writes what moves: a function a struct, which goes from part to part and works out what others say of them."""

from __future__ import annotations

from dataclasses import dataclass

from ...expressions.expression import Expression
from ...layouts.checks.rule import Rule
from ...layouts.model import Check
from ...layouts.parts.elements import Elements
from ...layouts.parts.group import Repeat
from ...layouts.parts.run import Run
from ..carried_message import CarriedMessage
from ..shapes import (
    Move,
    MovedField,
    MovedLine,
    MovedList,
    MovedStretch,
    MovedStruct,
    Stretch,
    every_move,
    every_stretch,
)
from .bits import write_lines
from .checks import CheckWriter
from .expressions import StepWriter
from .moving import Movement, block, came_out, short_if
from .terms import BODY, Terms, names, under
from .worked_out import WorkedOut
from .writing_lists import ListWriting
from .writing_text import TextWriting

_SIGNATURE = "uint8_t *frame, size_t begin, size_t room, size_t *at"


@dataclass(frozen=True, slots=True)
class Writing:
    """Writes the functions that write one struct."""

    terms: Terms
    steps: StepWriter
    checks: CheckWriter

    def lines(self) -> list[str]:
        """Return the lines of all of them, each before who calls it."""
        stretch = self.terms.message.stretch
        assert stretch is not None, "it moves"
        return self._function(stretch, f"{self.terms.name}_write", is_whole=True)

    def _function(self, stretch: Stretch, name: str, *, is_whole: bool = False) -> list[str]:
        made: list[str] = []
        movement = Movement(self.terms, self.steps, stretch)
        body: list[str] = []
        for number, move in enumerate(stretch.moves):
            inner = f"{name}_{number}"
            if isinstance(move, MovedStretch):
                made += self._function(move.stretch, inner)
            begin = movement.begin(move, "room")
            rest = [*self._skip(move), *self._move(movement, move, inner)]
            lines = [*begin, *rest] if names(rest, "start") else rest
            body += under(conditions, lines) if (conditions := movement.conditions(move.selected)) else block(lines)
        own = (*stretch.checks, *(self._of_frames() if is_whole else ()))
        ending = [*self._worked_out.solved(self.steps, own), *self._fields(stretch), *self._worked_out.filled(own)]
        if names(ending, "size"):
            ending = block(["const size_t size = *at - begin;", *ending])
        size = max(stretch.reach, stretch.size)
        lines = [
            f"if (begin > room{f' || room - begin < {size}U' if size else ''})", f"{BODY}return {self.terms.short};",
            *self._data(stretch, ending), *self._counts(stretch, movement),
            f"*at = begin{f' + {size}U' if size else ''};", *body, *ending, f"return {self.terms.result('OK')};",
        ]  # fmt: skip
        text = "\n".join(lines)
        head = ["uint8_t *data;"] if "data = frame" in text else []
        unused = [] if "in->" in text or "(in" in text else ["(void)in;"]
        unused += [] if "frame" in text else ["(void)frame;"]
        return [*made, f"static int {name}({_SIGNATURE}, {self.terms.struct} *in)", "{",
                *(BODY + line for line in (*head, *unused, *lines)), "}", ""]  # fmt: skip

    def _of_frames(self) -> tuple[Check, ...]:
        """Return the checks of the message as a whole."""
        message = self.terms.message
        inside = [check for stretch in every_stretch(message.stretch) for check in stretch.checks]
        return tuple(check for check in message.checks if check not in inside)

    @property
    def _worked_out(self) -> WorkedOut:
        return WorkedOut(self.terms, self.checks)

    def _data(self, stretch: Stretch, ending: list[str]) -> list[str]:
        size = max(stretch.reach, stretch.size)
        uses = names(ending, "data")
        if size == 0:
            return ["data = frame + begin;"] if uses else []
        if uses:
            return ["data = frame + begin;", f"memset(data, 0, {size}U);"]
        return [f"memset(frame + begin, 0, {size}U);"]

    def _fields(self, stretch: Stretch) -> list[str]:
        lines: list[str] = []
        for one in stretch.fields:
            needed = one.field.places.size_needed
            made = write_lines(one, "in", self.terms.unfit)
            if needed > max(stretch.reach, stretch.size):
                # the bytes of an element's head are there where the field is
                made = [f"if (room - begin < {needed}U)", f"{BODY}return {self.terms.short};", *made]
            lines += under(self.terms.presence_conditions(one), made)
        return lines

    def _skip(self, move: Move) -> list[str]:
        """Return statements that put zeros up to where a part begins that says so."""
        if move.start is None and move.align == 1:
            return []
        return ["if (start < *at)", f"{BODY}return {self.terms.unfit};", *short_if(self.terms, "start > room"),
                "memset(frame + *at, 0, start - *at);", "*at = start;"]  # fmt: skip

    # what others say of a part

    def _counts(self, stretch: Stretch, movement: Movement) -> list[str]:
        """Return statements that put counts in that are known before anything is written."""
        lines: list[str] = []
        for move in stretch.moves:
            known = _count_of(move)
            if known is not None:
                lines += under(movement.conditions(move.selected), self._worked_out.make_true(movement, *known))
        return lines

    # parts

    def _move(self, movement: Movement, move: Move, inner: str) -> list[str]:
        if isinstance(move, MovedStretch):
            return self._inner(movement, f"{inner}(frame, *at, room, at, in)", move.limit)
        if isinstance(move, MovedStruct):
            call = f"{self.terms.of_struct(move.inner)}_write(frame, *at, room, at, &in->{move.member})"
            return self._inner(movement, call, move.limit)
        text = TextWriting(self.terms, self._worked_out)
        if isinstance(move, MovedField):
            return text.field(movement, move)
        if isinstance(move, MovedLine):
            return text.whole_line(move)
        assert isinstance(move, MovedList), "there are no others"
        return ListWriting(self.terms, text, self._worked_out).whole_list(movement, move)

    def _inner(self, movement: Movement, call: str, limit: Expression | None) -> list[str]:
        lines = came_out(self.terms, call)
        return lines if limit is None else [*lines, *self._worked_out.make_true(movement, limit, "(*at - start)")]


def takes_rounds(message: CarriedMessage) -> bool:
    """Return whether what is worked out of a struct may go into what was written before it was."""
    if message.stretch is None:
        return False
    last = {one.field.id for one in message.stretch.fields}
    worked_out = {key for check in message.checks for key in check.held_by()}
    named = {name for check in message.checks if isinstance(check, Rule) for name in check.expression.names}
    for move in every_move(message.stretch):
        named |= {name for expression in _amounts(move) for name in expression.names}
    worked_out |= {one.field.id for one in message.fields if one.field.name in named}
    return bool(worked_out - last)


def _amounts(move: Move) -> list[Expression]:
    """Return the expressions that say how much a part has."""
    of = move.part if isinstance(move, MovedList | MovedField) else move
    said = [getattr(of, name, None) for name in ("amount", "length", "limit")]
    return [one for one in said if isinstance(one, Expression)]


def _count_of(move: Move) -> tuple[Expression, str] | None:
    """Return what says how much a part has, and how much that is, where it is known before the part is written."""
    if isinstance(move, MovedField) and isinstance(move.part, Run) and move.part.length is not None:
        return (move.part.length, f"in->{move.one.size}") if move.one.varies else None
    if isinstance(move, MovedList) and not isinstance(move.part, Elements) and move.part.repeat is Repeat.COUNT:
        return (move.part.amount, f"in->{move.member}_count") if move.part.amount is not None else None
    return None
