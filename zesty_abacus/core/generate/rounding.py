"""Where a machine that rounds on the way may give another number than the codec, which works equations out exactly."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from fractions import Fraction

from ..codec.scalar import bits_of_float, float_of_bits, nearest_raw, physical_of
from ..expressions.exactly import evaluate_node_exactly
from ..expressions.tree import ExpressionError, Node
from ..layouts.fields import Field, FieldKind
from ..layouts.model import Rule
from .carried_fields import CarriedField
from .carried_message import CarriedMessage
from .lowering import is_scaled, sides_of

_ROUNDED = Fraction(1, 1 << 50)
"""How far a number may be off after a few operations of 53 bits, as a share of it."""
_WHOLE = 1 << 53
"""Whole numbers up to here are held exactly by a double."""
Known = Mapping[str, Fraction | None]


def equations_are_sure(message: CarriedMessage, size: int, raws: Mapping[str, int | bytes | None]) -> bool:
    """Return whether each equation gives the same bits if what goes into it is off by as much as doubles round.

    Parameters
    ----------
    size
        Bytes of the frame.
    raws
        The raw number of each field by its name, as :class:`~.vectors.Expected` has them.
    """
    values, rounded = _values(message, raws)
    known = values | {"size": Fraction(size), "address": Fraction(message.address)}
    numbers = {name: raw for name, raw in raws.items() if isinstance(raw, int)}
    for check in message.layout.checks:
        sides = sides_of(message, check) if isinstance(check, Rule) else None
        if sides is not None and not _gives_one_number(*sides, known, numbers, rounded):
            return False
    return True


def _values(
    message: CarriedMessage, raws: Mapping[str, int | bytes | None]
) -> tuple[dict[str, Fraction | None], set[str]]:
    """Return the exact value of each number, and the names of those that a double only comes near."""
    values: dict[str, Fraction | None] = {}
    rounded: set[str] = set()
    for one in message.fields:
        raw = raws[one.field.name]
        if one.is_number:
            values[one.field.name] = _value(one.field, raw) if isinstance(raw, int) else None
            if is_scaled(one) or (isinstance(raw, int) and abs(raw) > _WHOLE):
                rounded.add(one.field.name)
    return values, rounded


def _value(field: Field, raw: int) -> Fraction | None:
    if field.kind is not FieldKind.FLOAT:
        return physical_of(field, raw)
    number = float_of_bits(len(field.places), raw)
    return physical_of(field, Fraction(number)) if abs(number) < float("inf") else None


def _gives_one_number(one: CarriedField, other: Node, known: Known, raws: Mapping[str, int], rounded: set[str]) -> bool:
    values = [_evaluated(other, numbers, raws) for numbers in (known, *_nearby(known, rounded))]
    if one.field.name not in raws or all(value is None for value in values):
        return True  # packing leaves the field alone
    if any(value is None for value in values):
        return False
    near = [number for value in values if value is not None for number in _as_doubles(value, one.field.offset)]
    # where checks go in a circle, the frame is not what its own equation gives
    return {_raw(one.field, number) for number in near} == {raws[one.field.name]}


def _evaluated(node: Node, known: Known, raws: Mapping[str, int]) -> Fraction | None:
    try:
        return evaluate_node_exactly(node, known, raws)
    except ExpressionError:
        return None


def _nearby(known: Known, rounded: set[str]) -> Iterator[Known]:
    for name in sorted(rounded):
        value = known[name]
        if value is not None:
            yield from ({**known, name: value * (1 + off)} for off in (_ROUNDED, -_ROUNDED))


def _as_doubles(value: Fraction, offset: Fraction) -> Iterator[Fraction]:
    yield value
    is_exact = value.denominator == 1 and abs(value) <= _WHOLE and offset.denominator == 1
    if not is_exact:
        off = _ROUNDED * max(abs(value), abs(offset))
        yield from (value + off, value - off)


def _raw(field: Field, value: Fraction) -> int | None:
    """Return what a value is written as; None where a machine may do so in more than one way, or not at all."""
    if field.kind is not FieldKind.FLOAT:
        return nearest_raw(field, value)
    try:
        scaled = float((value - field.offset) / field.ratio)
        # a zero is made with either sign
        return bits_of_float(len(field.places), scaled) if scaled else None
    except OverflowError:
        return None
