"""Reads what moves: a function a struct, which goes from part to part and says where it ended."""

from __future__ import annotations

import re
from dataclasses import dataclass
from uuid import UUID

from ...expressions.expression import Expression
from ..shapes import Move, MovedField, MovedLine, MovedList, MovedStretch, MovedStruct, Stretch
from .bits import read_lines
from .expressions import StepWriter
from .moving import Movement, block, came_in, short_if
from .reading_lists import ListReading
from .reading_text import TextReading
from .terms import BODY, Terms, names, under

_SIGNATURE = "const uint8_t *frame, size_t begin, size_t limit, size_t *at"


@dataclass(frozen=True, slots=True)
class Reading:
    """Writes the functions that read one struct.

    Attributes
    ----------
    check_names
        What the function of each check is called, by the identity of the check.
    """

    terms: Terms
    steps: StepWriter
    check_names: dict[UUID, str]

    def lines(self) -> list[str]:
        """Return the lines of all of them, each before who calls it."""
        stretch = self.terms.message.stretch
        assert stretch is not None, "it moves"
        return self._function(stretch, f"{self.terms.name}_read")

    def _function(self, stretch: Stretch, name: str) -> list[str]:
        """Return the function of a stretch, behind those of the stretches in it."""
        made: list[str] = []
        movement = Movement(self.terms, self.steps, stretch)
        body: list[str] = []
        for number, move in enumerate(stretch.moves):
            inner = f"{name}_{number}"
            if isinstance(move, MovedStretch):
                made += self._function(move.stretch, inner)
            lines = [*movement.begin(move, "limit"), *self._move(movement, move, inner)]
            body += under(conditions, lines) if (conditions := movement.conditions(move.selected)) else block(lines)
        lines = [*self._fixed(stretch), f"*at = {self._reach(stretch)};", *body]
        lines += self._checks(stretch)
        return [*made, f"static int {name}({self.terms.struct} *out, {_SIGNATURE})", "{",
                *(BODY + line for line in self._with_names(stretch, lines)), "}", ""]  # fmt: skip

    def _with_names(self, stretch: Stretch, lines: list[str]) -> list[str]:
        """Return the body of a function: it defines what its statements name, and nothing else."""
        text = "\n".join(lines)
        terms = self.terms
        uses_data, uses_size = names(lines, "data"), names(lines, "size")
        head = ["const uint8_t *data;"] if uses_data else []
        head += ["size_t size;"] if uses_size else []
        uses_in = re.search(r"in->|\(in[,)]", text) is not None
        head += [f"const {terms.struct} *const in = out;"] if uses_in else []
        holds = "holds = " in text
        head += ["bool holds = true;"] if holds else []
        head += ["(void)out;"] if not uses_in and "out->" not in text and "(out" not in text else []
        head += ["(void)frame;"] if not uses_data and "frame" not in text else []
        room = f" || limit - begin < {stretch.size}U" if stretch.size else ""
        guard = short_if(terms, f"begin > limit{room}")
        guard += ["data = frame + begin;"] if uses_data else []
        guard += ["size = limit - begin;"] if uses_size else []
        came = f"holds ? {terms.result('OK')} : {terms.result('CHECK_FAILED')}" if holds else terms.result("OK")
        return [*head, *guard, *lines, f"return {came};"]

    def _reach(self, stretch: Stretch) -> str:
        if stretch.reach == 0:
            return "begin"
        if stretch.reach == stretch.size:
            return f"begin + {stretch.reach}U"
        return f"lesser(begin + {stretch.reach}U, limit)"

    def _fixed(self, stretch: Stretch) -> list[str]:
        terms = self.terms
        lines: list[str] = []
        ordered = [one for one in terms.message.selectors_first() if one in stretch.fields]
        for one in ordered:
            inner = read_lines(one)
            needed = one.field.places.size_needed
            if needed > stretch.size:
                inner = [*short_if(terms, f"size < {needed}U"), *inner]
            lines += under(terms.presence_conditions(one), inner)
        return lines

    def _checks(self, stretch: Stretch) -> list[str]:
        """Return statements that make the checks of a stretch; those of the message are made when all is read."""
        if not stretch.checks:
            return []
        end = "limit" if stretch.is_payload else "lesser(*at, limit)"
        lines = [f"const size_t taken = {end} - begin;"]
        for check in stretch.checks:
            lines.append(f"holds = {self.check_names[check.id]}(in, data, taken) && holds;")
        return block(lines)

    # parts

    def _move(self, movement: Movement, move: Move, inner: str) -> list[str]:
        if isinstance(move, MovedStretch):
            return self._inner(movement, f"{inner}(out", move.limit)
        if isinstance(move, MovedStruct):
            return self._inner(movement, f"{self.terms.of_struct(move.inner)}_read(&out->{move.member}", move.limit)
        text = TextReading(self.terms)
        if isinstance(move, MovedField):
            return text.field(movement, move)
        if isinstance(move, MovedLine):
            return text.line(move)
        assert isinstance(move, MovedList), "there are no others"
        return ListReading(self.terms, text).whole_list(movement, move)

    def _inner(self, movement: Movement, call: str, limit: Expression | None) -> list[str]:
        lines = ["*at = start;"]
        end = "limit"
        if limit is not None:
            lines += [*movement.amount(limit, "room"), "const size_t last = lesser(limit, start + room);"]
            end = "last"
        lines += came_in(self.terms, f"{call}, frame, start, {end}, at)")
        return [*lines, "*at = last;"] if limit is not None else lines
