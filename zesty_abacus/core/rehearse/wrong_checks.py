"""Checks made wrong on purpose, in bits and in digits of text, wherever in a message they stand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any
from uuid import UUID

import numpy as np

from ..codec.decode import decode
from ..codec.encode import Value, get_bits, put_bits
from ..codec.messages import encode_message
from ..codec.plan import compile_layout
from ..codec.scalar import physical_of
from ..layouts.checks.counter import Counter
from ..layouts.model import Field, Layout


def with_wrong_checks(layout: Layout, values: Mapping[str, Value | Sequence[Any]], payload: bytes) -> bytes:
    """Return a payload in which every check that stands there once is turned round: each of its bits, or digits.

    Those of items of an array stay as they are; counters are no checks over bytes.

    Parameters
    ----------
    values
        What the payload was made of.
    """
    held = {key for check in layout.all_checks() if not isinstance(check, Counter) for key in check.held_by()}
    fixed = {field.id for field in layout.fields}
    if held - fixed:
        payload = _written_again(layout, values, payload, held - fixed)
    data = bytearray(payload)
    for field in layout.fields:
        if field.id in held and field.places.size_needed <= len(data):
            put_bits(data, field, get_bits(data, field) ^ ((1 << len(field.places)) - 1))
    return bytes(data)


def _written_again(
    layout: Layout, values: Mapping[str, Value | Sequence[Any]], payload: bytes, held: set[UUID]
) -> bytes:
    """Return the payload made once more with other checks in the parts that have no fixed place."""
    matrix = np.zeros((1, -(-len(payload) // 8) * 8), np.uint8)
    matrix[0, : len(payload)] = np.frombuffer(payload, np.uint8)
    found = decode(compile_layout(layout), matrix, np.array([len(payload)], np.uint32)).columns
    wrong = {
        column.field.name: physical_of(column.field, _turned(column.field, int(column.raw[0])))
        for key, column in found.items() if key in held and column.raw is not None and column.has_value[0]
    }  # fmt: skip
    return encode_message(layout, {**values, **wrong}).payload


def _turned(field: Field, raw: int) -> int:
    """Return another number that takes as much room."""
    if len(field.places):
        return raw ^ ((1 << len(field.places)) - 1)
    return field.base**field.digits - 1 - raw if field.digits else raw ^ 1
