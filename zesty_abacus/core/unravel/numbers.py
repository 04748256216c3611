"""Bits as the numbers that a reading gives: what a finding calls the number of its places."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from .seen import Seen

NUMBERS = ("unsigned", "signed", "sign-magnitude", "gray", "bcd", "float")
"""Readings that give a quantity."""


def numbers_of(seen: Seen, bits: tuple[int, ...], reading: str) -> NDArray[np.float64]:
    """Return what bits, most significant first, say in every frame; float64 (n,)."""
    if reading == "float":
        if len(bits) == 64:
            return seen.raw(bits).view(np.float64)
        return seen.raw(bits).astype(np.uint32).view(np.float32).astype(np.float64)
    if reading == "gray":
        return of_gray(seen.raw(bits)).astype(np.float64)
    if reading == "bcd":
        return decimal_of(digits_of(seen, bits)).astype(np.float64)
    if reading == "sign-magnitude":
        return np.where(seen.raw(bits[:1]) > 0, -1.0, 1.0) * seen.raw(bits[1:])
    return seen.numbers(bits, signed=reading == "signed").astype(np.float64)


def digits_of(seen: Seen, bits: tuple[int, ...]) -> NDArray[np.int64]:
    """Return every four bits as a digit, the highest first; int64 (n, digits)."""
    return np.stack([seen.raw(bits[at : at + 4]) for at in range(0, len(bits), 4)], axis=1)


def decimal_of(digits: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the number that digits say, the highest first; int64 (n,)."""
    number = np.zeros(len(digits), np.int64)
    for place in range(digits.shape[1]):
        number = number * 10 + digits[:, place]
    return number


def of_gray(raw: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return numbers from their Gray code: each bit is the exclusive or of all those above it and itself."""
    number, shift = raw.copy(), 1
    while shift < 64:
        number ^= number >> shift
        shift <<= 1
    return number
