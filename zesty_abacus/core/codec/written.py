"""Numbers and names as the columns of a text line say them."""

from __future__ import annotations

from dataclasses import dataclass, replace
from decimal import Decimal
from fractions import Fraction

import numpy as np
from numpy.typing import NDArray

from ..kernels.text import LONG, NOT_A_NUMBER, PLAIN, Digits, read_digits
from ..layouts.model import Field, FieldKind
from ..layouts.names import word_of
from ..layouts.numbers import format_exact
from .columns import FieldColumn
from .encode import EncodeError, Value, exact_of, raw_said, whole_of
from .scalar import FLOAT_CODES, bits_of_float, float_of_bits, physical_of
from .scaling import CommonScale, nearest

_BITS_A_DIGIT = {2: 1, 8: 3, 16: 4}
_LONGEST_WORD = 8
_HALF, _WHOLE = 1 << 63, 1 << 64
_FORMATS = {2: "b", 8: "o", 10: "d", 16: "X"}
_DECIMALS, _MOST_DECIMALS = 6, 40
_USUAL_FLOAT_DIGITS = 8


@dataclass(slots=True, eq=False)
class Written:
    """What is written in a column.

    Attributes
    ----------
    raw : int64 or uint64 (n,)
        The digits; of floating point its bit pattern.
    value : the same, or float64 (n,)
    good : bool (n,)
        Where it can be read.
    """

    raw: NDArray
    value: NDArray
    good: NDArray[np.bool_]


@dataclass(frozen=True, slots=True, eq=False)
class Spots:
    """Where a column stands: ``matrix[row, begin:end]``, one a line; int64 (n,) each."""

    matrix: NDArray[np.uint8]
    row: NDArray[np.int64]
    begin: NDArray[np.int64]
    end: NDArray[np.int64]

    def text(self, place: int) -> bytes:
        """Return the characters of a line's column."""
        return self.matrix[self.row[place], self.begin[place] : self.end[place]].tobytes()


def read_written(one: Field, spots: Spots) -> Written:
    """Read what a field's column holds, with its ratio and offset, but not yet along a curve."""
    digits = read_digits(spots.matrix, spots.row, spots.begin, spots.end, one.base)
    if one.kind in (FieldKind.NAMES, FieldKind.FLAG):
        return _words_or_digits(digits, spots)
    if one.base != 10:
        return _patterns(one, digits) if one.kind is FieldKind.FLOAT else _in_a_base(one, digits)
    return _decimals(one, digits, spots)


def _words_or_digits(digits: Digits, spots: Spots) -> Written:
    """Read digits, or a word of up to eight characters that stands for their codes, the first one highest."""
    raw = _signed(digits)
    good = (digits.state == PLAIN) & (digits.tens == 0) & _fits(digits)
    length = spots.end - spots.begin
    words = ~good & (length >= 1) & (length <= _LONGEST_WORD) & (spots.begin >= 0)
    codes = np.zeros(len(raw), np.uint64)
    for place in range(_LONGEST_WORD):
        rows = np.flatnonzero(words & (length > place))
        characters = spots.matrix[spots.row[rows], spots.begin[rows] + place]
        codes[rows] = codes[rows] << np.uint64(8) | characters.astype(np.uint64)
    words &= codes < _HALF
    raw = np.where(words, codes.astype(np.int64), raw)
    return Written(raw, raw, good | words)


def _signed(digits: Digits) -> NDArray[np.int64]:
    sizes = digits.size.astype(np.int64)
    return np.where(digits.negative, -sizes, sizes)


def _fits(digits: Digits) -> NDArray[np.bool_]:
    """Return which numbers 64 bits with a sign hold."""
    return digits.size < np.where(digits.negative, np.uint64(_HALF + 1), np.uint64(_HALF))


