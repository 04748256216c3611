"""Reads lists of structs: arrays of every sort, lists of type and length, columns that go on, packed numbers."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.model import Group
from ...layouts.parts.elements import Elements
from ...layouts.parts.group import Repeat
from ...layouts.parts.packed import Packed
from ..shapes import MovedList, MovedRows
from .bits import gather
from .capacity import most_items
from .moving import Movement, block, came_in, octets, short_if, truth
from .reading_text import TextReading
from .terms import BODY, Terms, within


@dataclass(frozen=True, slots=True)
class ListReading:
    """Writes the statements that read them into ``out`` of one struct."""

    terms: Terms
    text: TextReading

    def whole_list(self, movement: Movement, move: MovedList) -> list[str]:
        """Return statements that read a list from ``start`` on."""
        part = move.part
        if isinstance(move, MovedRows):
            return self._rows(movement, move)
        if isinstance(part, Elements):
            return self._elements(movement, move, part)
        if isinstance(part, Packed):
            return self._packed(movement, move, part)
        assert isinstance(part, Group), "there are no others"
        return self._group(movement, move, part)

    def _room_for_one(self, move: MovedList) -> list[str]:
        most = most_items(move, self.terms.prefix)
        return [f"if (out->{move.member}_count == {most})", f"{BODY}return {self.terms.result('TOO_LONG')};"]

    def _item(self, move: MovedList) -> str:
        return f"&out->{move.member}[out->{move.member}_count]"

    def _read_item(self, move: MovedList, place: str = "frame, *at, last, at") -> list[str]:
        """Return statements that read one more item; it counts once it is read."""
        call = f"{self.terms.of_struct(move.items)}_read({self._item(move)}, {place})"
        return [*self._room_for_one(move), *came_in(self.terms, call), f"out->{move.member}_count++;"]

    def _group(self, movement: Movement, move: MovedList, group: Group) -> list[str]:
        if group.repeat is Repeat.COUNT:
            return self._counted(movement, move, group)
        if group.repeat is Repeat.UNTIL:
            return ["*at = start;", *self._until(move, bytes.fromhex(group.end))]
        lines = [*movement.amount(group.amount, "amount"), "*at = start;"]
        if group.repeat is Repeat.BYTES:
            if not group.parts:
                return [*lines, *self._by_size(move, group, "amount"), "*at = start + amount;"]
            return [*lines, "const size_t last = lesser(limit, start + amount);", *self._while(move, "*at < last")]
        lines.append("const size_t last = limit > amount ? limit - amount : 0U;")
        if group.parts:
            return [*lines, *self._while(move, "*at < last")]
        return [*lines, "const size_t room = last > start ? last - start : 0U;", *self._by_size(move, group, "room")]

    def _until(self, move: MovedList, mark: bytes) -> list[str]:
        """Return statements that read items up to the bytes that end them, and pass over these."""
        size = len(mark)
        is_end = f"(*at <= limit && limit - *at >= {size}U && memcmp(frame + *at, mark, {size}U) == 0)"
        return [f"static const uint8_t mark[{size}] = {octets(mark)};", "const size_t last = limit;",
                *self._while(move, f"*at < last && !{is_end}"), *short_if(self.terms, f"!{is_end}"),
                f"*at += {size}U;"]  # fmt: skip

    def _while(self, move: MovedList, more: str) -> list[str]:
        """Return statements that read items before ``last`` as long as there is more of them."""
        # an item that takes no byte would be read for ever
        item = ["const size_t before = *at;", *self._read_item(move), "if (*at <= before)", f"{BODY}*at = last;"]
        return [f"while ({more}) {{", *(BODY + line for line in item), "}"]

    def _by_size(self, move: MovedList, group: Group, room: str) -> list[str]:
        """Return statements that read as many items of one size as fit some bytes."""
        wanted = f"{room} / {group.size}U" if group.size > 1 else room
        return [f"const size_t wanted = {wanted};", "size_t number;",
                "for (number = 0U; number < wanted; number++) {",
                *(BODY + line for line in self._read_item(move, "frame, *at, limit, at")), "}"]  # fmt: skip

    def _counted(self, movement: Movement, move: MovedList, group: Group) -> list[str]:
        lines = [*movement.amount(group.amount, "amount"), "size_t number;", "*at = start;"]
        item = self._read_item(move, "frame, *at, limit, at")
        if group.parts:
            # what is not there has no size, and a list that ends before its count is cut
            item = ["const size_t before = *at;", *short_if(self.terms, "*at >= limit"), *item, "if (*at <= before)",
                    f"{BODY}*at = limit;"]  # fmt: skip
        return [*lines, "for (number = 0U; number < amount; number++) {", *(BODY + line for line in item), "}"]

    def _rows(self, movement: Movement, move: MovedRows) -> list[str]:
        line, width = move.part, len(move.columns)
        lines = [*self.text.between_marks(line), "size_t count = 0U, number, column, end;"]
        lines += block(["struct columns counted = line;", "while (next_column(&counted, &column, &end))",
                        f"{BODY}count++;"])  # fmt: skip
        lines.append(f"count = first < last ? count / {width}U : 0U;")
        if line.repeat is Repeat.COUNT:
            lines += [*movement.amount(line.amount, "amount"), *short_if(self.terms, "count < amount")]
            lines.append("count = amount;")
        item = [*self._room_for_one(move)]
        for one in move.columns:
            item.append("(void)next_column(&line, &column, &end);")
            if one is not None:
                content = self.text.content(one, "frame + column", "end - column", ord(line.quote) if line.quote else 0)
                item += [text.replace("out->", f"out->{move.member}[number].") for text in content]
        item.append(f"out->{move.member}_count++;")
        return [*lines, "for (number = 0U; number < count; number++) {", *(BODY + text for text in item), "}",
                self.text.behind(line, "count == 0U")]  # fmt: skip

    def _packed(self, movement: Movement, move: MovedList, packed: Packed) -> list[str]:
        bits, size = packed.bits, -(-packed.bits // 8)
        is_cut = short_if(self.terms, f"count > room * 8U / {bits}U")
        lines = [*movement.amount(packed.amount, "amount"), "const size_t room = limit > start ? limit - start : 0U;"]
        if packed.repeat is Repeat.TO_END:
            lines += ["const size_t kept = room > amount ? room - amount : 0U;",
                      f"const size_t count = kept * 8U / {bits}U;", "const size_t after = start + kept;"]  # fmt: skip
        elif packed.repeat is Repeat.BYTES:
            lines += [f"const size_t count = amount * 8U / {bits}U;", *is_cut, "const size_t after = start + amount;"]
        else:
            lines += ["const size_t count = amount;", *is_cut,
                      f"const size_t after = start + (count * {bits}U + 7U) / 8U;"]  # fmt: skip
        reader = f"{self.terms.of_struct(move.items)}_read"
        item = [f"uint8_t own[{size}];", "size_t behind = 0U;", *self._room_for_one(move),
                f"bits_in(own, frame + start, number * {bits}U, {bits}U, {truth(packed.low_first)});",
                *came_in(self.terms, f"{reader}({self._item(move)}, own, 0U, {size}U, &behind)"),
                f"out->{move.member}_count++;"]  # fmt: skip
        return [*lines, "size_t number;", "for (number = 0U; number < count; number++) {",
                *(BODY + line for line in item), "}", "*at = after;"]  # fmt: skip

    def _elements(self, movement: Movement, move: MovedList, part: Elements) -> list[str]:
        type_needed = part.type.places.size_needed
        word = "uint64_t"
        lines = ["size_t end = limit;"]
        if part.amount is not None:
            lines += [*movement.amount(part.amount, "amount"), "end = lesser(limit, start + amount);"]
        step = ["const uint8_t *const head = frame + *at;", "size_t last;",
                *short_if(self.terms, f"end - *at < {type_needed}U")]  # fmt: skip
        if part.ends.spans or part.alone.spans:
            step.append(f"const {word} type = {_of_head(gather(part.type.places, word))};")
        if part.ends.spans:
            ends = within(part.ends, "type", word)
            step += [f"if ({ends}) {{", f"{BODY}*at += {type_needed}U;", f"{BODY}break;", "}"]
        measured = [*short_if(self.terms, f"end - *at < {part.head}U"),
                    f"const {word} length = {_of_head(gather(part.length.places, word))};",
                    f"const int64_t wanted = (int64_t)(length > UINT64_C(0x1000000) ? UINT64_C(0x1000000) : length)"
                    f" * {part.length_unit} + ({part.extra});",
                    "if (wanted < 0)", f"{BODY}break;",
                    *short_if(self.terms, f"(uint64_t)wanted > (uint64_t)(end - *at - {part.head}U)"),
                    f"last = *at + {part.head}U + (size_t)wanted;"]  # fmt: skip
        if part.alone.spans:
            step += [f"if ({within(part.alone, 'type', word)}) {{", f"{BODY}last = *at + {type_needed}U;", "} else {",
                     *(BODY + line for line in measured), "}"]  # fmt: skip
        else:
            step += measured
        step += [*self._read_item(move), "*at = last;"]
        return [*lines, "*at = start;", "while (*at < end) {", *(BODY + line for line in step), "}"]


def _of_head(text: str) -> str:
    return text.replace("data[", "head[")
