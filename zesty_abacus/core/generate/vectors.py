"""Payloads with what they mean, by the codec: what generated code is tried against, here and where it is used."""

from __future__ import annotations

import random
from fractions import Fraction

import msgspec
import numpy as np

from ..codec.columns import CheckState, Decoded, Validity
from ..codec.decode import decode
from ..codec.encode import EncodeError
from ..codec.messages import encode_message
from ..codec.scalar import bits_of_raw, physical_of
from ..layouts.fields import Field, FieldKind
from ..layouts.model import Rule
from .carried import CarriedMessage
from .expected import Expected, Inside, expected_of
from .moving_vectors import Capacity, as_matrix, meaning_of
from .plans import plain_plan_of, plan_of
from .rounding import equations_are_sure
from .samples import is_said, moving_payloads

OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE = "ok", "too_short", "check_failed", "other_shape"
TOO_LONG = "too_long"
RESULTS = OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE, TOO_LONG
DEFAULT_CAPACITY: Capacity = {"items": 16, "text": 64}
_ABSENT = int(Validity.ABSENT), int(Validity.TOO_SHORT)


class Vector(msgspec.Struct, frozen=True):
    """A payload and what it means.

    Attributes
    ----------
    result
        One of :data:`RESULTS`.
    fields
        By name of the field.
    computed
        What computed values are, by name; NaN where there is none. Nothing of what is too short.
    inside
        Of a message whose parts move: what its struct and those in it hold, where the result says that they do.
    comes_back
        Whether packing what was unpacked gives the payload again: it was made by the codec, none of its numbers is the
        second zero that some ways of writing numbers have, and no equation gives a number that rounding could change.
    """

    payload: bytes
    result: str
    fields: dict[str, Expected]
    computed: dict[str, float]
    comes_back: bool = False
    inside: Inside | None = None


def vectors_of(
    message: CarriedMessage, count: int, seed: int = 0, *, capacity: Capacity = DEFAULT_CAPACITY
) -> list[Vector]:
    """Return payloads of a message: frames that hold, frames of any bits, and one that is too short.

    They stay the same for a layout and seed, so that a file of them changes only where its layout does.

    Parameters
    ----------
    capacity
        How much structs hold of what moves.
    """
    if message.moves:
        return _moving_vectors(message, count, seed, capacity)
    layout = message.layout
    chance = random.Random(f"{layout.id.hex}{seed}")
    payloads: dict[bytes, bool] = {}
    for _ in range(count):
        noise = chance.randbytes(message.size_of_all)
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


def _moving_vectors(message: CarriedMessage, count: int, seed: int, capacity: Capacity) -> list[Vector]:
    vectors: dict[bytes, Vector] = {}
    for payload, given in moving_payloads(message, count, seed):
        vector = moving_vector(message, payload, capacity)
        if vector is not None and payload not in vectors:
            is_made = given is not None and vector.inside is not None and is_said(message, vector.inside, given)
            comes_back = is_made and vector.result == OK
            vectors[payload] = msgspec.structs.replace(vector, comes_back=comes_back)
    return list(vectors.values())


def moving_vector(message: CarriedMessage, payload: bytes, capacity: Capacity = DEFAULT_CAPACITY) -> Vector | None:
    """Return what a payload means whose parts move; None where it ends too early and holds too much, both."""
    meaning = meaning_of(message, payload, capacity)
    if meaning.is_short or meaning.is_long:
        if meaning.is_short and meaning.is_long:
            return None
        return Vector(payload, TOO_SHORT if meaning.is_short else TOO_LONG, {}, {})
    matrix, sizes = as_matrix(payload)
    decoded = decode(plan_of(message), matrix, sizes, address=message.address)
    return Vector(payload, _result(message, decoded, matrix, sizes), {}, {}, inside=meaning.inside)


def _is_told_one_way(message: CarriedMessage, vector: Vector) -> bool:
    raws = {name: one.raw for name, one in vector.fields.items()}
    return _has_one_form(message, vector) and equations_are_sure(message, len(vector.payload), raws)


def _has_one_form(message: CarriedMessage, vector: Vector) -> bool:
    for one in message.fields:
        raw = vector.fields[one.field.name].raw
        if isinstance(raw, int) and one.field.kind is not FieldKind.FLOAT:
            bits = one.field.places.raw_in(vector.payload)
            if bits_of_raw(one.field, raw) != bits:
                return False
    return True


def vector_of(message: CarriedMessage, payload: bytes) -> Vector:
    """Return what a payload means by the codec."""
    width = -(-max(len(payload), message.size_of_all, 1) // 8) * 8
    matrix = np.frombuffer(payload.ljust(width, b"\0"), np.uint8).reshape(1, -1)
    sizes = np.array([len(payload)], np.uint32)
    decoded = decode(plan_of(message), matrix, sizes, address=message.address)
    # shape and checks overrule what fields say, so what they themselves are is asked of the layout without them
    plain = decode(plain_plan_of(message), matrix, sizes, address=message.address)
    # of a field that a payload ends before, its selector still says whether it would be there
    longer = decode(plain_plan_of(message), matrix, np.array([width], np.uint32), address=message.address)
    is_short = any(
        int(longer[one.field.id].validity[0]) != Validity.ABSENT and len(payload) < one.field.places.size_needed
        for one in message.fields
    )
    fields = {one.field.name: expected_of(plain[one.field.id], 0) for one in message.fields}
    if is_short:
        return Vector(payload, TOO_SHORT, fields, {})
    computed = {one.value.name: float(plain[one.value.id].plot_values()[0]) for one in message.computed}
    return Vector(payload, _result(message, decoded, matrix, sizes), fields, computed)


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
    matrix = np.frombuffer(noise.ljust(-(-len(noise) // 8) * 8 or 8, b"\0"), np.uint8).reshape(1, -1)
    plain = decode(plain_plan_of(message), matrix, np.array([len(noise)], np.uint32))
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
