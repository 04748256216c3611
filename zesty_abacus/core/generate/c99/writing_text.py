"""Writes what stands in characters: strings, digits, names of labels, lines of text."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from ...layouts.fields import FieldKind
from ...layouts.parts.labels import Labels
from ...layouts.parts.run import Run
from ...layouts.parts.text_line import TextLine
from ..carried_fields import CarriedField, Form
from ..shapes import MovedField, MovedLine
from .capacity import most_text
from .moving import Movement, block, came_out, octets
from .terms import BODY, Terms
from .worked_out import WorkedOut

_LONGEST_NUMBER = 80
"""Characters of a number: a sign, up to 64 digits, a point."""
_LONGEST_LABEL, _LONGEST_BESIDE_POINTERS = 255, 63


@dataclass(frozen=True, slots=True)
class TextWriting:
    """Writes the statements that write them from ``in`` of one struct."""

    terms: Terms
    worked_out: WorkedOut

    def field(self, movement: Movement, move: MovedField) -> list[str]:
        """Return statements that write one field."""
        part = move.part
        return self._labels(move, part) if isinstance(part, Labels) else self._run(movement, move, part)

    def put(self, source: str, size: str) -> list[str]:
        """Return statements that write bytes."""
        return [f"if (!put_bytes(frame, room, at, {source}, {size}))", f"{BODY}return {self.terms.short};"]

    def _within_struct(self, one: CarriedField) -> list[str]:
        return [f"if (in->{one.size} > {most_text(one, self.terms.prefix)})", f"{BODY}return {self.terms.unfit};"]

    def _run(self, movement: Movement, move: MovedField, run: Run) -> list[str]:
        one = move.one
        if one.varies:
            lines = [*self._within_struct(one), *self.put(f"in->{one.raw}", f"in->{one.size}")]
        else:
            lines = [*self._number(one), *self.put("text", "length")]
        if run.length is not None and one.form is Form.WRITTEN:
            lines += self.worked_out.make_true(movement, run.length, "(*at - start)")
        if run.length is None and run.end:
            mark = bytes.fromhex(run.end)
            lines = [f"static const uint8_t mark[{len(mark)}] = {octets(mark)};", *lines,
                     f"if (find_mark(frame, start, *at, mark, {len(mark)}U) != SIZE_MAX)",
                     f"{BODY}return {self.terms.unfit};", *self.put("mark", f"{len(mark)}U")]  # fmt: skip
        return lines

    def _labels(self, move: MovedField, labels: Labels) -> list[str]:
        one = move.one
        longest = _LONGEST_BESIDE_POINTERS if labels.pointers else _LONGEST_LABEL
        separator = f"0x{ord(labels.separator):02X}U"
        call = f"labels_to(frame, room, at, in->{one.raw}, in->{one.size}, {separator}, {longest}U)"
        return [*self._within_struct(one), *came_out(self.terms, call)]

    def _number(self, one: CarriedField) -> list[str]:
        """Return statements that write a number as ``text`` of ``length`` characters; nothing where it was none."""
        field, raw = one.field, f"in->{one.raw}"
        if field.kind in (FieldKind.NAMES, FieldKind.FLAG):
            call = f"word_to(text, {raw}, {field.base}U, {field.digits}U)"
        elif one.has_tens:
            call = f"decimal_to(text, {raw}, in->{one.tens}, {field.digits}U)"
        elif one.is_signed:
            call = f"signed_to(text, {raw}, {field.base}U, {field.digits}U)"
        else:
            call = f"digits_to(text, {raw}, false, {field.base}U, {field.digits}U)"
        return [f"uint8_t text[{max(_LONGEST_NUMBER, field.digits + 24)}];", "size_t length = 0U;",
                f"if (in->{one.known} != 0U) {{", f"{BODY}length = {call};", f"{BODY}if (length == 0U)",
                f"{BODY * 2}return {self.terms.unfit};", "}"]  # fmt: skip

    def whole_line(self, move: MovedLine) -> list[str]:
        """Return statements that write a line."""
        line = move.line
        columns = self.columns(line, move.columns)
        return [*self.mark(line.begins, "begins"), *columns, *self.behind(line, bool(move.columns))]

    def mark(self, mark: str, name: str) -> list[str]:
        """Return statements that write what stands before or behind columns."""
        if not mark:
            return []
        content = mark.encode("latin-1")
        return [f"static const uint8_t {name}[{len(content)}] = {octets(content)};",
                *self.put(name, f"{len(content)}U")]  # fmt: skip

    def behind(self, line: TextLine, has_columns: bool) -> list[str]:
        """Return statements that write what stands behind the last column."""
        if line.goes_on:
            return self.separator(line) if has_columns else []
        return self.mark(line.ends, "ends")

    def separator(self, line: TextLine) -> list[str]:
        """Return statements that write what stands between columns."""
        mark = octets(line.separator.encode("latin-1"))
        return block([f"static const uint8_t between[1] = {mark};", *self.put("between", "1U")])

    def columns(self, line: TextLine, columns: Sequence[CarriedField | None], source: str = "in->") -> list[str]:
        """Return statements that write the columns of a line from a struct."""
        lines: list[str] = []
        for number, one in enumerate(columns):
            if number:
                lines += self.separator(line)
            if one is not None:
                lines += block([text.replace("in->", source) for text in self._column(line, one)])
        return lines

    def _column(self, line: TextLine, one: CarriedField) -> list[str]:
        if one.varies:
            made, text, size = self._within_struct(one), f"in->{one.raw}", f"in->{one.size}"
        else:
            made, text, size = self._number(one), "text", "length"
        ends, length = "NULL", 0
        if line.ends:
            content = line.ends.encode("latin-1")
            made = [f"static const uint8_t stop[{len(content)}] = {octets(content)};", *made]
            ends, length = "stop", len(content)
        quote = f"0x{ord(line.quote):02X}U" if line.quote else "0U"
        call = f"put_column(frame, room, at, {text}, {size}, 0x{ord(line.separator):02X}U, {quote}, {ends}, {length}U)"
        return [*made, *came_out(self.terms, call)]
