"""Numbers whose highest bits never moved: a reference tells by its offset that bits beside them belong to them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import takewhile
from typing import Any

from msgspec.structs import replace

from ..layouts.places import Places, format_places
from ..words import known_to
from .across.question import KindView
from .finding import Finding, Said

_MOST_BITS = 48
"""Of a number that is still exact as a float."""
_NEAR = 0.001
"""By which part a fitted offset may be off what resting bits are worth, besides by its standard errors."""
_ERRORS = 3
_MOST_UNSURE = 0.1
"""Of an offset: what is told no better fits the worth of some bit by accident."""
_KEY = "wider"


@dataclass(frozen=True, slots=True)
class _Wider:
    """A number together with bits above it that never moved.

    Attributes
    ----------
    bits
        From the most to the least significant.
    reading
        ``unsigned``, or ``signed`` where the bits above are the sign.
    more
        By how much the number is more than without them; below 0 where they are the sign.
    """

    bits: tuple[int, ...]
    reading: str
    more: int


def wider_of(finding: Finding) -> dict[str, Any]:
    """Return what a finding says of its number with the bits above it, by name; empty of any other."""
    return dict(finding.parameters.get(_KEY, {}))


def widened(finding: Finding) -> Finding:
    """Return a finding of the number with the bits above it that belong to it, itself if there are none.

    What is found tiles a payload, and bits that never moved are a constant there; a layout is better with them.
    """
    wider = wider_of(finding)
    if not wider:
        return finding
    return replace(
        finding, places=wider["places"], parameters={**finding.parameters, "reading": wider["reading"]}
    )  # fmt: skip


def with_resting(view: KindView, said: Sequence[Said]) -> list[Said]:
    """Return what is said of a kind, where numbers tell which resting bits above them are worth an offset.

    A course that stayed above 327.68, in hundredths of a degree, never moved its highest bit. Without that bit a
    reference is the number times 0.01 plus 327.68, and a layout of it is wrong as soon as the ship turns north.
    """
    made, taken = list(said), set[int]()
    for follows in [one for one in said if one.kind == "reference" and "on_at" not in one.parameters]:
        of = next((one for one in made if one.kind == "field" and _same_place(one, follows)), None)
        if of is None or _KEY in of.parameters:
            continue
        wider = _told_by(follows, _numbers_above(view, said, of))
        if wider is None or taken.intersection(wider.bits):
            continue
        taken.update(wider.bits)
        for one in (of, follows):
            made[made.index(one)] = _with(one, wider, _words(follows, wider))
    return made


def _same_place(one: Said, other: Said) -> bool:
    return (one.bits, one.when) == (other.bits, other.when)


def _numbers_above(view: KindView, said: Sequence[Said], of: Said) -> Iterator[_Wider]:
    """Yield the numbers that a field may be with bits above it that rest, of those that are worth something."""
    if of.parameters["reading"] != "unsigned" or of.takes or of.places_text:
        return
    seen = view.there(of)
    still = {bit for one in said if one.kind == "constant" and one.when == of.when for bit in one.bits}
    for direction in _directions(of.bits):
        bits, more, sign = of.bits, 0, of.bits
        for bit in takewhile(still.__contains__, _above(of.bits[0], direction)):
            if len(bits) == _MOST_BITS:
                break
            is_set = bool(seen.raw((bit,))[0])
            more += is_set << len(bits)
            # of more bits that are set a sign is repeated; whole bytes of them are rather nothing at all
            is_sign = is_set and sign == bits and (sign == of.bits or bit % 8)
            sign = (bit, *sign) if is_sign else sign
            bits = (bit, *bits)
            if is_set:
                yield _Wider(bits, "unsigned", more)
        if sign != of.bits:
            yield _Wider(sign, "signed", -(1 << len(of.bits)))


def _directions(bits: tuple[int, ...]) -> tuple[int, ...]:
    """Return where the next higher byte of a number may lie: before it, behind it, or either of one within a byte."""
    words = Places(bits).order_words()
    return {"": (-1, 1), "high byte first": (-1,), "low byte first": (1,)}.get(words, ())


def _above(top: int, direction: int) -> Iterator[int]:
    """Yield the bits that lie above one, the nearest first; there is no end to those behind it."""
    yield from range(top + 1, (top | 7) + 1)
    byte = top // 8 + direction
    while byte >= 0:
        yield from range(byte * 8, byte * 8 + 8)
        byte += direction


def _told_by(follows: Said, wider: Iterator[_Wider]) -> _Wider | None:
    """Return the number that a reference follows without an offset, None if it does or does not either way."""
    gain, offset, correlation = (float(follows.parameters[name]) for name in ("gain", "offset", "correlation"))
    # half a step, or the noise of the reference, is all that an offset can be told to
    most = max(abs(gain), float(follows.parameters["error"])) / 2
    if abs(offset) <= most:
        return None
    # how far the line may turn around where the number was seen: the standard error of a slope (least squares)
    slope = math.sqrt(max(1 - correlation**2, 0) / follows.frames)
    near = most + (_NEAR + _ERRORS * slope) * abs(offset)
    if near > _MOST_UNSURE * abs(offset):
        return None
    return next((one for one in wider if abs(offset - gain * one.more) <= near), None)


def _with(one: Said, wider: _Wider, words: str) -> Said:
    told = {"places": format_places(Places(wider.bits)), "reading": wider.reading, "more": wider.more}
    return replace(one, parameters={**one.parameters, _KEY: told}, reason=f"{one.reason} {words}")


def _words(follows: Said, wider: _Wider) -> str:
    count = len(wider.bits) - len(follows.bits)
    above, belong = ("The bit", "belongs") if count == 1 else (f"The {count} bits", "belong")
    gain, column = float(follows.parameters["gain"]), follows.parameters["column"]
    return (
        f"{above} above it never moved, but {belong} to it: as {wider.reading} number "
        f"{format_places(Places(wider.bits))} times {known_to(gain, abs(gain) * _NEAR)} is {column}, without an offset."
    )
