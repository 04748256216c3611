"""Polynomials over GF(2) as whole numbers, the bit of value ``2**n`` being the coefficient of ``x**n``."""

from __future__ import annotations

from collections.abc import Iterable


def remainder(number: int, by: int) -> int:
    """Return the remainder of a division."""
    top = by.bit_length()
    while number.bit_length() >= top:
        number ^= by << (number.bit_length() - top)
    return number


def common_divisor(one: int, other: int) -> int:
    """Return the greatest common divisor (Euclid)."""
    while other:
        one, other = other, remainder(one, other)
    return one


def common_divisor_of(numbers: Iterable[int], least_degree: int) -> int:
    """Return the greatest common divisor of many; 0 as soon as its degree is below what is wanted."""
    found = 0
    for number in numbers:
        found = common_divisor(found, number) if found else number
        if found and found.bit_length() - 1 < least_degree:
            return 0
    return found


def without_small_factors(number: int, degree: int) -> int:
    """Return a number without factors x and (x + 1), as long as its degree stays at least what is wanted."""
    for factor in (0b10, 0b11):
        while number.bit_length() - 1 > degree and not remainder(number, factor):
            number = divided(number, factor)
    return number


def divided(number: int, by: int) -> int:
    """Return the quotient of a division."""
    quotient, top = 0, by.bit_length()
    while number.bit_length() >= top:
        shift = number.bit_length() - top
        quotient |= 1 << shift
        number ^= by << shift
    return quotient


def divisors_of_degree(number: int, degree: int) -> list[int]:
    """Return the divisors of a degree whose lowest coefficient is 1, for degrees of up to 8 by trying all."""
    if number.bit_length() - 1 == degree:
        return [number] if number & 1 else []
    if degree > 8:
        return []
    return [one for one in range((1 << degree) | 1, 2 << degree, 2) if not remainder(number, one)]


def reflected(number: int, width: int) -> int:
    """Return a number with its bits turned round."""
    return int(f"{number:0{width}b}"[::-1], 2)


BYTE_REFLECTED = bytes(reflected(byte, 8) for byte in range(256))
"""Every byte with its bits turned round."""
