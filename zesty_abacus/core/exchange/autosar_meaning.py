"""What the bits of an AUTOSAR signal mean: base type, computation method, unit and constraints."""

from __future__ import annotations

from dataclasses import dataclass, field
from fractions import Fraction
from typing import Any, Protocol

from ..layouts.model import FieldKind, NamedValue
from .result import CannotCarryError, Exchanged, exact_of
from .xml import Element, below, child, children, place_of, text_of

_ENCODINGS = {
    "2C": FieldKind.SIGNED, "1C": FieldKind.ONES_COMPLEMENT, "SM": FieldKind.SIGN_MAGNITUDE,
    "IEEE754": FieldKind.FLOAT, "BCD-P": FieldKind.BCD, "BCD-UP": FieldKind.BCD_BYTES, "BOOLEAN": FieldKind.FLAG,
    "ISO-8859-1": FieldKind.TEXT, "ISO-8859-2": FieldKind.TEXT, "UTF-8": FieldKind.TEXT, "WINDOWS-1252": FieldKind.TEXT,
}  # fmt: skip
"""Kinds of the encodings of base types; all others are unsigned."""


class Finds(Protocol):
    """Finds what a reference points to."""

    def get(self, reference: Element | None) -> Element | None:
        """Return the element, None if it is not in the file."""


@dataclass(slots=True)
class Meaning:
    """What a signal means, before its place is known."""

    kind: FieldKind = FieldKind.UNSIGNED
    encoding: str = "ascii"
    ratio: Fraction = Fraction(1)
    offset: Fraction = Fraction(0)
    polynomial: tuple[Fraction, ...] = ()
    unit: str = ""
    low: Fraction | None = None
    high: Fraction | None = None
    names: list[NamedValue] = field(default_factory=list)
    has_scale: bool = False
    note: str = ""

    def settings(self, kind: FieldKind, width: int) -> dict[str, Any]:
        """Return what a field of so many bits takes over."""
        if kind is FieldKind.FLAG and width != 1:
            kind = FieldKind.UNSIGNED
        if kind is FieldKind.FLOAT and width not in (16, 32, 64):
            kind = FieldKind.UNSIGNED
        if kind in (FieldKind.TEXT, FieldKind.BYTES):
            return {"kind": kind, "encoding": self.encoding, "note": self.note}
        if kind is FieldKind.UNSIGNED and self.names and not self.has_scale:
            kind = FieldKind.NAMES
        made: dict[str, Any] = {"kind": kind, "note": self.note}
        if kind is not FieldKind.FLOAT:
            made["names"] = tuple(self.names)
        if kind.is_number:
            made |= {"ratio": self.ratio, "offset": self.offset, "unit": self.unit, "polynomial": self.polynomial}
            made |= {"low": self.low, "high": self.high}
        return made


def meaning_of(signal: Element, system: Element | None, references: Finds, found: Exchanged) -> Meaning:
    """Read what a signal means from its own properties, else from those of its system signal."""
    meaning = Meaning(note=" ".join(text_of(system if system is not None else signal, "DESC", "L-2").split()))
    own = child(signal, "NETWORK-REPRESENTATION-PROPS", "SW-DATA-DEF-PROPS-VARIANTS", "SW-DATA-DEF-PROPS-CONDITIONAL")
    physical = child(system, "PHYSICAL-PROPS", "SW-DATA-DEF-PROPS-VARIANTS", "SW-DATA-DEF-PROPS-CONDITIONAL")
    props = [one for one in (own, physical) if one is not None]

    def first(tag: str) -> Element | None:
        return next((made for one in props if (made := references.get(child(one, tag))) is not None), None)

    base = first("BASE-TYPE-REF")
    if base is not None:
        encoding = text_of(base, "BASE-TYPE-ENCODING")
        meaning.kind = _ENCODINGS.get(encoding, FieldKind.UNSIGNED)
        meaning.encoding = {"ISO-8859-1": "latin-1", "UTF-8": "utf-8"}.get(encoding, "ascii")
    method = first("COMPU-METHOD-REF")
    if method is not None:
        _compute(meaning, method, found)
    unit = first("UNIT-REF")
    if unit is None and method is not None:
        unit = references.get(child(method, "UNIT-REF"))
    if unit is not None:
        meaning.unit = text_of(unit, "DISPLAY-NAME") or text_of(unit, "SHORT-NAME")
    constraint = first("DATA-CONSTR-REF")
    if constraint is not None:
        _limit(meaning, constraint)
    return meaning


