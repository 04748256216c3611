"""Manchester words: each bit is a change in its middle; words begin with a sync that breaks that rule.

The sync is written in half bits, ``111000`` for three half bits high and three low. Two syncs may tell words apart.
Conventions: ``fall`` means that a 1 falls in its middle (as in MIL-STD-1553B), ``rise`` that it rises (IEEE 802.3).
On a bipolar line the middle level is silence. The address of a frame is which of the
syncs its first word begins with, counted from 0, times 1024: beyond every terminal and subaddress of the standard.

With ``standard="1553"`` words are those of MIL-STD-1553B, 4.3.3: 1 Mbit/s, a command or status sync ``111000``, a
data sync ``000111``, 16 bits and odd parity; a frame is a command with its data or a status with its data.
"""

from __future__ import annotations

from collections.abc import Mapping

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..waves.edges import Edges
from .bipolar import complementary_pairs, line_of, without_passing
from .result import (
    ADDRESS,
    DATA,
    ERROR,
    SYNC,
    Fact,
    LineResult,
    LineRoom,
    put_byte,
    put_frame,
    put_mark,
)
from .settings import LineSettings, Proposal, Setting
from .timing import fit_words

PARITIES = ("none", "odd", "even")
_ANSWER_NS = 14_000
"""MIL-STD-1553B, 4.3.3.8: an answer comes within 12 microseconds from the middle of the last bit."""
_TOUCHING = 4
"""Half bits that may lie between two words of one message."""
_LONG_AGO = -1.0e18
_TRIED_CHANGES = 60_000
"""A first part of the line says what it speaks."""
_FAULTS = 0.06
"""A parity may be wrong in such a part of the words and is still there."""


class ManchesterLine(LineSettings, frozen=True, kw_only=True, tag="manchester"):
    """Word form; a half bit of None is measured."""

    line: str = ""
    minus: str = ""
    half_bit_us: float | None = None
    one: str = "fall"
    syncs: tuple[str, ...] = ("111000", "000111")
    word_bits: int = 16
    parity: str = "odd"
    standard: str = ""


