"""Whether the checks of a layout agree, frame by frame.

Internet checksum: RFC 1071. CRC in the parameters of Williams, *A painless guide to CRC error detection
algorithms* (1993), with a table of 256 steps.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from uuid import UUID

import numpy as np
from numba import njit
from numpy.typing import NDArray

from ..expressions.columns import evaluate
from ..layouts.checks import (
    Carry,
    Check,
    Complement,
    Counter,
    Coverage,
    Crc,
    ReportOnly,
    Reserved,
    Rule,
    Sum,
    Xor,
)
from .columns import CheckColumn, CheckState, FieldColumn, Validity
from .part_kernels import gather_stretches
from .scope import Scope


def spoils(check: Check) -> bool:
    """Return whether a frame's values are invalid when this check disagrees."""
    return not isinstance(check, ReportOnly)


def run_checks(
    checks: Iterable[Check], matrix: NDArray[np.uint8], sizes: NDArray[np.integer], scope: Scope
) -> dict[UUID, CheckColumn]:
    """Return how each check came out in every frame.

    Parameters
    ----------
    matrix : uint8 (n, w)
        Payloads, zero beyond ``sizes``.
    sizes : (n,)
    scope
        With the columns of all fields that are there once a frame.
    """
    made = {}
    for check in checks:
        agrees, there = _CHECKERS[type(check)](check, matrix, sizes.astype(np.int64), scope)
        state = np.where(there, np.where(agrees, CheckState.AGREES, CheckState.DISAGREES), CheckState.NOT_THERE)
        made[check.id] = CheckColumn(check, state.astype(np.uint8))
    return made


Came = tuple[NDArray[np.bool_], NDArray[np.bool_]]


def _raw_of(scope: Scope, field_id: UUID) -> tuple[FieldColumn, NDArray, NDArray[np.bool_]]:
    column = scope.column(field_id)
    assert column.raw is not None
    there = (column.validity != Validity.ABSENT) & (column.validity != Validity.TOO_SHORT)
    return column, column.raw, there


def _bits_of(column: FieldColumn, raw: NDArray) -> NDArray[np.uint64]:
    """Return raw values as their bits, cut to the width of the field."""
    width = len(column.field.places) or 64
    return raw.astype(np.int64).view(np.uint64) & np.uint64((1 << width) - 1)


def _check_counter(check: Counter, _matrix: NDArray, _sizes: NDArray, scope: Scope) -> Came:
    column, raw, there = _raw_of(scope, check.field)
    wraps = check.wraps_at or 1 << min(len(column.field.places) or 62, 62)
    numbers = _bits_of(column, raw).astype(np.int64)
    agrees = np.ones(scope.count, np.bool_)
    rows = np.flatnonzero(there)
    if check.per:
        senders = [_raw_of(scope, one)[1][rows] for one in check.per]
        rows = rows[np.lexsort((rows, *senders))]
        changes = np.zeros(len(rows), np.bool_)
        for one in check.per:
            of_sender = _raw_of(scope, one)[1][rows]
            changes[1:] |= of_sender[1:] != of_sender[:-1]
    else:
        changes = np.zeros(len(rows), np.bool_)
    moved = (numbers[rows][1:] - numbers[rows][:-1] - check.step) % wraps == 0
    agrees[rows[1:]] = moved | changes[1:]
    return agrees, there


def _check_complement(check: Complement, _matrix: NDArray, _sizes: NDArray, scope: Scope) -> Came:
    one, raw, there = _raw_of(scope, check.field)
    other, other_raw, other_there = _raw_of(scope, check.of)
    ones = np.uint64((1 << len(one.field.places)) - 1)
    return (_bits_of(one, raw) ^ _bits_of(other, other_raw)) == ones, there & other_there