def _in_a_base(one: Field, digits: Digits) -> Written:
    good = digits.state == PLAIN
    if one.is_signed:
        # without a sign the highest digit written holds it, as in two's complement
        width = np.clip((digits.length if not one.digits else one.digits) * _BITS_A_DIGIT[one.base], 1, 64)
        turned = ~digits.negative & (digits.size >> (width - 1).astype(np.uint64) & np.uint64(1)).astype(np.bool_)
        shift = (64 - width).astype(np.uint64)
        below = (digits.size << shift).astype(np.int64) >> shift.astype(np.int64)
        raw: NDArray = np.where(turned, below, _signed(digits))
        good &= turned | _fits(digits)
    elif digits.negative.any():
        raw, good = _signed(digits), good & _fits(digits)
    else:
        raw = digits.size if (digits.size >= _HALF).any() else digits.size.astype(np.int64)
    return Written(raw, raw if _is_unscaled(one) else nearest(raw, one.ratio, one.offset), good)


def _patterns(one: Field, digits: Digits) -> Written:
    """Read hex digits as the bit pattern of a float of as many bits."""
    raw = digits.size
    good = (digits.state == PLAIN) & ~digits.negative
    value = np.full(len(raw), np.nan)
    known = np.zeros(len(raw), np.bool_)
    for width in FLOAT_CODES:
        rows = np.flatnonzero(good & (digits.length == width // _BITS_A_DIGIT[16]))
        value[rows] = raw[rows].astype(f"u{width // 8}").view(f"f{width // 8}").astype(np.float64)
        known[rows] = True
    if not _is_unscaled(one):
        value = value * float(one.ratio) + float(one.offset)
    return Written(raw, value, good & known)


def _decimals(one: Field, digits: Digits, spots: Spots) -> Written:
    good = digits.state != NOT_A_NUMBER
    is_float = one.kind is FieldKind.FLOAT
    long = (digits.state == LONG) | ~_fits(digits)
    raw = np.where(long, 0, _signed(digits))
    if not is_float and _is_unscaled(one) and not one.is_curved and not digits.tens[good].any():
        # digits that are no whole number of 64 bits have no place in a column of them
        return Written(raw, raw, good & ~long) if not long.any() else _large(raw, good, long, spots)
    value = _scaled(one, raw, digits.tens, good & ~long)
    for row in np.flatnonzero(good & long).tolist():
        exact = Fraction(spots.text(row).decode("ascii")) * one.ratio + one.offset
        value[row] = CommonScale(exact.numerator, 0, exact.denominator).exactly(1)
    return Written(value.view(np.uint64) if is_float else raw, value, good)


def _scaled(one: Field, raw: NDArray[np.int64], tens: NDArray, plain: NDArray[np.bool_]) -> NDArray[np.float64]:
    """Return the values of plain numbers, each with its power of ten; zero for the others."""
    if len(raw) and plain.all() and tens.min() == tens.max():
        # a column is mostly written with as many decimals everywhere
        return nearest(raw, one.ratio * Fraction(10) ** int(tens[0]), one.offset)
    value = np.zeros(len(raw))
    for power in np.unique(tens[plain]):
        rows = np.flatnonzero(plain & (tens == power))
        value[rows] = nearest(raw[rows], one.ratio * Fraction(10) ** int(power), one.offset)
    return value


def _large(raw: NDArray[np.int64], good: NDArray[np.bool_], long: NDArray[np.bool_], spots: Spots) -> Written:
    """Return whole numbers some of which only 64 bits without a sign hold."""
    rows = np.flatnonzero(good & long).tolist()
    numbers = {row: int(spots.text(row)) for row in rows}
    fits = [row for row, number in numbers.items() if _HALF <= number < _WHOLE]
    good = good & ~long
    if fits and not (raw < 0).any():
        wide = raw.astype(np.uint64)
        wide[fits] = np.array([numbers[row] for row in fits], np.uint64)
        good[fits] = True
        return Written(wide, wide, good)
    return Written(raw, raw, good)


def _is_unscaled(one: Field) -> bool:
    return (one.ratio, one.offset) == (1, 0)


def single_quotes(column: FieldColumn, quote: int) -> FieldColumn:
    """Return a column of text in which a quote that is written twice stands once."""
    assert column.content is not None, "numbers have no quotes"
    is_quote = column.content == quote
    if not is_quote.any():
        return column
    # within quotes they come in pairs, of which the first one stays
    gone = is_quote & (np.cumsum(is_quote, axis=1) % 2 == 0)
    order = np.argsort(gone, axis=1, kind="stable")
    content = np.take_along_axis(np.where(gone, 0, column.content), order, axis=1).astype(np.uint8)
    assert column.lengths is not None, "columns of text have lengths"
    return replace(column, content=content, lengths=column.lengths - gone.sum(axis=1))


@dataclass(frozen=True, slots=True)
class Said:
    """A value as a column says it: the text, what was lost on the way, and what will be read back."""

    text: str
    loss: Fraction
    raw: int
    value: Fraction


def text_of(one: Field, value: Value) -> Said:
    """Return what a column of numbers says of a value.

    Raises
    ------
    EncodeError
        If it cannot say it.
    """
    if one.kind is FieldKind.FLOAT:
        return _float_text(one, exact_of(one, value))
    if raw_said(one, value) is not None or one.kind in (FieldKind.NAMES, FieldKind.FLAG) or one.base != 10:
        raw, loss = whole_of(one, value)
        is_word = one.kind in (FieldKind.NAMES, FieldKind.FLAG)
        text = word_of(raw) if is_word and one.base == 10 else ""
        return Said(text or _digits_text(one, raw), loss, raw, physical_of(one, raw))
    wanted = exact_of(one, value)
    plain = (wanted - one.offset) / one.ratio
    text = format_exact(plain)
    if "/" in text:
        text = _decimals_text(plain)
    if one.digits and plain.denominator == 1:
        text = _filled(text, one.digits)
    said = Fraction(text)
    sent = said * one.ratio + one.offset
    return Said(text, wanted - sent, int(text.replace(".", "")), sent)


def _digits_text(one: Field, raw: int) -> str:
    bits = _BITS_A_DIGIT.get(one.base, 0)
    letter = _FORMATS[one.base]
    if one.is_signed and one.base != 10:
        if one.digits:
            width = one.digits * bits
            if not -(1 << width - 1) <= raw < 1 << width - 1:
                raise EncodeError(f"{raw} does not fit {one.digits} digits.", where=one.name)
            return f"{raw & ((1 << width) - 1):0{one.digits}{letter}}"
        text = f"{raw:{letter}}"
        # a highest digit that holds the sign would be read as one
        return f"0{text}" if raw >= 0 and (raw.bit_length() - 1) % bits == bits - 1 else text
    text = f"{raw:{letter}}"
    return _filled(text, one.digits)


def _filled(text: str, digits: int) -> str:
    return f"-{text[1:].rjust(digits, '0')}" if text.startswith("-") else text.rjust(digits, "0")


def _decimals_text(plain: Fraction) -> str:
    """Return a number without an end as decimals: six of them, more where it is small."""
    size = abs(plain)
    decimals = _DECIMALS
    while size and size < Fraction(1, 10) and decimals < _MOST_DECIMALS:
        size, decimals = size * 10, decimals + 1
    return f"{Decimal(round(plain * 10**decimals)).scaleb(-decimals):f}"


def _float_text(one: Field, wanted: Fraction) -> Said:
    plain = (wanted - one.offset) / one.ratio
    try:
        if one.base == 10:
            number = float(plain)
            text, bits = repr(number), bits_of_float(64, number)
        else:
            digits = one.digits or _USUAL_FLOAT_DIGITS
            bits = bits_of_float(digits * 4, float(plain))
            number, text = float_of_bits(digits * 4, bits), f"{bits:0{digits}X}"
    except OverflowError as error:
        raise EncodeError(f"{float(wanted):g} is beyond its floating point.", where=one.name) from error
    sent = physical_of(one, Fraction(number))
    return Said(text, wanted - sent, bits, sent)
