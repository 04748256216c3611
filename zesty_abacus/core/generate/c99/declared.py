"""What is declared of a message in the header: constants, the struct, its functions."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.fields import FieldKind
from ...layouts.model import Layout
from ..carried_fields import CarriedField
from ..naming import Symbols, identifier
from ..shapes import Move, MovedList, MovedStruct, every_move
from .capacity import most_items, most_text
from .numbers import floating, of_type, raw_type, unsigned
from .terms import BODY, Terms, comment, has_limits


@dataclass(frozen=True, slots=True)
class Declarations:
    """Writes what the header says of one message.

    Attributes
    ----------
    is_inner
        Whether it is a struct in another one, which is not unpacked by itself.
    """

    terms: Terms
    is_inner: bool = False

    def lines(self) -> list[str]:
        """Return the lines of the header."""
        terms = self.terms
        layout = terms.message.layout
        lines = ["", f"/* {comment(layout.name)}: {comment(layout.applies.words())}", f"   {_said_of(layout)} */"]
        if self.is_inner:
            lines = [""]
        lines += self._constants()
        lines += [f"{terms.struct} {{"]
        members = [line for one in terms.message.fields for line in self._members(one)]
        members += [line for move in every_move(terms.message.stretch) for line in self._structs(move)]
        lines += [f"{BODY}{line}" for line in members] or [f"{BODY}uint8_t nothing;"]
        lines += ["};", "", *self._of_frames()]
        lines += [f"bool {terms.has_member(one)}(const {terms.struct} *in);"
                  for one in terms.message.structs_that_may_be_absent()]  # fmt: skip
        for one in terms.message.fields:
            if one.field.selected is not None:
                lines.append(f"bool {terms.has_name(one)}(const {terms.struct} *in);")
            if one.is_number:
                lines.append(f"double {terms.value_name(one)}(const {terms.struct} *in);")
                if terms.can_be_set(one):
                    lines.append(f"int {terms.name}_set_{one.name}({terms.struct} *out, double value);")
                if has_limits(one.field):
                    lines.append(f"bool {terms.name}_good_{one.name}(const {terms.struct} *in);")
        lines += [f"double {terms.value_name(one)}(const {terms.struct} *in, size_t size);" for one in terms.sized()]
        lines += [f"double {terms.value_name(one)}(const {terms.struct} *in);" for one in terms.unsized()]
        lines += [f"void {terms.name}_count_{one.name}({terms.struct} *in);" for _, one in terms.counters()]
        return lines

    def _of_frames(self) -> list[str]:
        terms = self.terms
        if self.is_inner:
            return []
        unpack = f"int {terms.name}_unpack({terms.struct} *out, const uint8_t *data, size_t size);"
        if terms.message.moves:
            return [unpack, f"int {terms.name}_pack(uint8_t *data, size_t size, size_t *used, {terms.struct} *in);"]
        return [unpack, f"int {terms.name}_pack(uint8_t *data, size_t size, const {terms.struct} *in);"]

    def _members(self, one: CarriedField) -> list[str]:
        """Return the members of a field: its raw number or bytes, and of what moves how much of it there is."""
        array = "" if one.is_number else f"[{most_text(one, self.terms.prefix)}]" if one.varies else f"[{one.length}]"
        lines = [f"{raw_type(one)} {one.raw}{array}; /* {comment(one.field.name)}: {comment(one.read_as)} */"]
        if one.varies:
            lines.append(f"size_t {one.size};")
        if one.has_tens:
            lines.append(f"int16_t {one.tens}; /* the power of ten to be multiplied with */")
        if one.has_known:
            lines.append(f"uint8_t {one.known}; /* whether it is one */")
        return lines

    def _structs(self, move: Move) -> list[str]:
        prefix = self.terms.prefix
        if isinstance(move, MovedStruct):
            return [f"struct {prefix}_{move.inner.name} {move.member}; /* {comment(move.name)} */"]
        if isinstance(move, MovedList):
            most = most_items(move, prefix)
            return [f"size_t {move.member}_count;",
                    f"struct {prefix}_{move.items.name} {move.member}[{most}]; /* {comment(move.name)} */"]  # fmt: skip
        return []

    def _constants(self) -> list[str]:
        """Return sizes, limits and named values; values beyond int cannot be enumerators in C99."""
        terms = self.terms
        taken = Symbols()
        upper = terms.name.upper()
        lines = [] if self.is_inner or terms.message.moves else [f"#define {upper}_SIZE {terms.message.size_of_all}U"]
        if not self.is_inner and terms.message.layout.applies.is_for_one_address:
            lines.append(f"#define {upper}_ADDRESS {unsigned(terms.message.address)}")
        for one in terms.numbers:
            for word, limit in (("LOW", one.field.low), ("HIGH", one.field.high)):
                if limit is not None:
                    lines.append(f"#define {upper}_{one.name.upper()}_{word} {floating(limit)}")
            for named in one.field.names:
                label = taken.give(f"{upper}_{one.name}_{identifier(named.label)}".upper(), one.field.id)
                if one.field.kind is FieldKind.BITS:
                    lines.append(f"#define {label} {unsigned(1 << named.raw, one.bits)}")
                    continue
                ends = (("", named.raw),) if named.to is None else (("_FROM", named.raw), ("_TO", named.last))
                lines += [f"#define {label}{end} {of_type(number, raw_type(one))}" for end, number in ends]
        return lines


def _said_of(layout: Layout) -> str:
    sender = f", sent by {comment(layout.sender)}" if layout.sender else ""
    note = f" {comment(layout.note).rstrip('.')}." if layout.note else ""
    size = f"{layout.size} bytes" if not layout.parts else "any number of bytes" if not layout.size else (
        f"{layout.size} bytes and more"
    )  # fmt: skip
    return f"{size}{sender}.{note}"
