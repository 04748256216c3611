"""Words of bits that return to the middle: a pulse up is a 1, a pulse down a 0, each followed by the middle level.

A pause of some bits ends a word. The first bits of a word are its label, and its last bit may be a parity. The frame is
the whole word, its first bit highest; the address is the label, first bit highest as well.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import FrameTable
from ..waves.edges import Edges
from .bipolar import is_bipolar, line_of, without_passing
from .result import ADDRESS, DATA, MARK_COLUMNS, Fact, LineResult, LineRoom, Marks
from .settings import LineSettings, Proposal, Setting
from .signed_bits import stretches
from .timing import rate_words

PARITIES = ("none", "odd", "even")
_PAUSE_BITS = 2.0
_LEAST_PULSES, _LEAST_WORDS = 32, 3
_WORD_SIZES = range(16, 65)
_TRIED_PULSES = 40_000
_FAULTS = 0.06


class RzLine(LineSettings, frozen=True, kw_only=True, tag="rz words"):
    """Wires and word form; a bit of None is measured."""

    line: str = ""
    minus: str = ""
    bit_us: float | None = None
    word_bits: int = 32
    label_bits: int = 8
    parity: str = "odd"


class _Rz:
    name = "Return-to-zero words"
    protocol = "bit words"
    gives = "frames"
    settings = RzLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("minus", "its other wire, if recorded apart", "channel", optional=True),
        Setting("bit_us", "bit", "number", "µs", measured=True),
        Setting("word_bits", "bits a word", "number"),
        Setting("label_bits", "bits of the label", "number"),
        Setting("parity", "parity", "choice", choices=tuple((word, word) for word in PARITIES)),
    )

    def decode(self, settings: RzLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode words; one of another length is flagged *framing*, one whose parity disagrees *parity*."""
        line = line_of(lines)
        begins, ends, levels = stretches(without_passing(line))
        measured = _bit_ns(begins)
        bit_ns = settings.bit_us * 1000 if settings.bit_us else measured
        if not np.isfinite(bit_ns) or not len(begins):
            return LineRoom(0, 0, 0).result()
        words = rate_words(1e9 / measured) if np.isfinite(measured) else "set"
        fact = Fact("bit_us", measured / 1000, "µs", f"{measured / 1000:.4g} µs, {words}")
        return _framed(_Words(begins, ends, levels > 0, bit_ns), settings, line.end_ns).with_facts(fact)

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Look at lines of three levels, and at pairs of wires that are never high together."""
        found = []
        for name, line in channels.items():
            if is_bipolar(line):
                found += self._judge(RzLine(line=name), {"line": line}, name)
        for plus, minus in itertools.permutations(channels, 2):
            if _take_turns(channels[plus], channels[minus]):
                lines = {"line": channels[plus], "minus": channels[minus]}
                found += self._judge(RzLine(line=plus, minus=minus), lines, f"{plus} and {minus} together")
        return sorted(found, key=lambda one: -one.score)[:2]

    def _judge(self, settings: RzLine, lines: dict[str, Edges], name: str) -> list[Proposal]:
        begins, ends, levels = (part[:_TRIED_PULSES] for part in stretches(without_passing(line_of(lines))))
        bit_ns = _bit_ns(begins)
        if len(begins) < _LEAST_PULSES or not np.isfinite(bit_ns):
            return []
        words = _Words(begins, ends, levels > 0, bit_ns)
        usual = int(np.bincount(words.sizes).argmax())
        alike = float(np.mean(words.sizes == usual))
        # a pulse fills about half of its bit; a line that is never at rest within a word is none of these
        duty = float(np.mean((ends - begins < 0.75 * bit_ns) & (ends - begins > 0.25 * bit_ns)))
        if usual not in _WORD_SIZES or len(words.sizes) < _LEAST_WORDS or min(alike, duty) < 0.7:
            return []
        odd = float(np.mean(words.ones()[words.sizes == usual] & 1))
        parity = "odd" if odd >= 1 - _FAULTS else "even" if odd <= _FAULTS else "none"
        reason = (
            f"{name}: {len(words.sizes)} words, {alike:.0%} of {usual} pulses that return to the middle, "
            f"{rate_words(1e9 / bit_ns)}, parity {parity}"
        )
        made = msgspec.structs.replace(settings, word_bits=usual, parity=parity)
        return [Proposal(made, alike * duty * (1.0 if parity != "none" else 0.8), reason)]


DECODER = _Rz()


class _Words:
    """Pulses in words.

    Attributes
    ----------
    begins, ends, bits : (n,)
        Of each pulse.
    first, sizes : int64 (words,)
    """

    def __init__(
        self, begins: NDArray[np.int64], ends: NDArray[np.int64], bits: NDArray[np.bool_], bit_ns: float
    ) -> None:
        self.begins, self.ends, self.bits, self.bit_ns = begins, ends, bits, bit_ns
        self.first = np.concatenate([[0], np.flatnonzero(np.diff(begins) > _PAUSE_BITS * bit_ns) + 1]).astype(np.int64)
        self.sizes = np.diff(np.append(self.first, len(begins)))

    def ones(self) -> NDArray[np.int64]:
        """Return how many ones each word has."""
        return np.add.reduceat(self.bits.astype(np.int64), self.first)


def _bit_ns(begins: NDArray[np.int64]) -> float:
    """Measure the bit: pulses of a word begin a bit apart, and most distances are within words."""
    steps = np.diff(begins)
    if not len(steps):
        return float("nan")
    usual = float(np.median(steps))
    near = steps[np.abs(steps - usual) < 0.4 * usual]
    return float(near.mean()) if len(near) else float("nan")


def _take_turns(one: Edges, other: Edges) -> bool:
    """Return whether two wires of two levels pulse about as often, and never together."""
    if is_bipolar(one) or is_bipolar(other) or min(len(one), len(other)) < _LEAST_PULSES // 2:
        return False
    if max(len(one), len(other)) > 8 * min(len(one), len(other)) or one.first or other.first:
        return False
    rises = one.time_ns[one.level == 1]
    at = np.searchsorted(other.time_ns, rises, side="right") - 1
    return bool(np.mean(np.where(at >= 0, other.level[np.maximum(at, 0)], 0) == 1) < 0.01)


def _framed(words: _Words, settings: RzLine, end_ns: int) -> LineResult:
    count = len(words.sizes)
    word = np.repeat(np.arange(count), words.sizes)
    place = np.arange(len(word)) - words.first[word]
    sizes = (words.sizes + 7) // 8
    start = np.cumsum(sizes) - sizes
    payload = np.bincount(
        start[word] + place // 8, words.bits * np.left_shift(1, 7 - place % 8), int(sizes.sum())
    ).astype(np.uint8)
    flags = np.where(words.sizes == settings.word_bits, 0, F.FRAMING)
    if settings.parity != "none":
        wanted = 1 if settings.parity == "odd" else 0
        flags |= np.where((words.ones() & 1 == wanted) | (flags > 0), 0, F.PARITY)
    ends = np.minimum(words.begins[words.first + words.sizes - 1] + round(words.bit_ns), end_ns)
    label = min(max(settings.label_bits, 0), 32)
    weights = np.where(place < label, np.left_shift(1, np.maximum(label - 1 - place, 0)), 0) * words.bits
    address = np.bincount(word, weights, count).astype(np.int64)
    table = FrameTable(
        words.begins[words.first], np.zeros(count, np.uint16), address, flags.astype(np.uint32), start,
        sizes.astype(np.uint32), payload,
    )  # fmt: skip
    return LineResult(table, ends, _marks(words, table, ends, label))


def _marks(words: _Words, table: FrameTable, ends: NDArray[np.int64], label: int) -> Marks:
    """Make a mark of each byte of a word; the first one is the label where that is a byte."""
    sizes = table.size.astype(np.int64)
    frame = np.repeat(np.arange(len(sizes)), sizes)
    byte = np.arange(len(frame)) - table.start[frame]
    first = words.first[frame] + byte * 8
    last = np.minimum(first + 8, words.first[frame] + words.sizes[frame])
    rows = np.zeros((len(frame), MARK_COLUMNS), np.int64)
    rows[:, 0] = words.begins[first]
    rows[:, 1] = np.where(
        last < words.first[frame] + words.sizes[frame],
        words.begins[np.minimum(last, len(words.begins) - 1)],
        ends[frame],
    )
    rows[:, 2] = np.where((byte == 0) & (label == 8), ADDRESS, DATA)
    rows[:, 3], rows[:, 4], rows[:, 5] = table.payload, table.flags[frame], frame
    return Marks(rows)