class _Manchester:
    name = "Manchester words"
    protocol = "words"
    gives = "frames"
    settings = ManchesterLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("minus", "its other wire, if recorded apart", "channel", optional=True),
        Setting("half_bit_us", "half bit", "number", "µs", measured=True),
        Setting("one", "a 1", "choice", choices=(("fall", "falls in its middle"), ("rise", "rises in its middle"))),
        Setting("syncs", "syncs, in half bits", "text"),
        Setting("word_bits", "bits a word", "number"),
        Setting("parity", "parity", "choice", choices=tuple((word, word) for word in PARITIES)),
        Setting("standard", "messages", "choice", choices=(("", "words that touch"), ("1553", "MIL-STD-1553B"))),
    )

    def decode(self, settings: ManchesterLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode words; a word's sync, data bits and parity that break the code are flagged."""
        line = without_passing(line_of(lines))
        half, share = half_bit(line)
        facts = [] if np.isnan(half) else [
            Fact("half_bit_us", half / 1000, "µs", f"{half / 1000:.4g} µs, {5e8 / half / 1000:.4g} kbit/s, "
                 f"{fit_words(share)}")
        ]  # fmt: skip
        half = settings.half_bit_us * 1000 if settings.half_bit_us else half
        room = LineRoom(3 * len(line) + 4, len(line), len(line) + 16)
        if np.isfinite(half) and half > 0 and len(line):
            syncs = _sync_rows(settings.syncs)
            bipolar = bool(len(line)) and int(line.level.min()) < 0
            level = line.level if bipolar else (2 * line.level.astype(np.int8) - 1).astype(np.int8)
            first = line.first if bipolar else 2 * line.first - 1
            _decode(line.time_ns, level, np.int8(first), line.begin_ns, line.end_ns, half, syncs,
                    settings.one == "rise", min(max(settings.word_bits, 1), 62), PARITIES.index(settings.parity),
                    settings.standard == "1553", float(_ANSWER_NS), *room.arguments())  # fmt: skip
        return room.result().with_facts(*facts)

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Measure the half bit, then look for words of 16 and 8 bits with the usual syncs; also on pairs of wires."""
        found = []
        pairs = complementary_pairs(channels)
        for plus, minus in pairs:
            found += self._words_on({"line": channels[plus], "minus": channels[minus]}, plus, minus)
        paired = {name for pair in pairs for name in pair}
        for name, line in channels.items():
            if name not in paired:
                found += self._words_on({"line": line}, name, "")
        return sorted(found, key=lambda item: -item.score)[:2]

    def _words_on(self, lines: dict[str, Edges], name: str, minus: str) -> list[Proposal]:
        """Return what forms of words explain a line, or a pair of wires."""
        line = without_passing(line_of(lines))
        half, share = half_bit(line)
        if np.isnan(half) or share < 0.6:
            return []
        found = []
        part = {role: one.between(one.begin_ns, _end_of(line, _TRIED_CHANGES)) for role, one in lines.items()}
        for settings in _candidates(name, minus, half):
            frames = self.decode(settings, part)
            words = int(np.isin(frames.marks.kind, (DATA, ADDRESS)).sum())
            faults = frames.marks.flags[frames.marks.flags != 0]
            odd = int(((faults & F.PARITY) != 0).sum())
            used = words * (settings.word_bits + 2) / max(min(len(line), _TRIED_CHANGES), 1)
            if words < 3 or len(faults) > words * 0.3 or used < 0.3:
                continue
            # a parity that nearly always agrees is there, and the words in which it does not are at fault; a form
            # without parity would hide them
            wrong = len(faults) - odd if odd <= _FAULTS * words else len(faults)
            score = share * (1 - wrong / words) * min(1.0, used + 0.3) * (1.0 if settings.parity != "none" else 0.97)
            kind = (
                "MIL-STD-1553B"
                if settings.standard
                else (f"words of {settings.word_bits} bits, a 1 {settings.one}s, parity {settings.parity}")
            )
            wires = f"{name} and {minus}, the two wires of one line, have" if minus else f"{name} has"
            reason = (
                f"{wires} pulses of one, two and three times {half / 1000:.4g} µs: {kind}, {words} words, "
                f"{len(faults)} with a fault"
            )
            found.append(Proposal(settings, score, reason))
        return found


DECODER = _Manchester()


def _end_of(line: Edges, changes: int) -> int:
    """Return when a first part of so many changes ends."""
    return line.end_ns if len(line) <= changes else int(line.time_ns[changes])


def _candidates(name: str, minus: str, half: float) -> list[ManchesterLine]:
    base = ManchesterLine(line=name, minus=minus)
    near_1553 = abs(half - 500) < 25
    made = [msgspec.structs.replace(base, standard="1553")] if near_1553 else []
    for bits, parity, one in ((16, "odd", "fall"), (16, "odd", "rise"), (16, "even", "fall"), (8, "odd", "fall"),
                              (8, "none", "fall"), (8, "none", "rise"), (16, "none", "fall")):  # fmt: skip
        made.append(msgspec.structs.replace(base, word_bits=bits, parity=parity, one=one))
    return made


def half_bit(line: Edges) -> tuple[float, float]:
    """Measure the half bit: pulses last one or two of them, syncs up to four."""
    widths = line.widths()
    if len(widths) and int(line.level.min()) < 0:
        widths = widths[line.level[:-1] != 0]
    widths = widths[widths > 0].astype(np.float64)
    if len(widths) < 8:
        return float("nan"), 0.0
    # a tenth of the widths may be glitches before this is misled; between two widths there may be none
    shortest = float(np.quantile(widths, 0.1, method="lower"))
    near = widths[(widths > shortest * 0.7) & (widths < shortest * 1.4)]
    half = float(np.median(near))
    for _ in range(3):
        halves = np.rint(widths / half)
        used = (halves >= 1) & (halves <= 2) & (np.abs(widths - halves * half) < 0.3 * half)
        if not used.any():
            return float("nan"), 0.0
        half = float(widths[used].sum() / halves[used].sum())
    halves = np.rint(widths / half)
    short = widths < 4.5 * half
    fits = short & (halves >= 1) & (np.abs(widths - halves * half) < 0.25 * half)
    return half, float(fits.sum() / max(short.sum(), 1))


def _sync_rows(syncs: tuple[str, ...]) -> NDArray[np.int8]:
    """Return syncs as rows of levels, 0 after their end."""
    for sync in syncs:
        if not sync or len(sync) > 32 or set(sync) - {"0", "1"}:
            raise MisuseError(f"sync={sync!r}, expected 1 to 32 half bits as 0 and 1.")
    if not syncs:
        raise MisuseError("syncs=(), expected at least one.", hint="Write half bits, such as 111000.")
    rows = np.zeros((len(syncs), max(len(sync) for sync in syncs)), np.int8)
    for number, sync in enumerate(syncs):
        rows[number, : len(sync)] = [1 if half == "1" else -1 for half in sync]
    return rows


@njit(cache=True, nogil=True, inline="always")
def _level(time, level, first, moment, hint):  # type: ignore[no-untyped-def]
    """Return (level at a moment, place to go on from); moments only grow."""
    while hint < len(time) and time[hint] <= moment:
        hint += 1
    return (level[hint - 1] if hint else first), hint


@njit(cache=True, nogil=True)
def _sync_at(time, level, first, begin, hint, half, sync):  # type: ignore[no-untyped-def]
    """Whether a sync begins at a moment: every half bit has its level in its middle, and no change but the meant."""
    at = hint
    length = 0
    for step in range(len(sync)):
        if sync[step] == 0:
            break
        seen, at = _level(time, level, first, begin + (step + 0.5) * half, at)
        if seen != sync[step]:
            return 0
        length += 1
    return length


@njit(cache=True, nogil=True)
def _was_under_way(time, edge, begin, begin_ns, half, word_halves):  # type: ignore[no-untyped-def]
    """Whether the first word that can be read touches one in which the recording began."""
    if begin - begin_ns > (word_halves + _TOUCHING) * half:
        return False
    while edge >= 0 and time[edge] >= begin - 0.5 * half:
        edge -= 1
    return edge >= 0 and begin - time[edge] <= _TOUCHING * half


@njit(cache=True, nogil=True)
def _decode(time, level, first, begin_ns, end_ns, half, syncs, one_rises, word_bits, parity, standard, answer_ns,  # type: ignore[no-untyped-def]
            marks, frames, payload, counts):  # fmt: skip
    """Find a sync at each change of level, then read halves, following the change in the middle of each bit."""
    edge = 0
    open_frame = False
    frame_begin = frame_end = address = flags = first_byte = np.int64(0)
    last_end = _LONG_AGO
    after_command = False
    command = np.int64(0)
    while edge < len(time):
        found = length = 0
        begin = float(time[edge])
        for number in range(len(syncs)):
            length = _sync_at(time, level, first, begin, edge, half, syncs[number])
            if length:
                found = number + 1
                break
        # a sync may begin at the level the line has anyway, at rest or from the word before: then its first change
        # is the one inside it
        before = level[edge - 1] if edge else first
        number = 0
        while not found and before != 0 and number < len(syncs):
            lead = 1
            while lead < len(syncs[number]) and syncs[number][lead] == syncs[number][0]:
                lead += 1
            begin = time[edge] - lead * half
            if syncs[number][0] == before and begin > last_end - 0.6 * half:
                length = _sync_at(time, level, first, begin, max(edge - 2, 0), half, syncs[number])
                found = number + 1 if length else 0
            number += 1
        if not found:
            edge += 1
            continue
        # the change inside the sync places the word better than its begin, which may be late on a weak line
        inner = 0
        while inner + 1 < length and syncs[found - 1][inner] == syncs[found - 1][inner + 1]:
            inner += 1
        hint = edge
        while hint < len(time) and time[hint] < begin + (inner + 0.5) * half:
            hint += 1
        if inner + 1 < length and hint < len(time) and abs(time[hint] - begin - (inner + 1) * half) < half * 0.5:
            begin = time[hint] - (inner + 1) * half
        bit_begin = begin + length * half
        value = ones = 0
        bad = np.int64(0)
        bits = 0
        total = word_bits + (1 if parity else 0)
        for bit in range(total):
            before, hint = _level(time, level, first, bit_begin + 0.5 * half, hint)
            after, hint = _level(time, level, first, bit_begin + 1.5 * half, hint)
            if before == after or before == 0 or after == 0:
                bad |= F.FRAMING
                if before == 0 or after == 0 or bit_begin + 2 * half > end_ns:
                    break
            one = (after > before) == one_rises
            if one:
                ones += 1
            if bit < word_bits:
                value = (value << 1) | (1 if one else 0)
            bits += 1
            # follow the change in the middle, so that a line a few percent off stays in step
            change = hint - 1
            bit_begin += 2 * half
            if 0 <= change < len(time) and abs(time[change] - (bit_begin - half)) < 0.5 * half:
                bit_begin = 0.5 * bit_begin + 0.5 * (time[change] + half)
        if bits == total and parity and ones % 2 != (1 if parity == 1 else 0):
            bad |= F.PARITY
        if bits < total and bit_begin + half > end_ns:
            bad = np.int64(F.CUT_SHORT)
        # the first half of a sync may be the level with which the recording begins
        word_begin, word_end = max(np.int64(begin + 0.5), begin_ns), np.int64(bit_begin + 0.5)
        pause = begin - last_end
        heads = found == 1 and standard
        if open_frame and (pause > _TOUCHING * half or heads):
            put_frame(frames, counts, frame_begin, frame_end, address, flags, first_byte)
            open_frame = False
        if not open_frame:
            open_frame = True
            frame_begin, flags, first_byte = word_begin, np.int64(0), counts[2]
            if last_end == _LONG_AGO and _was_under_way(time, edge, begin, begin_ns, half, length + 2 * total):
                flags |= F.CUT_SHORT
            # which sync it begins with is all that tells its words apart, until a command says where they go
            address = np.int64(0 if standard else (found - 1) << 10)
        put_mark(marks, counts, word_begin, np.int64(begin + length * half), SYNC, found - 1, 0)
        flags |= bad
        data_begin = np.int64(begin + length * half)
        if bits < total:
            put_mark(marks, counts, data_begin, word_end, ERROR, value, bad)
        elif heads:
            put_mark(marks, counts, data_begin, word_end, ADDRESS, value, bad)
            if after_command and pause < answer_ns and value >> 11 == command >> 11:
                # a status word: the terminal says who it is
                flags |= F.ANSWER
                address = (command >> 11) << 5 | ((command >> 5) & 31)
                put_byte(payload, counts, value >> 8)
                put_byte(payload, counts, value)
                after_command = False
            else:
                command = np.int64(value)
                address = (command >> 11) << 5 | ((command >> 5) & 31)
                flags |= F.READ if command & 0x400 else 0
                after_command = True
        else:
            put_mark(marks, counts, data_begin, word_end, DATA, value, bad)
            for byte in range((word_bits + 7) // 8 - 1, -1, -1):
                put_byte(payload, counts, value >> (8 * byte))
        frame_end = word_end
        last_end = bit_begin
        # go on where this word ends
        while edge < len(time) and time[edge] < bit_begin - 0.5 * half:
            edge += 1
        if bits < total and edge < len(time) and time[edge] <= begin:
            edge += 1
    if open_frame:
        if time[-1] > last_end + 0.5 * half and end_ns - last_end <= (syncs.shape[1] + _TOUCHING) * half:
            # another word has begun, of which not even the sync is all there
            flags |= F.CUT_SHORT
        put_frame(frames, counts, frame_begin, frame_end, address, flags, first_byte)
