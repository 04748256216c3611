"""Sums, exclusive ors and cyclic redundancy checks over a stretch of every row.

CRC in the parameters of Williams, *A painless guide to CRC error detection algorithms* (1993), with a table of 256
steps; the sum with its carry brought round is that of RFC 1071.
"""

from __future__ import annotations

import numpy as np

from ..compiled import njit


@njit(cache=True, nogil=True)
def turn_round(number, width):  # type: ignore[no-untyped-def]
    """Return a number of ``width`` bits with the last first."""
    turned = np.uint64(0)
    for _ in range(width):
        turned = (turned << np.uint64(1)) | (number & np.uint64(1))
        number >>= np.uint64(1)
    return turned


@njit(cache=True, nogil=True)
def crc_table(width, polynomial, reflected):  # type: ignore[no-untyped-def]
    """Return 256 steps; of an unreflected CRC with the register at the top of 64 bits."""
    table = np.empty(256, np.uint64)
    one = np.uint64(1)
    if reflected:
        step = turn_round(polynomial, width)
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
def crcs(data, first, end, table, width, start, final, reflected, turn):  # type: ignore[no-untyped-def]
    """Return a CRC over ``data[i, first[i] : end[i]]`` of every row; uint64 (n,)."""
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
            number = turn_round(number, width)
        found[i] = number ^ final
    return found


@njit(cache=True, nogil=True)
def sums(data, first, end, word_bytes, low_first, start, width, around, negated):  # type: ignore[no-untyped-def]
    """Return sums of words in ``data[i, first[i] : end[i]]``; ``negated`` is 0, 1 (turned) or 2 (negated)."""
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
def xors(data, first, end, start):  # type: ignore[no-untyped-def]
    """Return the bytes of ``data[i, first[i] : end[i]]`` exclusive-ored; uint8 (n,)."""
    found = np.empty(len(data), np.uint8)
    for i in range(len(data)):
        number = start
        for j in range(first[i], end[i]):
            number ^= data[i, j]
        found[i] = number
    return found
