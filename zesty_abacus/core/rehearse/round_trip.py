"""Physical to raw to physical: what is lost on the way, within one layout or from a sender's to a receiver's."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from fractions import Fraction

from ..codec.encode import get_value, put_bits, raw_of
from ..codec.scalar import physical_of
from ..layouts.apart import apart
from ..layouts.model import Field, FieldKind, Layout

_NO_AMOUNTS = (FieldKind.BITS, FieldKind.FLAG)
_TRIED = 501
_BETWEEN = Fraction(1, 2)
_SAID = {
    "bits": "{one} bits are sent, and {other} are read.",
    "places": "it is sent in {one}, and read from {other}.",
    "kind": "it is sent as {one}, and read as {other}.",
    "step": "a step is {one} where it is sent, and {other} where it is read.",
    "offset": "{one} where it is sent, {other} where it is read.",
    "unit": "it is sent in {one}, and read in {other}.",
}


@dataclass(frozen=True, slots=True)
class FieldTrip:
    """How the values of one field arrive.

    Attributes
    ----------
    name, unit
    meant, arrives
        The value that loses most, and what it becomes; None where nothing arrives.
    loss
        Their difference; None where nothing arrives.
    share
        The loss as a part of the field's whole range.
    words
        What is wrong, as sentences; empty if all is well.
    curve
        Values over the whole range, and what becomes of each (None: nothing).
    """

    name: str
    unit: str
    meant: Fraction | None
    arrives: Fraction | None
    loss: Fraction | None
    share: float
    words: tuple[str, ...]
    curve: tuple[tuple[Fraction, Fraction | None], ...] = ()


def round_trip(sender: Layout, receiver: Layout | None = None) -> list[FieldTrip]:
    """Return how each number field arrives, those that lose most first.

    Parameters
    ----------
    receiver
        The layout that reads what the sender wrote; the sender's own if left out. Fields are the same by their name.
    """
    receiver = receiver or sender
    others = {field.name: field for field in receiver.fields}
    made = []
    for field in sender.fields:
        # a name or a flag is what it is; nothing lies between two of them
        if not field.raw_is_number or not field.places.bits or field.names or field.kind in _NO_AMOUNTS:
            continue
        other = others.get(field.name)
        if other is None:
            said = (f"{receiver.name} has no field {field.name}.",)
            made.append(FieldTrip(field.name, field.unit, None, None, None, 0.0, said))
        elif other.raw_is_number:
            made.append(_trip(sender, field, other))
    return sorted(made, key=lambda one: -one.share)


def _trip(sender: Layout, field: Field, other: Field) -> FieldTrip:
    size = max(sender.size, field.places.size_needed, other.places.size_needed)
    curve = []
    worst: tuple[Fraction, Fraction, Fraction] | None = None
    for meant in _values(field):
        data = bytearray(size)
        bits, _ = raw_of(field, meant)
        put_bits(data, field, bits)
        _, arrives = get_value(data, other)
        curve.append((meant, arrives))
        if arrives is not None and (worst is None or abs(arrives - meant) > worst[0]):
            worst = abs(arrives - meant), meant, arrives
    span = abs(curve[-1][0] - curve[0][0]) if len(curve) > 1 else Fraction(0)
    loss = worst[0] if worst is not None else None
    share = float(loss / span) if loss is not None and span else 0.0
    words = tuple(_differences(field, other)) if field is not other else ()
    return FieldTrip(
        field.name, field.unit, worst[1] if worst else None, worst[2] if worst else None, loss, share, words,
        tuple(curve),
    )  # fmt: skip


def _values(field: Field) -> Iterator[Fraction]:
    """Yield values over the whole range of a field: on its steps, and half way between two of them."""
    if field.kind is FieldKind.FLOAT:
        low, high = field.low if field.low is not None else Fraction(-1000), field.high or Fraction(1000)
        yield from (low + (high - low) * n / (_TRIED - 1) for n in range(_TRIED))
        return
    first, last = field.raw_range()
    count = min(last - first, _TRIED - 1)
    for number in range(count + 1):
        raw = Fraction(first + (last - first) * number // max(count, 1))
        yield physical_of(field, raw)
        # a plain count has nothing between two of its numbers
        if not field.is_curved and raw + 1 <= last and (field.unit or field.ratio != 1):
            yield physical_of(field, raw + _BETWEEN * Fraction(98, 100))


def _differences(field: Field, other: Field) -> Iterator[str]:
    """Say how a receiver reads a field otherwise than it was sent."""
    for one in apart(field, other):
        lead = f"{one.lead}: " if one.lead else ""
        if one.what == "sign":
            signed, plain = ("sent", "read") if field.is_signed else ("read", "sent")
            yield f"it is {signed} with a sign, and {plain} without."
        else:
            yield lead + _SAID[one.what].format(one=one.one, other=one.other) if one.what != "order" else f"{one.lead}."
