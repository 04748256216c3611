"""Bits of a payload to raw numbers and back, as C."""

from __future__ import annotations

from ...layouts.fields import FieldKind
from ...layouts.places import Places
from ..carried_fields import CarriedField
from ..pieces import Piece, pieces_of
from .numbers import of_type, range_of, raw_type, unsigned, word_type


def gather(places: Places, word: str) -> str:
    """Return an expression for the bits of a place, as a number of type ``word``."""
    bits = 64 if word == "uint64_t" else 32
    return " | ".join(_taken(piece, word, bits) for piece in pieces_of(places)) or "0U"


def _taken(piece: Piece, word: str, bits: int) -> str:
    text = f"({word})data[{piece.byte}]"
    if piece.right:
        text = f"{text} >> {piece.right}"
    if piece.mask != 0xFF >> piece.right:
        text = f"{f'({text})' if piece.right else text} & {unsigned(piece.mask, bits)}"
        text = f"({text})"
    elif piece.right:
        text = f"({text})"
    return f"({text} << {piece.left})" if piece.left else text


def scatter(places: Places, name: str) -> list[str]:
    """Return statements that put the bits of a number at a place, and leave all others."""
    lines = []
    for byte, right, mask, left in pieces_of(places):
        text = f"({name} >> {left})" if left else name
        text = f"({text} & {unsigned(mask, 32)})" if mask != 0xFF or len(places) > 8 else text
        text = f"({text} << {right})" if right else text
        kept = 0xFF & ~(mask << right)
        if kept:
            lines.append(f"data[{byte}] = (uint8_t)((data[{byte}] & {unsigned(kept, 32)}) | {text});")
        else:
            lines.append(f"data[{byte}] = (uint8_t){text};")
    return lines


def read_lines(one: CarriedField) -> list[str]:
    """Return statements that read a field from ``data`` into ``out``."""
    if not one.is_number:
        return _content(one, reading=True)
    field, word = one.field, word_type(one)
    width, bits, target = len(field.places), one.bits, f"out->{one.raw}"
    mask, sign = unsigned((1 << width) - 1, bits), unsigned(1 << width - 1, bits)
    lines = [f"{word} bits = {gather(field.places, word)};"]
    if field.inverted:
        lines.append(f"bits ^= {mask};")
    kind, cast = field.kind, raw_type(one)
    signed_word = "int64_t" if bits == 64 else "int32_t"
    if kind is FieldKind.SIGNED:
        # what is above the highest number has no defined conversion to a signed type
        lines.append(f"{target} = ({cast})((bits & {sign}) != 0U")
        lines.append(f"    ? -({signed_word})(bits ^ {mask}) - 1 : ({signed_word})bits);")
    elif kind is FieldKind.SIGN_MAGNITUDE:
        lines.append(f"{target} = ({cast})((bits & {sign}) != 0U")
        lines.append(f"    ? -({signed_word})(bits ^ {sign}) : ({signed_word})bits);")
    elif kind is FieldKind.ONES_COMPLEMENT:
        lines.append(f"{target} = ({cast})((bits & {sign}) != 0U")
        lines.append(f"    ? -({signed_word})(bits ^ {mask}) : ({signed_word})bits);")
    elif kind is FieldKind.BCD:
        lines.append(f"{target} = ({cast})number_of_digits((uint64_t)bits, {width // 4}U);")
    elif kind is FieldKind.BCD_BYTES:
        lines.append(f"{target} = ({cast})number_of_digit_bytes((uint64_t)bits, {width // 8}U);")
    elif kind is FieldKind.GRAY:
        lines.append(f"{target} = ({cast})number_of_gray((uint64_t)bits);")
    else:
        lines.append(f"{target} = ({cast})bits;")
    return ["{", *(f"    {line}" for line in lines), "}"]


