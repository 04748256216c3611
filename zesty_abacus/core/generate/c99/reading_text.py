"""Reads what is written in characters: strings, digits, names of labels, lines of text."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.fields import FieldKind
from ...layouts.parts.labels import Labels
from ...layouts.parts.run import Run
from ...layouts.parts.text_line import TextLine
from ..carried_fields import CarriedField
from ..shapes import MovedField, MovedLine
from .capacity import most_text
from .moving import Movement, block, octets, short_if, truth
from .terms import BODY, Terms


@dataclass(frozen=True, slots=True)
class TextReading:
    """Writes the statements that read them into ``out`` of one struct."""

    terms: Terms

    def field(self, movement: Movement, move: MovedField) -> list[str]:
        """Return statements that read one field."""
        part = move.part
        return self._labels(movement, move, part) if isinstance(part, Labels) else self._run(movement, move, part)

    def _run(self, movement: Movement, move: MovedField, run: Run) -> list[str]:
        lines = short_if(self.terms, "start > limit")
        after = "last"
        if run.length is not None:
            made, known = movement.known(run.length, "length")
            lines += [*made, *short_if(self.terms, f"{f'!{known} || ' if known else ''}length > limit - start"),
                      "const size_t last = start + length;"]  # fmt: skip
        elif run.end:
            mark = bytes.fromhex(run.end)
            lines += [f"static const uint8_t mark[{len(mark)}] = {octets(mark)};",
                      f"const size_t last = find_mark(frame, start, limit, mark, {len(mark)}U);",
                      *short_if(self.terms, "last == SIZE_MAX")]  # fmt: skip
            after = f"last + {len(mark)}U"
        else:
            lines.append("const size_t last = limit;")
        return [*lines, *self.content(move.one, "frame + start", "last - start", 0), f"*at = {after};"]

    def content(self, one: CarriedField, text: str, size: str, quote: int) -> list[str]:
        """Return statements that read characters as a field."""
        if one.varies:
            call = f"text_of(out->{one.raw}, {most_text(one, self.terms.prefix)}, {text}, {size}, {quote}U)"
            return [f"out->{one.size} = {call};", f"if (out->{one.size} == SIZE_MAX) {{",
                    f"{BODY}out->{one.size} = 0U;", f"{BODY}return {self.terms.result('TOO_LONG')};", "}"]  # fmt: skip
        field = one.field
        if field.kind in (FieldKind.NAMES, FieldKind.FLAG):
            call = f"word_in({text}, {size}, {field.base}U, &out->{one.raw})"
        elif one.has_tens:
            call = f"decimal_in({text}, {size}, &out->{one.raw}, &out->{one.tens})"
        elif one.is_signed:
            call = f"signed_in({text}, {size}, {field.base}U, {field.digits}U, &out->{one.raw})"
        else:
            call = f"unsigned_in({text}, {size}, {field.base}U, &out->{one.raw})"
        return [f"out->{one.known} = {call};"]

    def _labels(self, movement: Movement, move: MovedField, labels: Labels) -> list[str]:
        one = move.one
        call = (
            f"labels_in(frame, origin, limit, at, 0x{ord(labels.separator):02X}U, {truth(labels.pointers)}, "
            f"out->{one.raw}, {most_text(one, self.terms.prefix)}, &out->{one.size}, &out->{one.known})"
        )
        made = block([f"const int came = {call};", f"if (came != {self.terms.result('OK')})", f"{BODY}return came;"])
        return [*movement.amount(labels.origin, "origin"), "*at = start;", *made]

    def between_marks(self, line: TextLine) -> list[str]:
        """Return statements that define ``line``, between its marks ``first`` and ``last``."""
        lines = ["size_t first = start, last = limit;"]
        if line.begins:
            mark = line.begins.encode("latin-1")
            lines += block([
                f"static const uint8_t mark[{len(mark)}] = {octets(mark)};",
                f"const size_t found = find_mark(frame, start, limit, mark, {len(mark)}U);",
                f"first = found == SIZE_MAX ? limit + 1U : found + {len(mark)}U;",
            ])  # fmt: skip
        if line.ends:
            mark = line.ends.encode("latin-1")
            lines += block([
                f"static const uint8_t mark[{len(mark)}] = {octets(mark)};",
                f"const size_t found = find_mark(frame, first, limit, mark, {len(mark)}U);",
                "last = found == SIZE_MAX ? limit : found;",
            ])  # fmt: skip
        quote = f"0x{ord(line.quote):02X}U" if line.quote else "0U"
        return [*lines, "struct columns line;", "line.text = frame;", "line.at = first;", "line.last = last;",
                f"line.separator = 0x{ord(line.separator):02X}U;", f"line.quote = {quote};",
                f"line.merges = {truth(line.merges)};", "line.is_done = first > last;"]  # fmt: skip

    def behind(self, line: TextLine, nothing: str = "") -> str:
        """Return the statement that says where a line ends; ``nothing`` is the condition that no column was wanted."""
        if line.goes_on:
            after = "line.is_done ? last : line.at"
            return f"*at = {nothing} ? lesser(first, last) : {after};" if nothing else f"*at = {after};"
        return f"*at = last < limit ? last + {len(line.ends)}U : last;" if line.ends else "*at = last;"

    def line(self, move: MovedLine) -> list[str]:
        """Return statements that read the columns of a line."""
        return [*self.between_marks(move.line), "size_t column, end;", *self._columns(move), self.behind(move.line)]

    def _columns(self, move: MovedLine) -> list[str]:
        lines: list[str] = []
        quote = ord(move.line.quote) if move.line.quote else 0
        for one in move.columns:
            lines += short_if(self.terms, "!next_column(&line, &column, &end)")
            if one is not None:
                lines += self.content(one, "frame + column", "end - column", quote)
        return lines
