"""Payloads with what they mean, by the codec: what generated code is tried against, here and where it is used."""

from __future__ import annotations

import random
from fractions import Fraction

import msgspec
import numpy as np

from ..codec.columns import CheckState, Decoded, Validity
from ..codec.decode import decode
from ..codec.encode import EncodeError, put_bits
from ..codec.messages import encode_message
from ..codec.scalar import bits_of_raw, physical_of
from ..layouts.fields import Field, FieldKind
from ..layouts.model import Rule
from .carried_message import CarriedMessage
from .expected import Inside, expected_of
from .moving_vectors import meaning_of
from .plans import as_matrix, plain_plan_of, plan_of
from .rounding import equations_are_sure
from .samples import is_said, moving_payloads

OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE = "ok", "too_short", "check_failed", "other_shape"
TOO_LONG = "too_long"
RESULTS = OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE, TOO_LONG
_ABSENT = int(Validity.ABSENT), int(Validity.TOO_SHORT)


class Vector(msgspec.Struct, frozen=True):
    """A payload and what it means.

    Attributes
    ----------
    result
        One of :data:`RESULTS`.
    inside
        What its struct holds; of what is too short no computed values, and nothing where parts move. None where that
        is not known.
    comes_back
        Whether packing what was unpacked gives the payload again: it was made by the codec, none of its numbers is the
        second zero that some ways of writing numbers have, and no equation gives a number that rounding could change.
    """

    payload: bytes
    result: str
    inside: Inside | None
    comes_back: bool = False

    @property
    def told(self) -> Inside:
        """What its struct holds, of a message of fixed places, where that is always known."""
        assert self.inside is not None, "only where parts move it may not be known"
        return self.inside


