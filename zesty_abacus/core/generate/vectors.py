"""Payloads with what they mean, by the codec: what generated code is tried against, here and where it is used."""

from __future__ import annotations

import random
from dataclasses import dataclass
from fractions import Fraction

import msgspec
import numpy as np

from ..codec.columns import CheckState, Decoded, Validity
from ..codec.decode import decode
from ..codec.encode import EncodeError
from ..codec.messages import encode_message
from ..codec.plan import compile_layout
from ..codec.scalar import bits_of_raw, physical_of
from ..layouts.fields import Field, FieldKind
from ..layouts.model import Layout, Rule
from .carried import CarriedMessage
from .rounding import equations_are_sure

OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE = "ok", "too_short", "check_failed", "other_shape"
RESULTS = OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE
_ABSENT = int(Validity.ABSENT), int(Validity.TOO_SHORT)


@dataclass(frozen=True, slots=True)
class Expected:
    """What a field of a payload is.

    Attributes
    ----------
    is_there
    raw
        Its number; of text and raw bytes the bytes; None where it is not there, or no number.
    value
        Its value, NaN where there is none; of text and raw bytes NaN.
    """

    is_there: bool
    raw: int | bytes | None
    value: float


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
    comes_back
        Whether packing what was unpacked gives the payload again: it was made by the codec, none of its numbers is the
        second zero that some ways of writing numbers have, and no equation gives a number that rounding could change.
    """

    payload: bytes
    result: str
    fields: dict[str, Expected]
    computed: dict[str, float]
    comes_back: bool = False


def vectors_of(message: CarriedMessage, count: int, seed: int = 0) -> list[Vector]:
    """Return payloads of a message: frames that hold, frames of any bits, and one that is too short.

    They stay the same for a layout and seed, so that a file of them changes only where its layout does.
    """
    layout = message.layout
    chance = random.Random(f"{layout.id.hex}{seed}")
    payloads: dict[bytes, bool] = {}
    for _ in range(count):
        noise = chance.randbytes(message.size_of_all)
        made = made_whole(layout, noise)
        payloads |= {noise: payloads.get(noise, False)} | ({made: True} if made is not None else {})
    vectors = []
    for payload, is_made in list(payloads.items())[:count]:
        vector = vector_of(message, payload)
        comes_back = is_made and vector.result == OK and _is_told_one_way(message, vector)
        vectors.append(msgspec.structs.replace(vector, comes_back=comes_back))
    if message.size_of_all > 1:
        vectors.append(vector_of(message, next(iter(payloads))[: message.size_of_all // 2]))
    return vectors


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
    layout = message.layout
    width = -(-max(len(payload), message.size_of_all, 1) // 8) * 8
    matrix = np.frombuffer(payload.ljust(width, b"\0"), np.uint8).reshape(1, -1)
    sizes = np.array([len(payload)], np.uint32)
    decoded = decode(compile_layout(layout), matrix, sizes, address=message.address)
    # shape and checks overrule what fields say, so what they themselves are is asked of the layout without them
    plain = decode(compile_layout(_unchecked(layout)), matrix, sizes, address=message.address)
    # of a field that a payload ends before, its selector still says whether it would be there
    longer = decode(compile_layout(_unchecked(layout)), matrix, np.array([width], np.uint32), address=message.address)
    is_short = any(
        int(longer[one.field.id].validity[0]) != Validity.ABSENT and len(payload) < one.field.places.size_needed
        for one in message.fields
    )
    fields = {one.field.name: _expected(plain, one.field) for one in message.fields}
    if is_short:
        return Vector(payload, TOO_SHORT, fields, {})
    computed = {one.value.name: float(plain[one.value.id].plot_values()[0]) for one in message.computed}
    return Vector(payload, _result(message, decoded, matrix, sizes), fields, computed)


def _unchecked(layout: Layout) -> Layout:
    anything = msgspec.structs.replace(layout.applies, sizes=type(layout.applies.sizes)(), pattern="")
    # limits of computed values are no matter of the number itself
    computed = tuple(msgspec.structs.replace(one, low=None, high=None) for one in layout.computed)
    return msgspec.structs.replace(layout, checks=(), computed=computed, applies=anything)


def _expected(decoded: Decoded, field: Field) -> Expected:
    column = decoded[field.id]
    state = int(column.validity[0])
    if state in _ABSENT:
        return Expected(False, None, float("nan"))
    if column.raw is None:
        assert column.content is not None, "it is text or raw bytes"
        return Expected(True, column.content[0].tobytes(), float("nan"))
    raw = None if state == Validity.NOT_READABLE else int(column.raw[0])
    value = float(column.value[0]) if column.value is not None and bool(column.has_value[0]) else float("nan")
    return Expected(True, raw, value)


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


def made_whole(layout: Layout, noise: bytes) -> bytes | None:
    """Return a frame whose fields are those of any bits and whose checks agree; None if there is none like that."""
    matrix = np.frombuffer(noise.ljust(-(-len(noise) // 8) * 8 or 8, b"\0"), np.uint8).reshape(1, -1)
    plain = decode(compile_layout(_unchecked(layout)), matrix, np.array([len(noise)], np.uint32))
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
