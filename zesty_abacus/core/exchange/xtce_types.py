"""Parameter types of XTCE: how the bits of a parameter are read, and how many there are."""

from __future__ import annotations

from fractions import Fraction
from typing import Any

from ..layouts.model import CurvePoint, Field, FieldKind, NamedValue
from .result import CannotCarryError, exact_of, stable_id
from .xml import Element, child, children, local, text_of

_ENCODINGS = {
    "unsigned": FieldKind.UNSIGNED, "signMagnitude": FieldKind.SIGN_MAGNITUDE, "twosComplement": FieldKind.SIGNED,
    "twosCompliment": FieldKind.SIGNED, "onesComplement": FieldKind.ONES_COMPLEMENT, "BCD": FieldKind.BCD_BYTES,
    "packedBCD": FieldKind.BCD,
}  # fmt: skip
TEXT_ENCODINGS = {
    "US-ASCII": "ascii", "ISO-8859-1": "latin-1", "UTF-8": "utf-8", "UTF-16LE": "utf-16-le", "UTF-16BE": "utf-16-be",
}  # fmt: skip


class Shape:
    """A parameter type: how its bits are read, and how many there are (None: told by something else)."""

    def __init__(self, field: Field, width: int | None, *, low_byte_first: bool = False) -> None:
        self.field = field
        self.width = width
        self.low_byte_first = low_byte_first
        self.tag_bits = 0
        self.end = ""
        self.length: Element | None = None

    def places(self, bit: int) -> list[int]:
        """Return the bits of a parameter that begins with the ``bit`` th one sent."""
        assert self.width is not None
        bits = sent_bits(bit, self.width)
        if not self.low_byte_first or self.width <= 8:
            return bits
        if self.width % 8:
            raise CannotCarryError(f"{self.width} bits with the low byte first have no one meaning.")
        return [b for first in range(self.width - 8, -1, -8) for b in bits[first : first + 8]]


def shape_of(declared: Element) -> Shape:
    """Read a parameter type; raises :class:`CannotCarryError` if its bits cannot be read here."""
    encoding = child(declared, "Encoding")
    holder = encoding if encoding is not None else declared
    data = next((one for one in children(holder) if local(one).endswith("DataEncoding")), None)
    if data is None:
        raise CannotCarryError(f"the type {declared.get('name')} says no encoding.")
    if data.get("bitOrder", "mostSignificantBitFirst") != "mostSignificantBitFirst":
        raise CannotCarryError("its bits come lowest first.")
    settings: dict[str, Any] = {"note": declared.get("shortDescription", "")}
    settings["unit"] = " ".join(text_of(one) for one in children(child(declared, "UnitSet"), "Unit")).strip()
    kind = local(data)
    if kind == "StringDataEncoding":
        return _string(data, settings)
    if kind == "BinaryDataEncoding":
        return _binary(data, settings)
    width = whole(data.get("sizeInBits", "8" if kind == "IntegerDataEncoding" else "32"))
    order = data.get("byteOrder", "mostSignificantByteFirst")
    if order not in ("mostSignificantByteFirst", "leastSignificantByteFirst"):
        raise CannotCarryError(f"the byte order {order} is not known.")
    reads = FieldKind.FLOAT
    if kind == "IntegerDataEncoding":
        named = data.get("encoding", "unsigned")
        if named not in _ENCODINGS:
            raise CannotCarryError(f"the encoding {named} is not known.")
        reads = _ENCODINGS[named]
    elif data.get("encoding", "IEEE754_1985") not in ("IEEE754_1985", "IEEE754"):
        raise CannotCarryError(f"the encoding {data.get('encoding')} is not known.")
    settings |= _calibration(encoding if encoding is not None else data, data)
    settings |= _meaning(declared, settings, width)
    if settings.pop("names_only", False) and reads is FieldKind.UNSIGNED:
        reads = FieldKind.NAMES
    if local(declared) == "BooleanParameterType" and width == 1:
        reads = FieldKind.FLAG
    field = Field(id=stable_id("shape"), name="shape", kind=reads, **settings)
    return Shape(field, width, low_byte_first=order == "leastSignificantByteFirst")