def vectors_of(message: CarriedMessage, count: int, seed: int = 0) -> list[Vector]:
    """Return payloads of a message: frames that hold, frames of any bits, and one that is too short.

    They stay the same for a layout and seed, so that a file of them changes only where its layout does.
    """
    if message.moves:
        return _moving_vectors(message, count, seed)
    layout = message.layout
    chance = random.Random(f"{layout.id.hex}{seed}")
    payloads: dict[bytes, bool] = {}
    for number in range(count):
        noise = _with_selectors(message, chance.randbytes(message.size_of_all), number)
        made = made_whole(message, noise)
        payloads |= {noise: payloads.get(noise, False)} | ({made: True} if made is not None else {})
    vectors = []
    for payload, is_made in list(payloads.items())[:count]:
        vector = vector_of(message, payload)
        comes_back = is_made and vector.result == OK and _is_told_one_way(message, vector)
        vectors.append(msgspec.structs.replace(vector, comes_back=comes_back))
    if message.size_of_all > 1:
        vectors.append(vector_of(message, next(iter(payloads))[: message.size_of_all // 2]))
    return vectors


def _with_selectors(message: CarriedMessage, noise: bytes, number: int) -> bytes:
    """Return any bits, of every second payload such that one of the fields under selectors is there, each in its turn.

    Chance alone finds a page of many hardly ever, and its fields would never be compared.
    """
    under = [one.field for one in message.fields if one.field.selected is not None]
    if not under or number % 2 == 0:
        return noise
    data, field = bytearray(noise), under[number // 2 % len(under)]
    while field.selected is not None:
        selector = message.field(field.selected.field).field
        first = next(iter(field.selected.values.spans), None)
        if first is not None:
            put_bits(data, selector, bits_of_raw(selector, first[0]))
        field = selector
    return bytes(data)


def _moving_vectors(message: CarriedMessage, count: int, seed: int) -> list[Vector]:
    vectors: dict[bytes, Vector] = {}
    for payload, given in moving_payloads(message, count, seed):
        vector = moving_vector(message, payload)
        if vector is not None and payload not in vectors:
            is_made = given is not None and vector.inside is not None and is_said(message, vector.inside, given)
            comes_back = is_made and vector.result == OK
            vectors[payload] = msgspec.structs.replace(vector, comes_back=comes_back)
    return list(vectors.values())


def moving_vector(message: CarriedMessage, payload: bytes) -> Vector | None:
    """Return what a payload means whose parts move; None where it ends too early and holds too much, both."""
    meaning = meaning_of(message, payload)
    if meaning.is_short or meaning.is_long:
        if meaning.is_short and meaning.is_long:
            return None
        return Vector(payload, TOO_SHORT if meaning.is_short else TOO_LONG, None)
    matrix, sizes = as_matrix(payload)
    decoded = decode(plan_of(message), matrix, sizes, address=message.address)
    return Vector(payload, _result(message, decoded, matrix, sizes), meaning.inside)


def _is_told_one_way(message: CarriedMessage, vector: Vector) -> bool:
    raws = {one.field.name: vector.told.fields[one.name].raw for one in message.fields}
    return _has_one_form(message, vector) and equations_are_sure(message, len(vector.payload), raws)


def _has_one_form(message: CarriedMessage, vector: Vector) -> bool:
    for one in message.fields:
        raw = vector.told.fields[one.name].raw
        if isinstance(raw, int) and one.field.kind is not FieldKind.FLOAT:
            bits = one.field.places.raw_in(vector.payload)
            if bits_of_raw(one.field, raw) != bits:
                return False
    return True


def vector_of(message: CarriedMessage, payload: bytes) -> Vector:
    """Return what a payload means by the codec."""
    matrix, sizes = as_matrix(payload, max(message.size_of_all, 1))
    decoded = decode(plan_of(message), matrix, sizes, address=message.address)
    # shape and checks overrule what fields say, so what they themselves are is asked of the layout without them
    plain = decode(plain_plan_of(message), matrix, sizes, address=message.address)
    # of a field that a payload ends before, its selector still says whether it would be there
    longer = decode(plain_plan_of(message), matrix, np.array([matrix.shape[1]], np.uint32), address=message.address)
    is_short = any(
        int(longer[one.field.id].validity[0]) != Validity.ABSENT and len(payload) < one.field.places.size_needed
        for one in message.fields
    )
    fields = {one.name: expected_of(plain[one.field.id], 0) for one in message.fields}
    if is_short:
        return Vector(payload, TOO_SHORT, Inside(fields, {}))
    computed = {one.name: float(plain[one.value.id].plot_values()[0]) for one in message.computed}
    return Vector(payload, _result(message, decoded, matrix, sizes), Inside(fields, computed))


def _result(message: CarriedMessage, decoded: Decoded, matrix, sizes) -> str:  # type: ignore[no-untyped-def]
    takes = message.layout.applies.accepts(matrix, sizes)
    if message.branch is not None:
        takes = takes & message.branch.holds(matrix, sizes)
    if not takes[0]:
        return OTHER_SHAPE
    failed = any(
        column.check.spoils and int(column.state[0]) == CheckState.DISAGREES for column in decoded.checks.values()
    )
    return CHECK_FAILED if failed else OK


def made_whole(message: CarriedMessage, noise: bytes) -> bytes | None:
    """Return a frame whose fields are those of any bits and whose checks agree; None if there is none like that."""
    layout = message.layout
    plain = decode(plain_plan_of(message), *as_matrix(noise))
    held = {one for check in layout.checks for one in check.held_by()}
    solved = {name for check in layout.checks if isinstance(check, Rule) for name in check.expression.names}
    values: dict[str, object] = {}
    for field in layout.fields:
        column = plain[field.id]
        is_given = field.id not in held and field.name not in solved
        if int(column.validity[0]) in (*_ABSENT, int(Validity.NOT_READABLE)) or not is_given:
            continue
        value = _value_of(field, column)
        if value is not None:
            values[field.name] = value
    try:
        return encode_message(layout, values).payload  # type: ignore[arg-type]
    except EncodeError:
        return None


def _value_of(field: Field, column) -> Fraction | bytes | None:  # type: ignore[no-untyped-def]
    if column.raw is None:
        return column.content[0].tobytes()
    if field.is_curved:
        return None
    if field.kind is FieldKind.FLOAT:
        value = float(column.value[0])
        return Fraction(value) if np.isfinite(value) else None
    return physical_of(field, int(column.raw[0]))
