"""What is declared of a message in the header: constants, the struct, its functions."""

from __future__ import annotations

from dataclasses import dataclass

from ...layouts.fields import FieldKind
from ...layouts.model import Layout
from ..carried import CarriedField
from ..naming import Symbols, identifier
from .numbers import floating, of_type, raw_type, unsigned
from .terms import BODY, Terms, comment, has_limits


@dataclass(frozen=True, slots=True)
class Declarations:
    """Writes what the header says of one message."""

    terms: Terms

    def lines(self) -> list[str]:
        """Return the lines of the header."""
        terms = self.terms
        layout = terms.message.layout
        lines = ["", f"/* {comment(layout.name)}: {comment(layout.applies.words())}", f"   {_said_of(layout)} */"]
        lines += self._constants()
        lines += [f"{terms.struct} {{"]
        lines += [f"{BODY}{self._member(one)}" for one in terms.message.fields] or [f"{BODY}uint8_t nothing;"]
        lines += ["};", ""]
        lines += [
            f"int {terms.name}_unpack({terms.struct} *out, const uint8_t *data, size_t size);",
            f"int {terms.name}_pack(uint8_t *data, size_t size, const {terms.struct} *in);",
        ]
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

    def _member(self, one: CarriedField) -> str:
        array = f"[{one.length}]" if not one.is_number else ""
        return f"{raw_type(one)} {one.raw}{array}; /* {comment(one.field.name)}: {comment(one.read_as)} */"

    def _constants(self) -> list[str]:
        """Return sizes, limits and named values; values beyond int cannot be enumerators in C99."""
        terms = self.terms
        taken = Symbols()
        upper = terms.name.upper()
        lines = [f"#define {upper}_SIZE {terms.message.size_of_all}U"]
        if terms.message.layout.applies.is_for_one_address:
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
    return f"{layout.size} bytes{sender}.{note}"
