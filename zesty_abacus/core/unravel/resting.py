"""Numbers whose highest bits never moved: a reference tells by its offset that bits beside them belong to them."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import takewhile

import numpy as np
from msgspec.structs import replace as changed

from ..layouts.places import Places
from ..progress import Progress
from ..values.reference import ReferenceColumn
from .across.question import KindView, View
from .across.references import QUESTION as REFERENCES
from .finding import Said
from .questions.constants import constants
from .words import count_of, grouped

_MOST_BITS = 48
"""Of a number that is still exact as a float."""
_NEAR = 0.001
"""By which part a fitted offset may be off what resting bits are worth, besides by its standard errors."""
_ERRORS = 3
_MOST_UNSURE = 0.1
"""Of an offset: what is told no better fits the worth of some bit by accident."""


@dataclass(frozen=True, slots=True)
class _Wider:
    """A number with bits above it that never moved.

    Attributes
    ----------
    bits
        From the most to the least significant.
    reading
    more
        By how much the number is more with them, less where they are the sign.
    """

    bits: tuple[int, ...]
    reading: str
    more: int


def with_resting(
    views: Mapping[int, KindView], references: Sequence[ReferenceColumn], span_ns: tuple[int, int], progress: Progress
) -> dict[int, KindView]:
    """Return the views in which numbers have those of their bits, too, that never moved but are worth an offset.

    A course that stayed above 327.68, in hundredths of a degree, never moved its highest bit. Without that bit a
    reference is the number times 0.01 plus 327.68, and a layout of it is wrong as soon as the ship turns north.
    """
    made = dict(views)
    narrow = [replace(view, said=some) for view in views.values() if (some := tuple(_that_may_be_wider(view)))]
    if not references or not narrow:
        return made
    for view, follows in REFERENCES.ask(View(narrow, references, (), span_ns), progress):
        now = made[view.kind]
        of = next((one for one in now.said if one.kind == "field" and _same_place(one, follows)), None)
        wider = None if of is None else _told_by(follows, _wider(now, of))
        if of is not None and wider is not None:
            made[view.kind] = replace(now, said=tuple(_with(now, of, wider, str(follows.parameters["column"]))))
    return made


def _same_place(one: Said, other: Said) -> bool:
    return (one.bits, one.when) == (other.bits, other.when)


def _that_may_be_wider(view: KindView) -> Iterator[Said]:
    return (one for one in view.fields(paged=True) if any(_wider(view, one)))


def _wider(view: KindView, of: Said) -> Iterator[_Wider]:
    """Yield the numbers that a field may be with bits above it that rest, of those that are worth something."""
    if of.parameters["reading"] != "unsigned" or of.takes or of.places_text:
        return
    still = {bit for one in view.said if one.kind == "constant" and one.when == of.when for bit in one.bits}
    for direction in _directions(of.bits):
        bits, more, sign = of.bits, 0, of.bits
        for bit in takewhile(still.__contains__, _above(of.bits[0], direction)):
            if len(bits) == _MOST_BITS:
                break
            is_set = bool(view.there(of).raw((bit,))[0])
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


def _with(view: KindView, of: Said, wider: _Wider, column: str) -> Iterator[Said]:
    """Yield all that is said of a kind, with the wider number for the narrow one and what is left of resting bits."""
    count = len(wider.bits) - len(of.bits)
    apart = f"{grouped(abs(wider.more))} {'more' if wider.more > 0 else 'less'}"
    reason = (
        f"{of.reason} {count_of(count, 'bit')} above it never moved; with {'it' if count == 1 else 'them'} the number "
        f"is {apart}, which is what {column} is off it otherwise."
    )
    free = np.zeros(view.thin.size * 8, np.bool_)
    for one in view.said:
        touched = one.kind == "constant" and one.when == of.when and set(one.bits) & set(wider.bits)
        if touched:
            free[[bit for bit in one.bits if bit not in wider.bits]] = True
        elif one is of:
            parameters = {**of.parameters, "reading": wider.reading}
            yield changed(of, bits=wider.bits, parameters=parameters, reason=reason)
        else:
            yield one
    yield from constants(view.there(of), free, of.when)
