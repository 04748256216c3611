"""Bits of a block to raw numbers and back, as structured text."""

from __future__ import annotations

from ...layouts.fields import FieldKind
from ...layouts.places import Places
from ..carried_fields import CarriedField
from ..pieces import Piece, pieces_of
from .routine import indented
from .terms import Terms
from .types import as_bits, bits, converted, range_of, raw_type, whole

_UNITS = {1: "BYTE", 2: "WORD"}


def gather(pieces: list[Piece], unit_bytes: int) -> str:
    """Return an expression for the bits of pieces of ``data``, as LWORD."""
    return " OR ".join(_taken(piece, unit_bytes) for piece in pieces) or bits(0)


def _taken(piece: Piece, unit_bytes: int) -> str:
    text = f"{_UNITS[unit_bytes]}_TO_LWORD(data[{piece.byte}])"
    if piece.right:
        text = f"SHR({text}, {piece.right})"
    if piece.mask != (1 << 8 * unit_bytes) - 1 >> piece.right:
        text = f"({text} AND {bits(piece.mask)})"
    return f"SHL({text}, {piece.left})" if piece.left else text


def scatter(places: Places, name: str, unit_bytes: int) -> list[str]:
    """Return statements that put the bits of an LWORD at a place, and leave all others."""
    unit = _UNITS[unit_bytes]
    full = (1 << 8 * unit_bytes) - 1
    lines = []
    for byte, right, mask, left in pieces_of(places, unit_bytes):
        text = f"SHR({name}, {left})" if left else name
        text = f"{text} AND {bits(mask)}"
        text = f"SHL({text}, {right})" if right else f"({text})"
        kept = full & ~(mask << right)
        if kept:
            text = f"({unit}_TO_LWORD(data[{byte}]) AND {bits(kept)}) OR {text}"
        lines.append(f"data[{byte}] := LWORD_TO_{unit}({text});")
    return lines


def read_lines(terms: Terms, one: CarriedField) -> list[str]:
    """Return statements that read a field from ``data`` into ``raw``; ``bits`` is a variable for it."""
    unit = terms.unit_bytes
    if not one.is_number:
        return [f"raw.{one.raw}[{number}] := LWORD_TO_BYTE({_turned(one, gather(pieces_of(place, unit), unit))});"
                for number, place in enumerate(_octets(one))]  # fmt: skip
    field = one.field
    width, target, kind = len(field.places), f"raw.{one.raw}", raw_type(one)
    mask, sign = bits((1 << width) - 1), bits(1 << width - 1)
    lines = [f"bits := {gather(pieces_of(field.places, unit), unit)};"]
    if field.inverted:
        lines.append(f"bits := bits XOR {mask};")
    if field.kind is FieldKind.SIGNED:
        return [*lines, *_with_sign(width), f"{target} := {_number_of('bits', kind)};"]
    if field.kind in (FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT):
        # of both the bits without the sign are the size, of the second one turned round
        turned = sign if field.kind is FieldKind.SIGN_MAGNITUDE else mask
        below = converted(f"-LWORD_TO_LINT(bits XOR {turned})", "LINT", kind)
        return [*lines, f"IF (bits AND {sign}) <> {bits(0)} THEN", *indented([f"{target} := {below};"]), "ELSE",
                *indented([f"{target} := {_number_of('bits', kind)};"]), "END_IF;"]  # fmt: skip
    digits = {FieldKind.BCD: 4, FieldKind.BCD_BYTES: 8}.get(field.kind)
    if digits is not None:
        call = f"{terms.helper('number_of_digits')}(bits := bits, count := {width // digits}, width := {digits})"
        if one.bits == 64:
            return [*lines, f"{target} := LWORD_TO_ULINT({call});"]
        # all bits of the smaller type say that a digit was none
        return [*lines, f"{target} := LWORD_TO_{kind}({call} AND {bits((1 << one.bits) - 1)});"]
    if field.kind is FieldKind.GRAY:
        lines.append(f"bits := {terms.helper('number_of_gray')}(bits := bits);")
    return [*lines, f"{target} := {_number_of('bits', kind)};"]


