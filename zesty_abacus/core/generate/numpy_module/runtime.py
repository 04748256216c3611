"""What every generated module has: its text is put in as it stands, so it names nothing of this package."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

import numpy as np

OK, TOO_SHORT, CHECK_FAILED, OTHER_SHAPE = range(4)
"""Results of unpacking: all there; a field that is there does not fit; a check does not agree; not of this message."""

_NO_NUMBER = 0xFFFF_FFFF_FFFF_FFFF


def _rows(data: Any) -> tuple[np.ndarray, bool]:
    """Return payloads as (n, size) uint8, and whether it is a single one."""
    if isinstance(data, (bytes, bytearray, memoryview)):
        return np.frombuffer(bytes(data), np.uint8).reshape(1, -1), True
    array = np.asarray(data)
    if array.dtype != np.uint8 or array.ndim not in (1, 2):
        raise ValueError("payloads are bytes, or uint8 of shape (size,) or (n, size)")
    return (array.reshape(1, -1), True) if array.ndim == 1 else (array, False)


def _one(array: np.ndarray, single: bool) -> Any:
    """Return what is said of a single payload without its axis, numbers as Python has them."""
    if not single:
        return array
    return array[0].item() if array.ndim == 1 else array[0].copy()


def _plain(array: Any) -> Any:
    """Return a value of a single struct as a number of Python."""
    return np.asarray(array).item() if np.ndim(array) == 0 else array


def _bits(rows: np.ndarray, pieces: tuple[tuple[int, int, int, int], ...]) -> np.ndarray:
    """Return bits as uint64 (n,): of each piece byte, right, mask and left."""
    bits = np.zeros(len(rows), np.uint64)
    for byte, right, mask, left in pieces:
        bits |= (rows[:, byte].astype(np.uint64) >> np.uint64(right) & np.uint64(mask)) << np.uint64(left)
    return bits


def _put(rows: np.ndarray, pieces: tuple[tuple[int, int, int, int], ...], bits: np.ndarray, there: Any) -> None:
    """Write bits into the rows where a field is there, and leave all others."""
    for byte, right, mask, left in pieces:
        new = (bits >> np.uint64(left) & np.uint64(mask)).astype(np.uint8) << np.uint8(right)
        kept = rows[:, byte] & np.uint8(0xFF & ~(mask << right))
        rows[:, byte] = np.where(there, kept | new, rows[:, byte])


def _content(rows: np.ndarray, octets: tuple[tuple[tuple[int, int, int, int], ...], ...]) -> np.ndarray:
    """Return text or raw bytes as uint8 (n, k)."""
    return np.stack([_bits(rows, pieces).astype(np.uint8) for pieces in octets], axis=1)


def _signed(bits: np.ndarray, width: int) -> np.ndarray:
    """Return numbers in two's complement as int64."""
    return (bits << np.uint64(64 - width)).view(np.int64) >> np.int64(64 - width)


def _sign_magnitude(bits: np.ndarray, width: int) -> np.ndarray:
    """Return numbers whose top bit is the sign, as int64."""
    sign = np.uint64(1 << (width - 1))
    size = (bits & ~sign).astype(np.int64)
    return np.where(bits & sign != 0, -size, size)


def _ones_complement(bits: np.ndarray, width: int) -> np.ndarray:
    """Return numbers whose negative ones are the inverse of the positive ones, as int64."""
    negative = bits & np.uint64(1 << (width - 1)) != 0
    turned = (bits ^ np.uint64((1 << width) - 1)).astype(np.int64)
    return np.where(negative, -turned, np.where(negative, 0, bits).astype(np.int64))


def _gray(bits: np.ndarray) -> np.ndarray:
    """Return numbers in reflected binary code."""
    for shift in (1, 2, 4, 8, 16, 32):
        bits = bits ^ bits >> np.uint64(shift)
    return bits


def _digits(bits: np.ndarray, count: int, width: int) -> np.ndarray:
    """Return numbers of decimal digits in so many bits each; all bits set where one is none."""
    number, wrong = np.zeros(len(bits), np.uint64), np.zeros(len(bits), bool)
    for place in range(count - 1, -1, -1):
        group = bits >> np.uint64(place * width) & np.uint64((1 << width) - 1)
        digit, above = group & np.uint64(15), group >> np.uint64(4)
        wrong |= (digit > 9) | ((above != 0) & (above != 3))
        number = number * np.uint64(10) + digit
    return np.where(wrong, np.uint64(_NO_NUMBER), number)