def _check_reserved(check: Reserved, matrix: NDArray[np.uint8], sizes: NDArray[np.int64], scope: Scope) -> Came:
    there = sizes >= check.places.size_needed
    agrees = np.ones(scope.count, np.bool_)
    width = len(check.places)
    for number, bit in enumerate(check.places):
        if bit // 8 >= matrix.shape[1]:
            break
        found = (matrix[:, bit // 8] >> np.uint8(bit % 8)) & 1
        agrees &= found == (check.value >> (width - 1 - number) & 1)
    return agrees, there


def _check_rule(check: Rule, _matrix: NDArray, _sizes: NDArray, scope: Scope) -> Came:
    result = evaluate(check.expression, scope)
    return result.values != 0, result.known_rows()


def expected_values(
    check: Sum | Xor | Crc, matrix: NDArray[np.uint8], sizes: NDArray[np.int64], scope: Scope
) -> tuple[NDArray[np.uint64], NDArray[np.bool_]]:
    """Return what a check over bytes should be in every frame, cut to its field, and where it can be told."""
    data, first, end, complete = covered(check.coverage, matrix, sizes, scope)
    width = len(scope.column(check.field).field.places) or 64
    if isinstance(check, Crc):
        found = crc_of(data, first, end, check)
    elif isinstance(check, Xor):
        found = _xors(data, first, end, np.uint8(check.start & 255))
    else:
        negated = ("none", "ones", "twos").index(check.negated)
        found = _sums(
            data, first, end, check.word_bytes, check.low_byte_first, np.uint64(check.start), check.width or width,
            check.carry is Carry.AROUND, negated,
        )  # fmt: skip
    return found & np.uint64((1 << width) - 1), complete


def _check_bytes(check: Sum | Xor | Crc, matrix: NDArray[np.uint8], sizes: NDArray[np.int64], scope: Scope) -> Came:
    column, raw, there = _raw_of(scope, check.field)
    found, complete = expected_values(check, matrix, sizes, scope)
    return found == _bits_of(column, raw), there & complete


_CHECKERS: dict[type, Callable[..., Came]] = {
    Counter: _check_counter, Complement: _check_complement, Reserved: _check_reserved, Rule: _check_rule,
    Sum: _check_bytes, Xor: _check_bytes, Crc: _check_bytes,
}  # fmt: skip


def covered(
    coverage: Coverage, matrix: NDArray[np.uint8], sizes: NDArray[np.int64], scope: Scope
) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
    """Return the bytes a check is taken over.

    Returns
    -------
    data : uint8 (n, k)
    first, end : int64 (n,)
        The bytes of each row are ``data[row, first : end]``.
    complete : bool (n,)
        Rows that hold all of them.
    """
    count = len(matrix)
    if coverage.places is not None:
        data = _picked_bits(matrix, coverage.places.bits)
        first, end = np.zeros(count, np.int64), np.full(count, data.shape[1], np.int64)
        complete = sizes >= coverage.places.size_needed
    else:
        begin, stop = evaluate(coverage.first, scope), evaluate(coverage.end, scope)
        first, end = begin.whole(0), stop.whole(0)
        complete = begin.known_rows() & stop.known_rows() & (first >= 0) & (first <= end) & (end <= sizes)
        data, end = matrix, np.where(complete, end, 0)
        first = np.where(complete, first, 0)
    if coverage.key_before or coverage.key_after or coverage.keys or coverage.address_bytes:
        data, first, end = _with_keys(coverage, data, first, end, scope)
    return np.ascontiguousarray(data), first, end, complete


def _picked_bits(matrix: NDArray[np.uint8], bits: tuple[int, ...]) -> NDArray[np.uint8]:
    numbers = np.array(bits)
    inside = numbers // 8 < matrix.shape[1]
    picked = np.zeros((len(matrix), len(bits)), np.uint8)
    known = numbers[inside]
    picked[:, inside] = (matrix[:, known // 8] >> (known % 8).astype(np.uint8)) & 1
    return np.packbits(picked, axis=1)


def _with_keys(
    coverage: Coverage, data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], scope: Scope
) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int64]]:
    """Put key and address bytes around what is covered; every row has room for the longest."""
    address = scope.value("address")[0].astype(np.int64)
    rows = np.arange(len(data), dtype=np.int64)
    width = int((end - first).max(initial=0))
    body, sizes = gather_stretches(data, rows, first, end, width)
    before = bytes.fromhex(coverage.key_before)
    after = bytes.fromhex(coverage.key_after)
    keys = {key.address: bytes.fromhex(key.key) for key in coverage.keys}
    longest = max((len(key) for key in keys.values()), default=0)
    head = coverage.address_bytes + longest + len(before)
    made = np.zeros((len(data), head + width + len(after)), np.uint8)
    made[:, head - len(before) : head] = np.frombuffer(before, np.uint8)
    made[:, head : head + width] = body[:, :width]
    begin = np.full(len(data), head - len(before), np.int64)
    for of, key in keys.items():
        own = address == of
        begin[own] -= len(key)
        made[own, head - len(before) - len(key) : head - len(before)] = np.frombuffer(key, np.uint8)
    for place in range(coverage.address_bytes):
        shift = 8 * (place if coverage.address_low_first else coverage.address_bytes - 1 - place)
        made[rows, begin - coverage.address_bytes + place] = (address >> shift) & 255
    begin -= coverage.address_bytes
    stop = head + sizes
    for place, value in enumerate(after):
        made[rows, stop + place] = value
    return made, begin, stop + len(after)


def crc_of(data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], crc: Crc) -> NDArray[np.uint64]:
    """Return the CRC over ``data[row, first : end]`` of every row; uint64 (n,)."""
    table = _crc_table(crc.width, np.uint64(crc.polynomial), crc.reflect_in)
    start = np.uint64(_reflected(crc.start, crc.width) if crc.reflect_in else crc.start)
    turn = crc.reflect_in != crc.reflect_out
    return _crcs(data, first, end, table, crc.width, start, np.uint64(crc.final), crc.reflect_in, turn)