def _compute(meaning: Meaning, method: Element, found: Exchanged) -> None:
    scales = list(children(child(method, "COMPU-INTERNAL-TO-PHYS", "COMPU-SCALES"), "COMPU-SCALE"))
    for scale in scales:
        coefficients = child(scale, "COMPU-RATIONAL-COEFFS")
        label = text_of(scale, "COMPU-CONST", "VT")
        if coefficients is not None and not meaning.has_scale:
            _scale(meaning, coefficients)
        elif coefficients is not None:
            found.leave(place_of(method), "it has several scales; the first is taken.")
        elif label:
            low, high = (text_of(scale, f"{side}-LIMIT") for side in ("LOWER", "UPPER"))
            if not low and not high:
                found.leave(place_of(method), f"{label!r} names no value.")
                continue
            first, last = number_of(low or high), number_of(high or low)
            shown = text_of(scale, "SHORT-LABEL") if label.startswith("0x") else label
            meaning.names.append(NamedValue(first, shown or label, last if last != first else None))
    if text_of(method, "CATEGORY") in ("TAB-NOINTP", "BITFIELD_TEXTTABLE", "SCALE_RATIONAL_AND_TEXTTABLE"):
        found.leave(place_of(method), f"the category {text_of(method, 'CATEGORY')} is only carried over in part.")


def _scale(meaning: Meaning, coefficients: Element) -> None:
    """Read a fraction of two polynomials, of which the lower one is a number."""
    above = [exact_of(one.text or "") for one in children(child(coefficients, "COMPU-NUMERATOR"), "V")]
    under = [exact_of(one.text or "") for one in children(child(coefficients, "COMPU-DENOMINATOR"), "V")] or [
        Fraction(1)
    ]
    while len(under) > 1 and not under[-1]:
        under.pop()
    if len(under) > 1 or not under[0]:
        raise CannotCarryError("its value is divided by a polynomial of itself.")
    terms = [term / under[0] for term in above]
    while len(terms) > 2 and not terms[-1]:
        terms.pop()
    meaning.has_scale = True
    if len(terms) <= 2:
        padded = [*terms, Fraction(0), Fraction(0)]
        meaning.offset, meaning.ratio = padded[0], padded[1]
    else:
        meaning.polynomial = tuple(terms)


def _limit(meaning: Meaning, constraint: Element) -> None:
    for holder in below(constraint, "PHYS-CONSTRS"):
        for side, tag in (("low", "LOWER-LIMIT"), ("high", "UPPER-LIMIT")):
            limit = child(holder, tag)
            text = (limit.text or "").strip() if limit is not None else ""
            if text and text.upper() not in ("INF", "-INF") and (limit is None or limit.get("INTERVAL-TYPE") != "OPEN"):
                setattr(meaning, side, exact_of(text))


def number_of(text: str) -> int:
    """Read a whole number as the schema allows it: decimal, ``0x``, ``0b``, or a leading 0 for octal.

    Raises
    ------
    CannotCarryError
        If it is none.
    """
    text = text.strip()
    try:
        if len(text) > 1 and text[0] == "0" and text.isdigit():
            return int(text, 8)
        return int(text, 0)
    except ValueError:
        number = exact_of(text)
        if number.denominator != 1:
            raise CannotCarryError(f"{text[:40]!r} is no whole number.") from None
        return number.numerator