def _to_digits(number: np.ndarray, count: int, width: int) -> np.ndarray:
    """Return numbers as decimal digits in so many bits each."""
    bits = np.zeros(len(number), np.uint64)
    for place in range(count):
        bits |= number % np.uint64(10) << np.uint64(width * place)
        number = number // np.uint64(10)
    return bits


def _as_bits(raw: Any, width: int) -> np.ndarray:
    """Return raw numbers as bits in two's complement, uint64, cut to a width."""
    array = np.asarray(raw)
    wide = array.astype(np.int64).view(np.uint64) if array.dtype.kind == "i" else array.astype(np.uint64)
    return wide & np.uint64((1 << width) - 1)


def _float(raw: Any, width: int) -> np.ndarray:
    """Return IEEE 754 numbers of 16, 32 or 64 bits as float64."""
    pattern = np.asarray(raw).astype(f"u{width // 8}").view(f"f{width // 8}")
    with np.errstate(invalid="ignore"):
        return pattern.astype(np.float64)


def _float_bits(values: Any, width: int) -> np.ndarray:
    """Return the nearest IEEE 754 numbers of so many bits as their bits, uint64."""
    with np.errstate(over="ignore"):
        return np.asarray(values, np.float64).astype(f"f{width // 8}").view(f"u{width // 8}").astype(np.uint64)


def _scaled(raw: Any, times: int, plus: int, over: int) -> np.ndarray:
    """Return (raw * times + plus) / over, where one rounding is all there is."""
    return (np.asarray(raw).astype(np.float64) * float(times) + float(plus)) / float(over)


def _nearest(raw: Any, times: int, plus: int, over: int) -> np.ndarray:
    """Return the float64 nearest to (raw * times + plus) / over, in whole numbers of any size."""
    array = np.asarray(raw)
    values, back = np.unique(array, return_inverse=True)
    return np.array([(int(one) * times + plus) / over for one in values])[back].reshape(array.shape)


def _within(raw: Any, *spans: tuple[int, int]) -> np.ndarray:
    """Return which whole numbers lie in one of the spans, both ends included."""
    array = np.asarray(raw)
    info = np.iinfo(array.dtype)
    found = np.zeros(array.shape, bool)
    for low, high in spans:
        if low <= info.max and high >= info.min:
            found |= (array >= max(low, info.min)) & (array <= min(high, info.max))
    return found


def _starts(rows: np.ndarray, wanted: bytes, mask: bytes) -> np.ndarray:
    """Return which payloads begin as wanted where the mask has bits."""
    if rows.shape[1] < len(wanted):
        return np.zeros(len(rows), bool)
    first, bits = np.frombuffer(wanted, np.uint8), np.frombuffer(mask, np.uint8)
    return ((rows[:, : len(wanted)] & bits) == (first & bits)).all(axis=1)