def write_lines(one: CarriedField, source: str, out_of_range: str) -> list[str]:
    """Return statements that write a field of ``source`` into ``data``; a number that does not fit returns."""
    if not one.is_number:
        return _content(one, reading=False, source=source)
    field, word = one.field, word_type(one)
    width, bits = len(field.places), one.bits
    mask, raw = unsigned((1 << width) - 1, bits), f"{source}->{one.raw}"
    lines = [f"{word} bits = {_bits_of(one, raw, word)};"]
    if field.inverted:
        lines.append(f"bits ^= {mask};")
    lines += scatter(field.places, "bits")
    made = ["{", *(f"    {line}" for line in lines), "}"]
    if one.unreadable is not None:
        # digits that were none stay as they are in data
        made[0] = f"if ({raw} != {unsigned(one.unreadable, bits)}) {{"
    limits = beyond_its_bits(one, source)
    if one.unreadable is not None and limits:
        limits = f"{raw} != {unsigned(one.unreadable, bits)} && ({limits})"
    return [*([f"if ({limits})", f"    return {out_of_range};"] if limits else []), *made]


def beyond_its_bits(one: CarriedField, source: str) -> str:
    """Return the condition that a number of ``source`` is none its field holds; empty if its type holds no other."""
    raw, kind = f"{source}->{one.raw}", raw_type(one)
    (low, high), (lowest, highest) = one.raw_range, range_of(kind)
    below = [f"{raw} < {of_type(low, kind)}"] if low > lowest else []
    above = [f"{raw} > {of_type(high, kind)}"] if high < highest else []
    return " || ".join([*below, *above])


def _bits_of(one: CarriedField, raw: str, word: str) -> str:
    field = one.field
    width, bits = len(field.places), one.bits
    mask = unsigned((1 << width) - 1, bits)
    if field.kind is FieldKind.SIGNED:
        return f"({word})(int64_t){raw} & {mask}" if bits == 64 else f"({word})(int32_t){raw} & {mask}"
    if field.kind is FieldKind.SIGN_MAGNITUDE:
        return f"{raw} < 0 ? ({unsigned(1 << width - 1, bits)} | ({word})(-{raw})) : ({word}){raw}"
    if field.kind is FieldKind.ONES_COMPLEMENT:
        return f"{raw} < 0 ? (({word})(-{raw}) ^ {mask}) : ({word}){raw}"
    if field.kind is FieldKind.BCD:
        return f"({word})digits_of_number((uint64_t){raw}, {width // 4}U, 4U)"
    if field.kind is FieldKind.BCD_BYTES:
        return f"({word})digits_of_number((uint64_t){raw}, {width // 8}U, 8U)"
    if field.kind is FieldKind.GRAY:
        return f"({word}){raw} ^ (({word}){raw} >> 1)"
    return f"({word}){raw}"


def _content(one: CarriedField, *, reading: bool, source: str = "") -> list[str]:
    """Return statements that copy text or bytes, the first letter first."""
    field = one.field
    flip = " ^ 0xFFU" if field.inverted else ""
    lines = []
    for number in range(one.length):
        places = Places(field.places.bits[number * 8 : number * 8 + 8])
        if reading:
            taken = gather(places, "uint32_t")
            text = f"({taken}){flip}" if flip else taken
            lines.append(f"out->{one.raw}[{number}] = (uint8_t)({text});")
        else:
            lines += scatter(places, f"((uint32_t){source}->{one.raw}[{number}]{flip})")
    return _as_copies(lines, one, source, reading=reading)


def _as_copies(lines: list[str], one: CarriedField, source: str, *, reading: bool) -> list[str]:
    """Return one copy where all bytes lie in a row, which of a long text is less to read."""
    bits = one.field.places.bits
    in_a_row = one.field.places.is_whole_bytes and bits[::8] == tuple(range(bits[0], bits[0] + len(bits), 8))
    if not in_a_row or one.field.inverted:
        return lines
    first = bits[0] // 8
    if reading:
        return [f"memcpy(out->{one.raw}, data + {first}, {one.length}U);"]
    return [f"memcpy(data + {first}, {source}->{one.raw}, {one.length}U);"]
