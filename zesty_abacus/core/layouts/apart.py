"""What is different between two fields that stand for the same value, in numbers."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

from .fields import Field
from .numbers import format_exact


@dataclass(frozen=True, slots=True)
class Apart:
    """One thing in which two fields differ.

    Attributes
    ----------
    what
        ``bits``, ``order``, ``places``, ``sign``, ``kind``, ``step``, ``offset`` or ``unit``.
    one, other
        What it is in each, in words.
    lead
        What that looks like, where it is a mistake that people make; else empty.
    """

    what: str
    one: str
    other: str
    lead: str = ""

    def words(self, one: str, other: str) -> str:
        """Return it as a part of a sentence, with what the two are called."""
        if self.what == "order":
            return f"{self.lead}: {self.one} in {one}, {self.other} in {other}"
        said = f"{self.what} {self.one} in {one}, {self.other} in {other}"
        return f"{self.lead}: {said}" if self.lead else said


def apart(field: Field, other: Field) -> Iterator[Apart]:
    """Yield in what two fields differ that should mean the same."""
    if len(field.places) != len(other.places):
        yield Apart("bits", str(len(field.places)), str(len(other.places)))
    if field.places.bits != other.places.bits and sorted(field.places.bits) == sorted(other.places.bits):
        yield Apart("order", str(field.places), str(other.places), "the order of its bytes is turned round")
    elif field.places.bits != other.places.bits and len(field.places) == len(other.places):
        yield Apart("places", str(field.places), str(other.places))
    if field.is_signed != other.is_signed:
        yield Apart("sign", *("with", "without") if field.is_signed else ("without", "with"))
    elif field.kind is not other.kind:
        yield Apart("kind", field.kind.value, other.kind.value)
    if field.ratio != other.ratio:
        is_turned = field.ratio * other.ratio == 1 and field.ratio != 1
        lead = "the ratio is the wrong way round" if is_turned else ""
        yield Apart("step", format_exact(field.ratio), format_exact(other.ratio), lead)
    if field.offset != other.offset:
        is_doubled = field.offset != 0 and (other.offset == 2 * field.offset)
        is_turned = field.offset != 0 and other.offset == -field.offset
        lead = "the offset is doubled" if is_doubled else "the sign of the offset is turned" if is_turned else ""
        yield Apart("offset", format_exact(field.offset), format_exact(other.offset), lead)
    if field.unit != other.unit:
        yield Apart("unit", field.unit or "no unit", other.unit or "no unit")