def _covered(
    rows: np.ndarray, stretch: tuple[np.ndarray, np.ndarray] | tuple[int, ...], own: tuple[int, ...], before: bytes,
    after: bytes,
) -> Iterator[tuple[np.ndarray, Any]]:  # fmt: skip
    """Yield bytes that a check is taken over, uint8 (n,), and in which rows; its own bits count as zero.

    The stretch is first and last byte of each row, or bits one by one.
    """
    for octet in before:
        yield np.full(len(rows), octet, np.uint8), True
    cleared = rows.copy()
    for bit in own:
        if bit // 8 < rows.shape[1]:
            cleared[:, bit // 8] &= np.uint8(0xFF & ~(1 << bit % 8))
    if isinstance(stretch[0], np.ndarray):
        first, end = stretch
        for place in range(rows.shape[1]):
            yield cleared[:, place], (first <= place) & (place < end)
    else:
        bits = np.array(stretch)
        picked = (cleared[:, bits // 8] >> (bits % 8).astype(np.uint8)) & 1 if len(rows) else cleared[:, :0]
        for octets in np.packbits(picked, axis=1).T:
            yield octets, True
    for octet in after:
        yield np.full(len(rows), octet, np.uint8), True


def _turned(number: Any, width: int) -> Any:
    """Return numbers of so many bits with the last one first."""
    turned = number * 0
    for place in range(width):
        turned = turned | (number >> np.uint64(place) & np.uint64(1)) << np.uint64(width - 1 - place)
    return turned


def _crc(
    rows: np.ndarray, octets: Iterator[tuple[np.ndarray, Any]], width: int, polynomial: int, start: int, final: int,
    reflect_in: bool, reflect_out: bool,
) -> np.ndarray:  # fmt: skip
    """Return cyclic redundancy checks in the parameters of Williams (1993), uint64 (n,)."""
    one, top = np.uint64(1), np.uint64(64 - width)
    first = np.uint64(start)
    number = np.full(len(rows), _turned(first, width) if reflect_in else first << top, np.uint64)
    step = _turned(np.uint64(polynomial), width) if reflect_in else np.uint64(polynomial) << top
    for octet, there in octets:
        wide = octet.astype(np.uint64)
        new = number ^ (wide if reflect_in else wide << np.uint64(56))
        for _ in range(8):
            if reflect_in:
                new = np.where(new & one != 0, new >> one ^ step, new >> one)
            else:
                new = np.where(new >> np.uint64(63) != 0, new << one ^ step, new << one)
        number = np.where(there, new, number)
    if not reflect_in:
        number = number >> top
    return (_turned(number, width) if reflect_in != reflect_out else number) ^ np.uint64(final)


def _sum(
    rows: np.ndarray, octets: Iterator[tuple[np.ndarray, Any]], width: int, word_bytes: int, low_first: bool,
    start: int, around: bool, negated: str, halves: bool,
) -> np.ndarray:  # fmt: skip
    """Return sums of bytes, half bytes or words, uint64 (n,)."""
    mask = np.uint64((1 << width) - 1)
    total, word = np.full(len(rows), start, np.uint64), np.zeros(len(rows), np.uint64)
    place = np.zeros(len(rows), np.int64)

    def added(part: np.ndarray, there: Any) -> np.ndarray:
        new = np.where(there, total + part, total)
        while around and width < 64 and bool((there & (new > mask)).any()):
            new = np.where(there & (new > mask), (new & mask) + (new >> np.uint64(width)), new)
        return new

    for octet, there in octets:
        wide = octet.astype(np.uint64)
        if halves:
            total = added(wide >> np.uint64(4), there)
            total = added(wide & np.uint64(15), there)
            continue
        shift = (place % word_bytes if low_first else word_bytes - 1 - place % word_bytes) * 8
        word = np.where(there, word | wide << shift.astype(np.uint64), word)
        place = place + np.where(there, 1, 0)
        full = there & (place % word_bytes == 0)
        total, word = added(word, full), np.where(full, 0, word).astype(np.uint64)
    total = added(word, place % word_bytes != 0)
    turned = {"none": total, "ones": ~total, "twos": np.uint64(0) - total}[negated]
    return turned & mask


def _xor(rows: np.ndarray, octets: Iterator[tuple[np.ndarray, Any]], start: int, halves: bool) -> np.ndarray:
    """Return bytes, or half bytes, exclusive-ored, uint64 (n,)."""
    number = np.full(len(rows), start, np.uint8)
    for octet, there in octets:
        number = np.where(there, number ^ octet, number)
    return ((number >> 4 ^ number) & 15 if halves else number).astype(np.uint64)


def _whole(values: np.ndarray, known: Any) -> np.ndarray:
    """Return numbers cut towards zero as int64, 0 where there is none."""
    if values.dtype.kind == "f":
        fits = np.isfinite(values) & (np.abs(values) < 2.0**62)
        values = np.where(fits, values, 0).astype(np.int64)
    elif values.dtype == np.uint64:
        values = np.where(values <= np.uint64((1 << 63) - 1), values, np.uint64(0)).astype(np.int64)
    return np.where(known, values, 0)


def _is_whole(values: np.ndarray) -> np.ndarray:
    """Return which numbers have no fraction and fit 64 bits with a sign."""
    return (values == np.rint(values)) & (np.abs(values) < 2.0**63)


def _as_whole(values: np.ndarray) -> np.ndarray:
    """Return numbers for operations on bits; 0 where one has a fraction."""
    return np.where(_is_whole(values), values, 0).astype(np.int64) if values.dtype.kind == "f" else values


def _wide(values: np.ndarray) -> np.ndarray:
    """Return whole numbers as 64 bits."""
    return values.astype(np.int64).view(np.uint64) if values.dtype.kind == "i" else values.astype(np.uint64)


def _curve(values: np.ndarray, xs: tuple[float, ...], ys: tuple[float, ...]) -> np.ndarray:
    """Return straight lines between corners, held at the ends."""
    return np.interp(values, xs, ys)


def _polynomial(values: np.ndarray, coefficients: tuple[float, ...]) -> np.ndarray:
    """Return a polynomial of the values; coefficients from the constant on."""
    with np.errstate(over="ignore", invalid="ignore"):
        return np.polynomial.polynomial.polyval(values, coefficients)


def _fit(wrong: Any, name: str) -> None:
    """Raise ValueError where a number does not fit, naming the first row."""
    if np.any(wrong):
        raise ValueError(f"{name} does not fit its bits in row {int(np.flatnonzero(np.atleast_1d(wrong))[0])}")
