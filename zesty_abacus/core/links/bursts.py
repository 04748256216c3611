"""Bursts of bits as frames; repeats are grouped and voted bit by bit.

The address of a frame is its number of bits, so that messages of another length are another kind; the payload holds
the bits, first bit highest, the last byte filled with zeros.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import BitRun, Fact, LineResult, Marks, Vote
from ..lines.settings import Setting
from ..words import counted
from .framing import Framing

_ALIKE = 0.2
"""Bursts of one length that differ in fewer of their bits are repeats of one message."""
_LEAST_PART = 4
_PACE = 3
"""A repeat comes within so many times the longest pause between the repeats before it."""


class BurstFraming(Framing, frozen=True, kw_only=True, tag="bursts"):
    """How bursts become messages."""

    vote: bool = True
    sync: str = ""
    fewest_bits: int = 4
    repeats_within_ms: float = 400.0

    @property
    def waits_ms(self) -> float:
        """How long repeats may follow."""
        return self.repeats_within_ms if self.vote else 0.0


class _Bursts:
    name = "bursts"
    takes = "bits"
    protocol = "bursts"
    settings = BurstFraming
    fields = (
        Setting("vote", "vote repeats bit by bit", "flag"),
        Setting("sync", "begins after these bits", "text"),
        Setting("fewest_bits", "fewest bits", "number"),
        Setting("repeats_within_ms", "repeats follow within", "number", "ms"),
    )

    def apply(self, settings: BurstFraming, result: LineResult) -> LineResult:
        run = result.bit_run
        if run is None or not len(run):
            return result
        spans, flags = _spans(run, settings)
        frame_of_burst = np.full(len(run.bounds) - 1, -1, np.int64)
        votes = vote_repeats(run, settings) if settings.vote else []
        if settings.vote:
            table, ends = _table([vote.bits for vote in votes], [
                (vote.start_ns, vote.end_ns, _vote_flags(vote, flags)) for vote in votes])  # fmt: skip
            for number, vote in enumerate(votes):
                frame_of_burst[vote.bursts] = number
        else:
            chosen = np.flatnonzero(spans[:, 1] - spans[:, 0] >= max(settings.fewest_bits, 1))
            facts = [(int(run.start_ns[spans[n, 0]]), int(run.end_ns[spans[n, 1] - 1]), int(flags[n])) for n in chosen]
            table, ends = _table([run.bit[a:b] for a, b in spans[chosen]], facts)
            frame_of_burst[chosen] = np.arange(len(chosen))
        rows = result.marks.rows.copy()
        begins = run.start_ns[np.minimum(run.bounds[:-1], len(run) - 1)]
        burst = np.searchsorted(begins, rows[:, 0], side="right") - 1
        rows[:, 5] = np.where(burst >= 0, frame_of_burst[np.maximum(burst, 0)], -1)
        told = (*result.facts, *_beginning(run, spans))
        return LineResult(table, ends, Marks(rows), None, run, told, tuple(votes))

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        run = result.bit_run
        if run is None or len(run.bounds) < 2:
            return None
        votes = vote_repeats(run, BurstFraming())
        if not votes:
            return None
        repeated = sum(len(vote.bursts) for vote in votes if len(vote.bursts) > 1)
        whole = [vote for vote in votes if not _vote_flags(vote, run.flags) & F.CUT_SHORT] or votes
        distinct = counted(len({vote.text for vote in whole}), "distinct message")
        words = f"{counted(len(run.bounds) - 1, 'burst')}, {distinct}"
        return BurstFraming(vote=repeated > len(votes)), _likeness(whole), words


FRAMINGS = (_Bursts(),)
_FEW = 4


def _likeness(votes: list[Vote]) -> float:
    """Return how much bursts look like messages: of few lengths, begun alike, and the same bits in each repeat.

    Noise, and a line read in the wrong way, gives bursts of all lengths that agree with nothing.
    """
    sizes = np.array([len(vote.bits) for vote in votes])
    number = np.array([len(vote.bursts) for vote in votes])
    of_size = np.array([number[sizes == size].sum() for size in sizes])
    alike = float(number[of_size > 1].sum() / number.sum())
    again = number > 1
    # three or more that agree in a bit by chance would be one in four
    agreed = np.array([float(vote.agreement.mean()) for vote in votes])
    repeated = float((number * again * agreed**_FEW).sum() / number.sum())
    return min(0.2 + 0.3 * alike + 0.35 * repeated + 0.2 * _begun_alike(votes), _MOST_WITHOUT_CHECK)


_BEGINNING, _LEAST_BEGUN = 8, 3
_MOST_WITHOUT_CHECK = 0.85


def _begun_alike(votes: list[Vote]) -> float:
    """Return how many distinct messages begin with the same bits, 0 to 1: a preamble, or an address.

    That three do so by chance is one in 65 000.
    """
    distinct = {vote.text: vote.bits for vote in votes if len(vote.bits) > _BEGINNING}
    begins = Counter(bits[:_BEGINNING].tobytes() for bits in distinct.values())
    usual = max(begins.values(), default=0)
    return usual / begins.total() if usual >= _LEAST_BEGUN else 0.0


def _beginning(run: BitRun, spans: NDArray[np.int64]) -> tuple[Fact, ...]:
    """Find the preamble (bits in turn) that bursts begin with, and the bits all distinct messages have in common."""
    sizes = spans[:, 1] - spans[:, 0]
    whole = sizes >= 8
    if not whole.any():
        return ()
    usual = int(np.bincount(sizes[whole]).argmax())
    matrix = np.unique(np.stack([run.bit[a : a + usual] for a, b in spans if b - a == usual]), axis=0)
    same = np.flatnonzero((matrix != matrix[0]).any(axis=0))
    common = int(same[0]) if len(same) else usual
    turns = np.flatnonzero(np.diff(matrix[0][: max(common, 1)]) == 0)
    preamble = int(turns[0]) + 1 if len(turns) else common
    facts = []
    if preamble >= 6:
        facts.append(Fact("preamble", float(preamble), "bits", f"{preamble} bits in turn"))
    if len(matrix) > 1 and common > 0:
        text = "".join(map(str, matrix[0][:common]))
        facts.append(Fact("all begin with", float(common), "bits", text if len(text) <= 24 else f"{common} bits alike"))
    return tuple(facts)


def _vote_flags(vote: Vote, flags: NDArray[np.uint32]) -> int:
    if len(vote.bursts) == 1:
        return int(flags[vote.bursts[0]]) | (F.CUT_SHORT if vote.is_cropped else 0)
    return F.VOTED


def _spans(run: BitRun, settings: BurstFraming) -> tuple[NDArray[np.int64], NDArray[np.uint32]]:
    """Return the bits of each burst that are its message: all, or those after the sync."""
    spans = np.stack([run.bounds[:-1], run.bounds[1:]], axis=1)
    flags = run.flags.copy()
    if settings.sync:
        if set(settings.sync) - {"0", "1"}:
            raise MisuseError(f"sync={settings.sync!r}, expected bits as 0 and 1.")
        sync = np.array([int(bit) for bit in settings.sync], np.uint8)
        for number in range(len(spans)):
            after = _after_sync(run.bit, spans[number, 0], spans[number, 1], sync)
            if after < 0:
                flags[number] |= np.uint32(F.FRAMING)
            else:
                spans[number, 0] = after
    return spans, flags


@njit(cache=True, nogil=True)
def _after_sync(bits, first, last, sync):  # type: ignore[no-untyped-def]
    for at in range(first, last - len(sync) + 1):
        same = True
        for i in range(len(sync)):
            if bits[at + i] != sync[i]:
                same = False
                break
        if same:
            return at + len(sync)
    return -1


def vote_repeats(run: BitRun, settings: BurstFraming) -> list[Vote]:
    """Group bursts of one length that follow each other closely and are alike, and vote on each bit.

    A tie goes to the first burst. A burst that is the end or the begin of a message beside it lost the rest, at an end
    of the recording or before the receiver heard it; it never votes, and stays a message of its own, marked as cut
    short.
    """
    spans, _ = _spans(run, settings)
    sizes = spans[:, 1] - spans[:, 0]
    within = settings.repeats_within_ms * 1e6
    groups: list[list[int]] = []
    open_groups: dict[int, int] = {}
    pauses: dict[int, int] = {}
    for number in np.flatnonzero(sizes >= max(settings.fewest_bits, 1)):
        size = int(sizes[number])
        group = open_groups.get(size)
        begin = run.start_ns[spans[number, 0]]
        if group is not None:
            before = groups[group][-1]
            pause = begin - run.end_ns[spans[before, 1] - 1]
            # repeats come at one pace; after a longer pause somebody pressed again
            near = pause <= (min(within, _PACE * pauses[group]) if group in pauses else within)
            first = groups[group][0]
            differs = np.mean(
                run.bit[spans[first, 0] : spans[first, 1]] != run.bit[spans[number, 0] : spans[number, 1]]
            )
            if near and differs <= _ALIKE:
                groups[group].append(int(number))
                pauses[group] = max(pauses.get(group, 0), pause)
                continue
        open_groups[size] = len(groups)
        groups.append([int(number)])
    votes = [_voted(run, spans, np.array(group)) for group in groups]
    return [
        replace(vote, is_cropped=any(_is_part_of(vote, other, within) for other in votes[max(n - 2, 0) : n + 3]))
        for n, vote in enumerate(votes)
    ]


def _is_part_of(vote: Vote, other: Vote, within_ns: float) -> bool:
    """Return whether a burst is the end or the begin of a message that was sent again close to it."""
    size = len(vote.bits)
    if len(vote.bursts) > 1 or len(other.bursts) < 2 or not _LEAST_PART <= size < len(other.bits):
        return False
    near = max(other.start_ns - vote.end_ns, vote.start_ns - other.end_ns) <= within_ns
    return near and (bool((vote.bits == other.bits[-size:]).all()) or bool((vote.bits == other.bits[:size]).all()))


def _voted(run: BitRun, spans: NDArray[np.int64], bursts: NDArray[np.int64]) -> Vote:
    matrix = np.stack([run.bit[spans[n, 0] : spans[n, 1]] for n in bursts])
    ones = matrix.sum(axis=0)
    bits = np.where(ones * 2 == len(bursts), matrix[0], ones * 2 > len(bursts)).astype(np.uint8)
    agreement = np.where(bits == 1, ones, len(bursts) - ones) / len(bursts)
    start, end = int(run.start_ns[spans[bursts[0], 0]]), int(run.end_ns[spans[bursts[-1], 1] - 1])
    return Vote(bursts, bits, agreement, start, end)


def _table(bits: list[NDArray[np.uint8]], facts: list[tuple[int, int, int]]) -> tuple[FrameTable, NDArray[np.int64]]:
    packed = [np.packbits(row) for row in bits]
    sizes = np.array([len(row) for row in packed], np.uint32)
    starts = np.cumsum(sizes.astype(np.int64)) - sizes
    table = FrameTable(
        np.array([fact[0] for fact in facts], np.int64),
        np.zeros(len(bits), np.uint16),
        np.array([len(row) for row in bits], np.int64),
        np.array([fact[2] for fact in facts], np.uint32),
        starts,
        sizes,
        np.concatenate(packed) if packed else np.empty(0, np.uint8),
    )
    return table, np.array([fact[1] for fact in facts], np.int64)