def _with_sign(width: int) -> list[str]:
    """Return statements that carry the sign of two's complement up to 64 bits."""
    if width == 64:
        return []
    above = bits(((1 << 64) - 1) ^ ((1 << width) - 1))
    return [f"IF (bits AND {bits(1 << width - 1)}) <> {bits(0)} THEN", *indented([f"bits := bits OR {above};"]),
            "END_IF;"]  # fmt: skip


def _number_of(text: str, kind: str) -> str:
    wide = "ULINT" if kind.startswith("U") else "LINT"
    return converted(f"LWORD_TO_{wide}({text})", wide, kind)


def number_of_bits(one: CarriedField, text: str) -> list[str]:
    """Return statements that give a field of ``made`` the number that bits in two's complement are."""
    width = len(one.field.places)
    lines = [f"bits := {text} AND {bits((1 << width) - 1)};" if width < 64 else f"bits := {text};"]
    if one.field.is_signed:
        lines += _with_sign(width)
    return [*lines, f"made.{one.raw} := {_number_of('bits', raw_type(one))};"]


def bits_of(one: CarriedField, struct: str = "raw") -> str:
    """Return an expression for a raw number as bits in two's complement, cut to its width."""
    text = as_bits(f"{struct}.{one.raw}", raw_type(one))
    width = len(one.field.places)
    return f"({text} AND {bits((1 << width) - 1)})" if width < 64 else text


def write_lines(terms: Terms, one: CarriedField) -> list[str]:
    """Return statements that write a field of ``made`` into ``data``; a number that does not fit returns."""
    if not one.is_number:
        lines = []
        for number, place in enumerate(_octets(one)):
            lines.append(f"bits := {_turned(one, f'BYTE_TO_LWORD(made.{one.raw}[{number}])')};")
            lines += scatter(place, "bits", terms.unit_bytes)
        return lines
    field, raw, kind = one.field, f"made.{one.raw}", raw_type(one)
    lines = _bits_lines(terms, one)
    if field.inverted:
        lines.append(f"bits := bits XOR {bits((1 << len(field.places)) - 1)};")
    lines += scatter(field.places, "bits", terms.unit_bytes)
    readable = [f"({raw} <> {whole(one.unreadable, kind)})"] if one.unreadable is not None else []
    low, high = field.raw_range()
    lowest, highest = range_of(kind)
    beyond = [f"({raw} < {whole(low, kind)})"] if low > lowest else []
    beyond += [f"({raw} > {whole(high, kind)})"] if high < highest else []
    refused = []
    if beyond:
        either = f"({' OR '.join(beyond)})" if len(beyond) > 1 else beyond[0]
        refused = [f"IF {' AND '.join([*readable, either])} THEN",
                   *indented([f"result := {terms.result('does_not_fit')};", "RETURN;"]), "END_IF;"]  # fmt: skip
    # digits that were none stay as they are in data
    return [*refused, *([f"IF {readable[0]} THEN", *indented(lines), "END_IF;"] if readable else lines)]


def _bits_lines(terms: Terms, one: CarriedField) -> list[str]:
    field, raw, kind = one.field, f"made.{one.raw}", raw_type(one)
    width = len(field.places)
    if field.kind in (FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT):
        turned = 1 << width - 1 if field.kind is FieldKind.SIGN_MAGNITUDE else (1 << width) - 1
        size = f"bits := LINT_TO_LWORD(ABS({converted(raw, kind, 'LINT')}));"
        return [size, f"IF {raw} < {whole(0, kind)} THEN", *indented([f"bits := bits XOR {bits(turned)};"]), "END_IF;"]
    digits = {FieldKind.BCD: 4, FieldKind.BCD_BYTES: 8}.get(field.kind)
    if digits is not None:
        number = converted(raw, kind, "ULINT")
        return [f"bits := {terms.helper('digits_of_number')}(number := {number}, count := {width // digits}, "
                f"width := {digits});"]  # fmt: skip
    if field.kind is FieldKind.GRAY:
        plain = as_bits(raw, kind)
        return [f"bits := {plain} XOR SHR({plain}, 1);"]
    return [f"bits := {bits_of(one, 'made')};"]


def _octets(one: CarriedField) -> list[Places]:
    places = one.field.places.bits
    return [Places(places[number * 8 : number * 8 + 8]) for number in range(one.length)]


def _turned(one: CarriedField, text: str) -> str:
    return f"({text}) XOR {bits(0xFF)}" if one.field.inverted else text
