"""Kernel that tells from a few frames that no CRC of a width gives their checks.

The same arithmetic as of :mod:`~.polynomials`, on words of 64 bits: tens of thousands of stretches are asked about, and
nearly all are refuted.
"""

from __future__ import annotations

import numpy as np

from ...compiled import njit


@njit(cache=True, nogil=True)
def could_be_crc(rows, checks, width):  # type: ignore[no-untyped-def]
    """Return whether the differences of frames have a common divisor of at least the degree of a polynomial.

    Asked with the bits of bytes, and those of the check, in either order.

    Parameters
    ----------
    rows : uint8 (n, k)
    checks : uint64 (n,)
    width
        Of the check, at most 64 bits.
    """
    words = (rows.shape[1] * 8 + width) // 64 + 1
    one = np.zeros(words, np.uint64)
    other = np.zeros(words, np.uint64)
    for variant in range(4):
        turned_in, turned_out = variant >= 2, variant % 2 == 1
        degree = -1
        refuted = False
        for row in range(1, len(rows)):
            if degree < 0:
                degree = _difference(rows, checks, row, width, turned_in, turned_out, one)
            else:
                degree = _common(one, degree, other,
                                 _difference(rows, checks, row, width, turned_in, turned_out, other))  # fmt: skip
            if 0 <= degree < width:
                refuted = True
                break
        if degree >= 0 and not refuted:
            return True
    return False


@njit(cache=True, nogil=True)
def _difference(rows, checks, row, width, turned_in, turned_out, made):  # type: ignore[no-untyped-def]
    """Fill in the difference of a frame from the first one, its check behind it; return its degree, -1 for none."""
    made[:] = 0
    size = rows.shape[1]
    for place in range(size):
        byte = rows[row, place] ^ rows[0, place]
        for bit in range(8):
            if byte >> (7 - bit if turned_in else bit) & 1:
                at = (size - 1 - place) * 8 + bit + width
                made[at >> 6] ^= np.uint64(1) << np.uint64(at & 63)
    check = checks[row] ^ checks[0]
    for bit in range(width):
        if check >> np.uint64(width - 1 - bit if turned_out else bit) & np.uint64(1):
            made[bit >> 6] ^= np.uint64(1) << np.uint64(bit & 63)
    return _degree(made, len(made) * 64 - 1)


@njit(cache=True, nogil=True)
def _degree(number, most):  # type: ignore[no-untyped-def]
    """Return the place of the highest bit, -1 of zero; none is above ``most``."""
    for word in range(most >> 6, -1, -1):
        if number[word]:
            at = 63
            while not number[word] >> np.uint64(at) & np.uint64(1):
                at -= 1
            return word * 64 + at
    return -1


@njit(cache=True, nogil=True)
def _common(one, degree, other, degree_of_other):  # type: ignore[no-untyped-def]
    """Leave the greatest common divisor of two in the first of them and return its degree (Euclid)."""
    while degree_of_other >= 0:
        while degree >= degree_of_other:
            _subtract(one, other, degree - degree_of_other)
            degree = _degree(one, degree)
        # they change places
        for word in range(len(one)):
            one[word], other[word] = other[word], one[word]
        degree, degree_of_other = degree_of_other, degree
    return degree


@njit(cache=True, nogil=True)
def _subtract(one, other, shift):  # type: ignore[no-untyped-def]
    """Take a number that is moved up by so many bits out of another, by exclusive or."""
    words, bits = shift >> 6, np.uint64(shift & 63)
    for word in range(len(one) - 1, words - 1, -1):
        moved = other[word - words] << bits
        if bits and word > words:
            moved |= other[word - words - 1] >> (np.uint64(64) - bits)
        one[word] ^= moved
