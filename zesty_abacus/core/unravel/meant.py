"""What a found value may be called and in which scale it is, as references and other messages tell."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from fractions import Fraction

from ..layouts.model import Field
from ..reading.meaning import Meaning
from ..values.reference import ReferenceColumn
from .finding import Finding
from .resting import wider_of
from .words import followed_words

_NEAR = 0.002
"""By which part a fitted gain may be off the neat number it is taken for."""
_MOST_DIGITS = 4
_LEAST_POWER = 16


@dataclass(frozen=True, slots=True)
class Meant:
    """A name and a scale for a field.

    Attributes
    ----------
    name, unit
        Empty where nothing tells them.
    ratio, offset
    """

    name: str = ""
    unit: str = ""
    ratio: Fraction = Fraction(1)
    offset: Fraction = Fraction(0)


PLAIN = Meant()
"""Nothing is known of it: the number as it is."""


def meant(
    finding: Finding, beside: Iterable[Finding], references: Sequence[ReferenceColumn], meaning: Meaning
) -> Meant:
    """Return what the bits of a finding stand for.

    Parameters
    ----------
    beside
        Other findings of its message; those of the same bits that follow a reference, or say the same as a field
        with a name, tell it.
    """
    if finding.kind == "order":
        return Meant(ratio=Fraction(str(finding.parameters["ratio"])))
    same = [one for one in (finding, *beside) if one.places == finding.places and one.when == finding.when]
    for one in same:
        if one.kind == "reference":
            return _by_reference(one, references)
    for one in same:
        if one.kind == "mirror" and (made := _by_mirror(one, meaning)) is not None:
            return made
    return PLAIN


def _by_reference(finding: Finding, references: Sequence[ReferenceColumn]) -> Meant:
    parameters = finding.parameters
    key = parameters["file"], parameters["column"]
    if "on_at" in parameters:
        return Meant(followed_words(parameters))
    unit = next((one.unit for one in references if one.key == key), "")
    gain = neat(float(parameters["gain"]))
    if wider_of(finding):
        return Meant(str(parameters["column"]), unit, gain)
    # half a step, or the noise of the reference, is all that an offset can be told to
    offset = neat_near(float(parameters["offset"]), max(abs(float(gain)) / 2, float(parameters["error"]) / 2))
    return Meant(str(parameters["column"]), unit, gain, offset)


def _by_mirror(finding: Finding, meaning: Meaning) -> Meant | None:
    of = finding.parameters["of"]
    other = _field_at(meaning, of)
    if other is None or other.polynomial or other.table:
        return None
    # other number = (this number - offset) / gain, and the value is that in the other's scale
    gain, offset = float(finding.parameters["gain"]), float(finding.parameters["offset"])
    if not gain:
        return None
    ratio = float(other.ratio) / gain
    return Meant(other.name, other.unit, neat(ratio), neat_near(float(other.offset) - ratio * offset, abs(ratio) / 2))


def _field_at(meaning: Meaning, of: dict[str, object]) -> Field | None:
    for kind, key in enumerate(meaning.capture.kinds.keys):
        if key.address == of["address"] and meaning.capture.lanes[key.lane].name == of["lane"]:
            for reader in meaning.kinds[kind].readers:
                for field in reader.shown.fields:
                    if str(field.places) == of["places"]:
                        return field
    return None


def neat(value: float) -> Fraction:
    """Return the simplest number within two thousandths of a fitted one: few digits, or one over a power of two."""
    return _simplest(value, abs(value) * _NEAR)


def neat_near(value: float, most: float) -> Fraction:
    """Return the simplest number that is at most so far from a fitted one; 0 before any other."""
    return Fraction(0) if abs(value) <= most else _simplest(value, most)


def _simplest(value: float, most: float) -> Fraction:
    for digits in range(1, _MOST_DIGITS + 1):
        short = Fraction(f"{value:.{digits}g}")
        if abs(short - Fraction(value)) <= most:
            return short
        if digits == 1:
            for power in range(1, _LEAST_POWER):
                part = Fraction(round(value * (1 << power)), 1 << power)
                # 0.125 and 0.03125 are steps that people choose; 0.4375 is as likely an accident
                if abs(part.numerator) == 1 and abs(part - Fraction(value)) <= most:
                    return part
    return Fraction(f"{value:.{_MOST_DIGITS + 2}g}")
