"""Writes lists of structs: arrays of every sort, lists of type and length, columns that go on, packed numbers."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.model import Group
from ...layouts.parts.elements import Elements
from ...layouts.parts.group import Repeat
from ...layouts.parts.packed import Packed
from ..carried_fields import CarriedField
from ..shapes import MovedList, MovedRows
from .bits import write_lines
from .capacity import most_items
from .moving import Movement, came_out, octets, truth
from .numbers import of_type, raw_type
from .terms import BODY, Terms, within
from .worked_out import WorkedOut
from .writing_text import TextWriting


@dataclass(frozen=True, slots=True)
class ListWriting:
    """Writes the statements that write them from ``in`` of one struct."""

    terms: Terms
    text: TextWriting
    worked_out: WorkedOut

    def whole_list(self, movement: Movement, move: MovedList) -> list[str]:
        """Return statements that write a list."""
        part, count = move.part, f"in->{move.member}_count"
        most = most_items(move, self.terms.prefix)
        lines = ["size_t number;", f"if ({count} > {most})", f"{BODY}return {self.terms.unfit};"]
        if isinstance(move, MovedRows):
            return [*lines, *self._rows(move, count)]
        if isinstance(part, Packed):
            return [*lines, *self._packed(movement, move, part, count)]
        item = self._element(move, part) if isinstance(part, Elements) else self._write_item(move)
        if isinstance(part, Group) and part.repeat is Repeat.UNTIL:
            return self._until(lines, move, bytes.fromhex(part.end))
        lines += _for_each(count, item)
        said = part.amount if isinstance(part, Elements) or part.repeat is Repeat.BYTES else None
        return lines if said is None else [*lines, *self.worked_out.make_true(movement, said, "(*at - start)")]

    def _until(self, lines: list[str], move: MovedList, mark: bytes) -> list[str]:
        """Return statements that write items and the bytes that end them, which no item may begin with."""
        size = len(mark)
        item = ["const size_t before = *at;", *self._write_item(move),
                f"if (*at - before >= {size}U && memcmp(frame + before, mark, {size}U) == 0)",
                f"{BODY}return {self.terms.unfit};"]  # fmt: skip
        return [f"static const uint8_t mark[{size}] = {octets(mark)};", *lines,
                *_for_each(f"in->{move.member}_count", item), *self.text.put("mark", f"{size}U")]  # fmt: skip

    def _write_item(self, move: MovedList, place: str = "frame, *at, room, at") -> list[str]:
        call = f"{self.terms.of_struct(move.items)}_write({place}, &in->{move.member}[number])"
        return came_out(self.terms, call)

    def _element(self, move: MovedList, part: Elements) -> list[str]:
        kind, length = (one for one in move.items.fields if one.field.id in (part.type.id, part.length.id))
        item = f"in->{move.member}[number]"
        lines = []
        word = raw_type(kind)
        if part.ends.spans:
            lines += [f"if ({within(part.ends, f'{item}.{kind.raw}', word)})", f"{BODY}return {self.terms.unfit};"]
        measured = self._measured(move, part, item, length)
        if not part.alone.spans:
            return [*lines, *measured]
        reach = part.type.places.size_needed
        alone = ["const size_t before = *at;", *self._head(reach), *self._write_item(move), f"*at = before + {reach}U;"]
        return [*lines, f"if ({within(part.alone, f'{item}.{kind.raw}', word)}) {{",
                *(BODY + line for line in alone), "} else {",
                *(BODY + line for line in measured), "}"]  # fmt: skip

    def _measured(self, move: MovedList, part: Elements, item: str, length: CarriedField) -> list[str]:
        """Return statements that write an element, and its length into its head once that is known."""
        high = length.raw_range[1]
        beyond = f" || value / {part.length_unit} > {of_type(high, 'int64_t')}" if high < 1 << 62 else ""
        put = [line.replace("data[", "head[") for line in write_lines(length, f"(&{item})", self.terms.unfit)]
        return [
            "const size_t before = *at;", "uint8_t *head;", "int64_t value;", *self._head(part.head),
            f"{item}.{length.raw} = 0;",
            *self._write_item(move), f"if (*at - before < {part.head}U)", f"{BODY}*at = before + {part.head}U;",
            f"value = (int64_t)(*at - before) - {part.head} - ({part.extra});",
            f"if (value < 0 || value % {part.length_unit} != 0{beyond})", f"{BODY}return {self.terms.unfit};",
            f"{item}.{length.raw} = ({raw_type(length)})(value / {part.length_unit});", "head = frame + before;", *put,
        ]  # fmt: skip

    def _head(self, size: int) -> list[str]:
        """Return statements that see to the room for a head and empty it: its fields need not own all of its bits."""
        return [f"if (*at > room || room - *at < {size}U)", f"{BODY}return {self.terms.short};",
                f"memset(frame + *at, 0, {size}U);"]  # fmt: skip

    def _rows(self, move: MovedRows, count: str) -> list[str]:
        line = move.part
        item = ["if (number > 0U) {", *(BODY + text for text in self.text.separator(line)), "}",
                *self.text.columns(line, move.columns, f"in->{move.member}[number].")]  # fmt: skip
        behind = self.text.behind(line, True)
        if line.goes_on:
            behind = [f"if ({count} > 0U) {{", *(BODY + text for text in behind), "}"]
        return [*self.text.mark(line.begins, "begins"), *_for_each(count, item), *behind]

    def _packed(self, movement: Movement, move: MovedList, packed: Packed, count: str) -> list[str]:
        size, bits = -(-packed.bits // 8), packed.bits
        lines = [f"const size_t size = ({count} * {bits}U + 7U) / 8U;", "if (*at > room || room - *at < size)",
                 f"{BODY}return {self.terms.short};", "memset(frame + *at, 0, size);",
                 f"for (number = 0U; number < {count}; number++) {{",
                 f"{BODY}uint8_t own[{size}];", f"{BODY}size_t behind = 0U;",
                 *(BODY + line for line in self._write_item(move, f"own, 0U, {size}U, &behind")),
                 f"{BODY}bits_to(frame + *at, own, number * {bits}U, {bits}U, {truth(packed.low_first)});",
                 "}", "*at += size;"]  # fmt: skip
        said = packed.amount if packed.repeat is Repeat.BYTES else None
        return lines if said is None else [*lines, *self.worked_out.make_true(movement, said, "size")]


def _for_each(count: str, lines: list[str]) -> list[str]:
    """Return a loop over the numbers of items."""
    return [f"for (number = 0U; number < {count}; number++) {{", *(BODY + line for line in lines), "}"]
