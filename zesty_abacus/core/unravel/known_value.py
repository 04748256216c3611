"""Where a value is that must be in there: a number that was read somewhere at a time, a text, a test pattern."""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from fractions import Fraction

import numpy as np

from ..errors import MisuseError
from ..frames.segment_frames import KindFrames
from ..layouts.fields import FieldKind
from ..layouts.numbers import format_exact, parse_exact
from ..layouts.places import Places, byte_bits, parse_places
from ..progress import Progress
from ..reading.meaning import Meaning
from .finding import Finding, Said
from .named import name_of
from .orders import Order, orders_that_give
from .words import count_of

_MOST_BYTES = 8
_MOST_LISTED = 12
"""Readings of one message that are listed."""
_MOST_FRAMES = 100_000
_PATTERN = re.compile(r"0x([0-9A-Fa-f]+)")
_LEAST_TEXT = 2


@dataclass(frozen=True, slots=True)
class Sighting:
    """A value that was seen at a time.

    Attributes
    ----------
    time_ns
    text
        A number as ``12.5``, a pattern as ``0xCAFE0042``, or a text in quotes.
    """

    time_ns: int
    text: str


def places_of_value(
    meaning: Meaning, kinds: Sequence[int], sightings: Sequence[Sighting], progress: Progress | None = None
) -> list[tuple[int, Finding]]:
    """Return every place that has all values at their times, with the kind it is in; the plainest reading first.

    Parameters
    ----------
    kinds
        That are looked through. Of each, the last frame before the time counts.
    sightings
        At least one; each more leaves fewer places. A text in quotes is looked for in all frames.

    Raises
    ------
    MisuseError
        If a text is neither a number, nor a pattern, nor in quotes.
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    numbers = [(one.time_ns, _number(one.text)) for one in sightings if _quoted(one.text) is None]
    texts = [text for one in sightings if (text := _quoted(one.text)) is not None]
    found: list[tuple[int, Finding]] = []
    for number, kind in enumerate(kinds):
        progress.step(number / max(len(kinds), 1), "looking for the value")
        said = _numbers_in(meaning, kind, numbers) if numbers else []
        if texts:
            rows = meaning.capture.order_of_kind(kind).rows()
            said += _texts_in(meaning.capture.frames.gather(rows[:: max(len(rows) // _MOST_FRAMES, 1)]), texts)
        found += [(kind, one.of(*name_of(meaning, kind))) for one in said]
    return sorted(found, key=lambda pair: -pair[1].confidence)


def _quoted(text: str) -> str | None:
    text = text.strip()
    return text[1:-1] if len(text) > 1 and text[0] in "\"'“" and text[-1] in "\"'”" else None


def _number(text: str) -> Fraction:
    pattern = _PATTERN.fullmatch(text.strip())
    if pattern is not None:
        return Fraction(int(pattern[1], 16))
    try:
        return parse_exact(text)
    except MisuseError as error:
        raise MisuseError(
            f"{text!r} is no value.", hint='Write a number as 12.5, a pattern as 0xCAFE, or a text as "YUZU".'
        ) from error


def _numbers_in(meaning: Meaning, kind: int, numbers: Sequence[tuple[int, Fraction]]) -> list[Said]:
    """Return the readings of a kind that give each number at its time."""
    held: list[tuple[Order, int]] | None = None
    for time_ns, value in numbers:
        payload = _payload_at(meaning, kind, time_ns)
        if payload is None:
            return []
        giving = {_key(order, begin): (order, begin) for order, begin in _orders_in(payload, value)}
        # in the order of the first: the plainest reading of it stays before the stranger ones
        held = list(giving.values()) if held is None else [one for one in held if _key(*one) in giving]
    held = held or []
    return [_said(order, begin, rank, len(held), numbers) for rank, (order, begin) in enumerate(held[:_MOST_LISTED])]


def _orders_in(payload: bytes, value: Fraction) -> Iterator[tuple[Order, int]]:
    """Yield what gives a value, eight bytes at a time, with the byte that its places are counted from."""
    for begin in range(0, max(len(payload), 1), _MOST_BYTES):
        for order in orders_that_give(value, payload[begin : begin + _MOST_BYTES]):
            yield order, begin


def _key(order: Order, begin: int) -> tuple[object, ...]:
    return begin, order.places, order.kind, order.ratio, order.inverted


def _payload_at(meaning: Meaning, kind: int, time_ns: int) -> bytes | None:
    row = meaning.capture.order_of_kind(kind).last_row(time_ns)
    return meaning.capture.frames.at(row).payload if row is not None else None


def _said(order: Order, begin: int, rank: int, held: int, numbers: Sequence[tuple[int, Fraction]]) -> Said:
    bits = tuple(bit + begin * 8 for bit in order.places.bits)
    times = f" times {format_exact(order.ratio)}" if order.ratio != 1 else ""
    values = ", ".join(format_exact(value) for _, value in numbers)
    turned = ", every bit turned round" if order.inverted else ""
    others = f"{held - 1} other readings of this message do as well" if held > 1 else "no other reading does"
    reason = f"Read as {order.words}{turned}{times} it gives {values} at {count_of(len(numbers), 'time')}; {others}."
    # each further value that it gives, and each bit that agrees, makes it less likely to be an accident
    chance = held / (1 << min(len(bits) * len(numbers), 60))
    confidence = max(0.95 - 0.1 * rank - min(chance * 64, 0.6), 0.1) / (1 if len(numbers) > 1 or len(bits) >= 24 else 2)
    return Said(
        kind="order", bits=bits, frames=len(numbers), confidence=confidence, reason=reason,
        parameters={
            "pattern": values, "reading": order.kind.value, "ratio": format_exact(order.ratio),
            **({"inverted": True} if order.inverted else {}),
        },
    )  # fmt: skip


def order_of(finding: Finding) -> Order:
    """Return how a known value that was found is read; its places are those of the message."""
    parameters = finding.parameters
    return Order(
        parse_places(finding.places), FieldKind(str(parameters["reading"])), Fraction(str(parameters["ratio"])),
        bool(parameters.get("inverted", False)), finding.reason,
    )  # fmt: skip


def _texts_in(frames: KindFrames, texts: Sequence[str]) -> Iterator[Said]:
    """Yield where texts stand in frames of a kind."""
    size = int(frames.sizes.max()) if len(frames) else 0
    for text in texts:
        for encoding in ("ascii", "utf-16-le", "utf-16-be"):
            wanted = np.frombuffer(text.encode(encoding, "replace"), np.uint8)
            if len(text) < _LEAST_TEXT or len(wanted) > size:
                continue
            for words, pattern in (("", wanted), (", the last character first", wanted[::-1])):
                yield from _pattern_in(frames, text, encoding, pattern, words)


def _pattern_in(frames: KindFrames, text: str, encoding: str, pattern: np.ndarray, words: str) -> Iterator[Said]:
    size = int(frames.sizes.max())
    for begin in range(size - len(pattern) + 1):
        there = (frames.matrix[:, begin : begin + len(pattern)] == pattern).all(axis=1)
        there &= frames.sizes >= begin + len(pattern)
        count = int(there.sum())
        if count:
            numbers = range(begin, begin + len(pattern))
            bits = byte_bits(reversed(numbers) if words else numbers)
            yield Said(
                kind="text", bits=(), places_text=str(Places(bits)), frames=count, against=len(frames) - count,
                confidence=min(0.5 + 0.1 * len(text), 0.95), parameters={"encoding": encoding},
                reason=f"“{text}” stands here in {count_of(count, 'frame')} of {len(frames)}{words}.",
            )  # fmt: skip