def _meaning(declared: Element, settings: dict[str, Any], width: int) -> dict[str, Any]:
    """Read named values and limits of a type."""
    made: dict[str, Any] = {}
    listed = list(children(child(declared, "EnumerationList"), "Enumeration"))
    if listed:
        made["names"] = tuple(
            NamedValue(whole(one.get("value", "")), one.get("label", ""),
                       whole(one.get("maxValue", "")) if one.get("maxValue") else None) for one in listed
        )  # fmt: skip
        made["names_only"] = True
    elif local(declared) == "BooleanParameterType":
        labels = declared.get("zeroStringValue"), declared.get("oneStringValue")
        if labels[0] and labels[1] and labels != ("False", "True"):
            made["names"] = (NamedValue(0, labels[0]), NamedValue(1, labels[1]))
    valid = child(declared, "ValidRange")
    valid = child(declared, "ValidRangeSet", "ValidRange") if valid is None else valid
    for side, attribute in (("low", "minInclusive"), ("high", "maxInclusive")):
        text = valid.get(attribute) if valid is not None else None
        if text:
            limit = exact_of(text)
            if valid is not None and valid.get("validRangeAppliesToCalibrated", "true") == "false":
                limit = limit * settings.get("ratio", 1) + settings.get("offset", 0)
            made[side] = limit
    return made


def _calibration(holder: Element, data: Element) -> dict[str, Any]:
    """Read the default calibrator, or scale and offset of a time."""
    made: dict[str, Any] = {}
    if holder is not data:
        made = {"ratio": exact_of(holder.get("scale", "1")), "offset": exact_of(holder.get("offset", "0"))}
        made["unit"] = {"seconds": "s"}.get(holder.get("units", "seconds"), holder.get("units", ""))
    calibrator = child(data, "DefaultCalibrator")
    terms = {
        whole(term.get("exponent", "0")): exact_of(term.get("coefficient", "0"))
        for term in children(child(calibrator, "PolynomialCalibrator"), "Term")
    }
    if terms and max(terms) <= 1:
        made |= {"ratio": terms.get(1, Fraction(0)), "offset": terms.get(0, Fraction(0))}
    elif terms:
        if max(terms) > 16:
            raise CannotCarryError(f"its polynomial has the degree {max(terms)}.")
        made["polynomial"] = tuple(terms.get(power, Fraction(0)) for power in range(max(terms) + 1))
    points = list(children(child(calibrator, "SplineCalibrator"), "SplinePoint"))
    if points:
        corners = [CurvePoint(exact_of(one.get("raw", "0")), exact_of(one.get("calibrated", "0"))) for one in points]
        made["table"] = tuple(sorted(corners, key=lambda corner: corner.x))
    if child(calibrator, "MathOperationCalibrator") is not None:
        raise CannotCarryError("its calibrator is a chain of operations.")
    return made


def _string(data: Element, settings: dict[str, Any]) -> Shape:
    encoding = data.get("encoding", "UTF-8")
    if encoding not in TEXT_ENCODINGS:
        raise CannotCarryError(f"the encoding {encoding} is not known.")
    settings.pop("unit")
    settings["encoding"] = TEXT_ENCODINGS[encoding]
    field = Field(id=stable_id("shape"), name="shape", kind=FieldKind.TEXT, **settings)
    size = child(data, "SizeInBits")
    fixed = text_of(size, "Fixed", "FixedValue")
    if fixed:
        return Shape(field, whole(fixed))
    shape = Shape(field, None)
    variable = child(data, "Variable")
    holder = variable if variable is not None else size
    leading, ends = child(holder, "LeadingSize"), text_of(holder, "TerminationChar")
    if leading is not None:
        shape.tag_bits = whole(leading.get("sizeInBitsOfSizeTag", "16"))
    elif ends or child(holder, "TerminationChar") is not None:
        shape.end = ends or "00"
    else:
        shape.length = child(holder, "DynamicValue")
        if shape.length is None:
            raise CannotCarryError("the length of the string is not told.")
    return shape


def _binary(data: Element, settings: dict[str, Any]) -> Shape:
    settings.pop("unit")
    field = Field(id=stable_id("shape"), name="shape", kind=FieldKind.BYTES, **settings)
    size = child(data, "SizeInBits")
    fixed = text_of(size, "FixedValue")
    if fixed:
        return Shape(field, whole(fixed))
    shape = Shape(field, None)
    shape.length = child(size, "DynamicValue")
    if shape.length is None:
        raise CannotCarryError("the length of the bytes is not told.")
    return shape


def sent_bits(first: int, width: int) -> list[int]:
    """Return bits in the order they are sent, the highest bit of a byte first, from the ``first`` one on."""
    if not 0 < width <= 8 * 65536 or not 0 <= first <= 8 * 65536:
        raise CannotCarryError(f"{width} bits from bit {first} on fit no message.")
    return [bit // 8 * 8 + 7 - bit % 8 for bit in range(first, first + width)]


def whole(text: str) -> int:
    """Read a whole number, 0 if the text is empty; raises :class:`CannotCarryError`."""
    try:
        return int(text or "0", 0)
    except ValueError:
        try:
            return int(text)
        except ValueError as error:
            raise CannotCarryError(f"{text[:40]!r} is no whole number.") from error