def _reflected(number: int, width: int) -> int:
    return int(f"{number:0{width}b}"[::-1], 2)


@njit(cache=True, nogil=True)
def _turn_round(number, width):  # type: ignore[no-untyped-def]
    turned = np.uint64(0)
    for _ in range(width):
        turned = (turned << np.uint64(1)) | (number & np.uint64(1))
        number >>= np.uint64(1)
    return turned


@njit(cache=True, nogil=True)
def _crc_table(width, polynomial, reflected):  # type: ignore[no-untyped-def]
    """Return 256 steps; of an unreflected CRC with the register at the top of 64 bits."""
    table = np.empty(256, np.uint64)
    one = np.uint64(1)
    if reflected:
        step = _turn_round(polynomial, width)
        for byte in range(256):
            number = np.uint64(byte)
            for _ in range(8):
                number = (number >> one) ^ step if number & one else number >> one
            table[byte] = number
    else:
        step = polynomial << np.uint64(64 - width)
        for byte in range(256):
            number = np.uint64(byte) << np.uint64(56)
            for _ in range(8):
                number = (number << one) ^ step if number >> np.uint64(63) else number << one
            table[byte] = number
    return table


@njit(cache=True, nogil=True)
def _crcs(data, first, end, table, width, start, final, reflected, turn):  # type: ignore[no-untyped-def]
    found = np.empty(len(data), np.uint64)
    lift = np.uint64(64 - width)
    for i in range(len(data)):
        number = start if reflected else start << lift
        for j in range(first[i], end[i]):
            byte = np.uint64(data[i, j])
            if reflected:
                number = (number >> np.uint64(8)) ^ table[(number ^ byte) & np.uint64(255)]
            else:
                number = (number << np.uint64(8)) ^ table[(number >> np.uint64(56)) ^ byte]
        if not reflected:
            number >>= lift
        if turn:
            number = _turn_round(number, width)
        found[i] = number ^ final
    return found


@njit(cache=True, nogil=True)
def _sums(data, first, end, word_bytes, low_first, start, width, around, negated):  # type: ignore[no-untyped-def]
    found = np.empty(len(data), np.uint64)
    mask = np.uint64(0xFFFFFFFFFFFFFFFF) >> np.uint64(64 - width)
    for i in range(len(data)):
        total = start
        for j in range(first[i], end[i], word_bytes):
            word = np.uint64(0)
            for k in range(word_bytes):
                byte = np.uint64(data[i, j + k]) if j + k < end[i] else np.uint64(0)
                word |= byte << np.uint64(8 * (k if low_first else word_bytes - 1 - k))
            total += word
            while around and total > mask:
                total = (total & mask) + (total >> np.uint64(width))
        if negated == 1:
            total = ~total
        elif negated == 2:
            total = np.uint64(0) - total
        found[i] = total & mask
    return found


@njit(cache=True, nogil=True)
def _xors(data, first, end, start):  # type: ignore[no-untyped-def]
    found = np.empty(len(data), np.uint8)
    for i in range(len(data)):
        number = start
        for j in range(first[i], end[i]):
            number ^= data[i, j]
        found[i] = number
    return found


def bits_under(
    check: Sum | Xor | Crc, matrix: NDArray[np.uint8], sizes: NDArray[np.int64], scope: Scope
) -> NDArray[np.bool_]:
    """Return which bits of each frame a check is taken over; bool (n, w * 8), without keys that are in no frame."""
    width = matrix.shape[1] * 8
    if check.coverage.places is not None:
        under = np.zeros((len(matrix), width), np.bool_)
        bits = np.array(check.coverage.places.bits, np.int64)
        under[:, bits[bits < width]] = True
        return under
    begin, stop = evaluate(check.coverage.first, scope), evaluate(check.coverage.end, scope)
    known = begin.known_rows() & stop.known_rows()
    byte = np.arange(matrix.shape[1])
    inside = (byte >= begin.whole(0)[:, None]) & (byte < np.minimum(stop.whole(0), sizes)[:, None])
    return np.repeat(inside & known[:, None], 8, axis=1)
