"""Bits that are worked out from the rest of the frame: sums, exclusive ors, CRCs of any polynomial."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import Places, byte_bits, format_places
from ..checking.crc import SolvedCrc, bare, constants_of, solve
from ..checking.folded import Folded, folds
from ..checking.linear import Dependencies, frames_needed
from ..finding import Said
from ..seen import Seen, raw_of
from ..tiling.tile import costs_without
from ..words import share_words

_MOST_DIFFERENT = 400
"""Frames that a check is solved from; all others then have to agree."""
_CHOICES = 3
_LEAST_SHARE = 0.97
_SOLVED_FROM = 28
"""Frames that a CRC is solved from."""
_WIDE = 10
"""Bytes of a message up to which every stretch is tried for bits in every place, also where frames are too few to say
which bits depend on others; of longer ones there are hundreds of places and thousands of stretches."""
_MOST_BEHIND = 2
"""Bytes of a key behind the data that are tried."""
_RESTLESS = 0.3, 0.7
"""Shares of frames in which a bit of a CRC flips, where it has no place that checks mostly have."""
_LEAST_WIDTH = 5
_MOST_TOLD = 900
"""Frames that are told without each of several bytes that may be the check."""
_LEAST_BITS = 18
"""By how many bits the frames have to decide more than was chosen among."""


@dataclass(frozen=True, slots=True, eq=False)
class Solved:
    """A check that frames agree with.

    Attributes
    ----------
    bits
    parameters
        As the layout language writes it.
    words
    agrees, against
    decided
        How many bits the frames decide more than was chosen among.
    others
        How many other sets of parameters fit as well.
    is_mutual
        Whether each of the covered bytes could as well be the check over the others.
    """

    bits: tuple[int, ...]
    parameters: dict[str, object]
    words: str
    agrees: int
    against: int
    decided: float
    others: int = 0
    is_mutual: bool = False

    @property
    def is_crc(self) -> bool:
        """Whether it is no sum and no exclusive or."""
        return self.parameters["check"] == "crc"


def checks(seen: Seen, free: NDArray[np.bool_]) -> list[Said]:
    """Return the checks among free bits, bool (size * 8,)."""
    if len(seen) < 6 or seen.size < 2:
        return []
    solver = _Solver(seen)
    found: list[Solved] = []
    mutual: list[Solved] = []
    taken = ~free
    for bits in _candidates(seen, free):
        if any(taken[bit] for bit in bits):
            continue
        solved = solver.solve(bits) if solver.is_likely(bits) else None
        if solved is None:
            continue
        # beside a CRC that its data could as well be worked out from, those bits look like a CRC of it, too
        if solved.is_mutual or (solved.is_crc and any(one.is_crc for one in mutual)):
            mutual.append(solved)
        else:
            found.append(solved)
            solver.has_solved(bits)
            taken[list(bits)] = True
    mutual = [one for one in mutual if not any(taken[bit] for bit in one.bits)]
    if mutual:
        found.append(_most_worked_out(seen, free, mutual))
    # what depends on the rest by a check that was found can be told as a part of an odd one as well
    for bits in solver.restless_runs(free) if not found and not solver.is_groping else ():
        solved = solver.solve(bits)
        if solved is not None:
            found.append(solved)
            break
    return [_said(one) for one in found]


def _most_worked_out(seen: Seen, free: NDArray[np.bool_], mutual: list[Solved]) -> Solved:
    """Return which of several that fold each other is the check: the one without which the rest is told shortest."""

    if len(mutual) == 1:
        return mutual[0]
    costs = costs_without(seen.some(_MOST_TOLD), free, [one.bits for one in mutual])

    def rank(number: int) -> tuple[int, float]:
        one = mutual[number]
        low, high = min(one.bits) // 8, max(one.bits) // 8
        # where checks mostly stand, if what is told does not decide
        place = 1.0 if high == seen.size - 1 else 1.01 if low == 0 else 1.03
        return -len(one.bits), place * costs[number]

    return mutual[min(range(len(mutual)), key=rank)]


def _candidates(seen: Seen, free: NDArray[np.bool_]) -> Iterator[tuple[int, ...]]:
    """Yield places where checks stand, the widest first: whole bytes in both orders, then half bytes."""
    ok = free & (seen.moves | _may_be_still(seen))
    for count in (8, 4, 3, 2, 1):
        firsts = range(seen.size - count + 1)
        # at the end first, then at the beginning: where they mostly are
        for first in dict.fromkeys([*firsts[-1:], *firsts[:1], *firsts]):
            numbers = range(first, first + count)
            # most bits of a wide CRC move, however few of the data do; a sum has its carries alone in the upper byte
            least = {1: 4, 2: 9}.get(count, count * 7)
            for order in (numbers, reversed(numbers)) if count > 1 else (numbers,):
                bits = byte_bits(order)
                if ok[list(bits)].all() and seen.moves[list(bits)].sum() >= least:
                    yield bits
    for byte in range(seen.size):
        for low in (4, 0):
            bits = tuple(range(byte * 8 + low + 3, byte * 8 + low - 1, -1))
            if ok[list(bits)].all() and seen.moves[list(bits)].sum() >= 3:
                yield bits


def _runs_where(wanted: NDArray[np.bool_], order: Sequence[int]) -> Iterator[list[int]]:
    """Yield the stretches of an order in which all bits are wanted."""
    for is_wanted, run in groupby(order, key=lambda bit: bool(wanted[bit])):
        if is_wanted:
            yield list(run)


def _is_tried(bits: tuple[int, ...]) -> bool:
    """Return whether bits are whole bytes, which are candidates anyway."""
    return len(bits) % 8 == 0 and bits[0] % 8 == 7


def _may_be_still(seen: Seen) -> NDArray[np.bool_]:
    """Return the bits that stand still in a byte in which others move, bool (size * 8,)."""
    by_byte = seen.moves.reshape(-1, 8)
    return np.repeat(by_byte.any(axis=1), 8)


class _Solver:
    """Looks for what some bits are worked out from, over the frames of one kind.

    Attributes
    ----------
    is_groping
        Whether frames are too few to say which bits depend on the rest, in a message in which there are many.
    """

    def __init__(self, seen: Seen) -> None:
        self._seen = seen
        self._solved = 0
        self._dependencies: dict[tuple[int, int], Dependencies] = {}
        changed = seen.matrix[1:] ^ seen.matrix[:-1]
        self._changed = np.concatenate([np.zeros((1, seen.size), np.uint8), changed])
        self._changed[~seen.follows] = 0
        _, firsts = np.unique(seen.matrix, axis=0, return_index=True)
        self._different = np.sort(firsts)
        # each difference once: a message that goes to and fro between two says little, however often it does
        self._differences = np.unique(self._changed, axis=0)
        bits = np.unpackbits(self._differences, axis=1, bitorder="little")
        self._shares = bits.sum(axis=0) / max(len(bits) - 1, 1)
        self._moving = [bool(seen.moves[n * 8 : n * 8 + 8].any()) for n in range(seen.size)]
        self.is_groping = seen.size > _WIDE and len(self._different) < frames_needed(int(seen.moves.sum()))

    def is_likely(self, bits: tuple[int, ...]) -> bool:
        """Return whether bits are asked about: all, but where it gropes only those at the end or the beginning."""
        places = {bit // 8 for bit in bits}
        return not self.is_groping or 0 in places or self._seen.size - 1 in places

    def has_solved(self, bits: tuple[int, ...]) -> None:
        """Leave a check out of what others depend on: with it every byte it covers is linear in the rest."""
        for bit in bits:
            self._solved |= 1 << bit

    def solve(self, bits: tuple[int, ...]) -> Solved | None:
        """Return the check in some bits, None if there is none."""
        if not self._could_be(bits):
            return None
        solved = self._folded(bits) if len(bits) <= 16 else None
        if solved is None:
            solved = self._crc(bits)
        return None if solved is not None and self._is_reordered(bits) else solved

    def _is_reordered(self, bits: tuple[int, ...]) -> bool:
        """Return whether each bit is one of the others, plain or turned round: a number twice, shifted or mirrored.

        It is linear in the rest as a CRC is, and where little else moves some polynomial gives it; but nothing has been
        worked out from it.
        """
        frames = np.unpackbits(self._seen.matrix[self._rows()], axis=1, bitorder="little")
        own = [bit for bit in bits if self._seen.moves[bit]]
        others = np.flatnonzero(self._seen.moves & ~np.isin(np.arange(frames.shape[1]), bits))
        for bit in own:
            alike = (frames[:, [bit]] == frames[:, others]).mean(axis=0)
            if np.abs(alike - 0.5).max(initial=0) + 0.5 < _LEAST_SHARE:
                return False
        return True

    def restless_runs(self, free: NDArray[np.bool_]) -> Iterator[tuple[int, ...]]:
        """Yield the widest runs that flip as those of a CRC do and depend on the rest by exclusive ors, of any width.

        A neighbour may be as restless, as the lowest bit of a number is: it is no part of the run if the rest does not
        decide it as well.
        """
        restless = free & (self._shares > _RESTLESS[0]) & (self._shares < _RESTLESS[1])
        high_first = [byte * 8 + bit for byte in range(self._seen.size) for bit in range(7, -1, -1)]
        low_first = [*range(self._seen.size * 8)][::-1]
        for order in (high_first, low_first):
            for run in _runs_where(restless, order):
                for bits in self._widest_linear(run):
                    if _LEAST_WIDTH <= len(bits) <= 64 and not _is_tried(bits):
                        yield bits

    def _widest_linear(self, run: list[int]) -> Iterator[tuple[int, ...]]:
        """Yield the stretches of a run that are linear in the rest, and would not be with a neighbour more."""
        end = 0
        for first in range(len(run)):
            before, end = end, max(end, first)
            while end < len(run) and self._linear_rows(tuple(run[first : end + 1])) is not None:
                end += 1
            if end > before:
                yield tuple(run[first:end])

    def _could_be(self, bits: tuple[int, ...]) -> bool:
        """Return whether the bits change with the rest, and never without it."""
        own_mask = np.zeros(self._seen.size, np.uint8)
        for bit in bits:
            own_mask[bit // 8] |= 1 << bit % 8
        own = (self._changed & own_mask).any(axis=1)
        rest = (self._changed & ~own_mask).any(axis=1)
        without = int((own & ~rest).sum())
        kept = int((rest & ~own).sum())
        total = int(rest.sum())
        if not total:
            return False
        return without <= 0.02 * total and kept <= 0.4 * total

    def _decided(self, covered: NDArray[np.uint8], width: int, chosen: int) -> int:
        """Return how many bits frames decide more than was chosen among; what is covered counts once a value."""
        rows = self._rows()
        return (len(np.unique(covered[rows], axis=0)) - 1) * width - chosen

    def _looks_like_crc(self, bits: tuple[int, ...]) -> bool:
        """Return whether each bit flips in about half of the frames that change, as those of a CRC do."""
        shares = self._shares[list(bits)]
        # only most bits: those in the middle of a sparse polynomial rarely flip where the data are short
        return bool(((shares > 0.12) & (shares < 0.92)).mean() >= 0.6 and shares.mean() > 0.25)

    def _linear_rows(self, bits: tuple[int, ...]) -> NDArray[np.int64] | None:
        """Return frames over which the bits are linear in the rest, to solve a CRC from; None if there are none.

        Of three choices, since a single frame that was damaged on its way spoils the one it is in.
        """
        needed = max(frames_needed(int(self._seen.moves.sum())), _SOLVED_FROM)
        step = max(len(self._different) // needed, 1)
        for first in range(min(step, _CHOICES)):
            rows = self._different[first::step][:needed]
            if self._dependencies_in(first, rows).decide(bits):
                return rows
        return None

    def _dependencies_in(self, choice: int, rows: NDArray[np.int64]) -> Dependencies:
        key = choice, self._solved
        if key not in self._dependencies:
            self._dependencies[key] = Dependencies(self._seen.matrix[rows], self._solved)
        return self._dependencies[key]

    def _rows(self) -> NDArray[np.int64]:
        step = max(len(self._different) // _MOST_DIFFERENT, 1)
        return self._different[::step][:_MOST_DIFFERENT]

    def _folded(self, bits: tuple[int, ...]) -> Solved | None:
        seen, rows = self._seen, self._rows()
        raw = seen.raw(bits)
        data = _cleared(seen.matrix, bits)
        whole = len(bits) % 8 == 0
        own = {bit // 8 for bit in bits} if whole else set()
        covered = [n for n in range(seen.size) if n not in own]
        moving = [n for n in covered if self._moving[n] and data[:, n].any()]
        best: Solved | None = None
        for fold in folds(len(bits)):
            chosen = fold.which(data[rows], raw[rows], moving)
            if chosen is None or len(chosen) < 2:
                continue
            taken = [n for n in covered if n in chosen or n not in moving]
            solved = self._folded_over(fold, bits, data, raw, taken, covered, len(moving))
            if solved is not None and (best is None or (solved.agrees, solved.decided) > (best.agrees, best.decided)):
                best = solved
        return best

    def _folded_over(
        self, fold: Folded, bits: tuple[int, ...], data: NDArray[np.uint8], raw: NDArray[np.int64],
        taken: list[int], covered: list[int], moving: int,
    ) -> Solved | None:  # fmt: skip
        if not fold.is_whole(taken):
            return None
        start, agreeing = fold.start(data[:, taken], raw, taken)
        agrees = int(agreeing.sum())
        if agrees < _LEAST_SHARE * len(raw):
            return None
        decided = self._decided(data[:, taken], len(bits), len(bits) + moving + 6)
        if decided < _LEAST_BITS:
            return None
        parameters = fold.parameters(start, len(bits), taken[0])
        said = _coverage(taken, self._seen.size)
        parameters |= {"coverage": said} if said else {}
        words = f"{fold.words} of {_over_words(taken, covered, self._seen.size)}"
        mutual = not fold.modulo or fold.sign < 0
        return Solved(bits, parameters, words, agrees, len(raw) - agrees, decided, is_mutual=mutual)

    def _crc(self, bits: tuple[int, ...]) -> Solved | None:
        if len(bits) < 4 or not self._looks_like_crc(bits):
            return None
        seen, width = self._seen, len(bits)
        if self._decided(seen.matrix, width, 2 * width + 14) < _LEAST_BITS:
            return None
        rows = self._linear_rows(bits)
        if rows is None:
            return None
        rows, actual = rows[:_SOLVED_FROM], raw_of(seen.matrix, bits)
        checks_ = actual[rows].tolist()
        data = _cleared(seen.matrix, bits)
        whole = width % 8 == 0
        own = {bit // 8 for bit in bits} if whole else set()
        covered = [n for n in range(seen.size) if n not in own]
        for behind in range(_MOST_BEHIND + 1):
            for taken in self._stretches(covered):
                # a key behind the data moves them up, whatever it is
                part = np.pad(data[:, taken], ((0, 0), (0, behind)))
                for solved in solve(part[rows], checks_, width):
                    found = self._agreeing(solved, bits, part, actual, taken, covered)
                    if found is not None:
                        return found
        return None

    def _stretches(self, covered: list[int]) -> Iterator[list[int]]:
        """Yield what a CRC may be taken over: all, less and less of it, all but one byte."""
        seen: set[tuple[int, ...]] = set()
        for taken in self._all_stretches(covered):
            # bytes that stand still before the first that moves change nothing
            first = next((n for n, byte in enumerate(taken) if self._moving[byte]), None)
            if first is None or tuple(taken[first:]) in seen:
                continue
            seen.add(tuple(taken[first:]))
            yield taken

    def _all_stretches(self, covered: list[int]) -> list[list[int]]:
        count = len(covered)
        if self.is_groping:
            return [covered, *(part for n in range(1, count) for part in (covered[n:], covered[:-n]))]
        ranges = [
            covered[a:b] for length in range(count, 0, -1) for a in range(count - length + 1) for b in [a + length]
        ]
        without = [[*covered[:n], *covered[n + 1 :]] for n in range(1, count - 1)]
        return [ranges[0], *without, *ranges[1:]]

    def _agreeing(
        self, solved: SolvedCrc, bits: tuple[int, ...], part: NDArray[np.uint8], actual: NDArray[np.uint64],
        taken: list[int], covered: list[int],
    ) -> Solved | None:  # fmt: skip
        expected = bare(solved, part)
        width = solved.width
        values, counts = np.unique(expected ^ actual, return_counts=True)
        agrees = int(counts.max())
        if agrees < _LEAST_SHARE * len(part):
            return None
        decided = self._decided(part, width, 2 * width + 14)
        if decided < _LEAST_BITS:
            return None
        constant = int(values[np.argmax(counts)])
        behind = part.shape[1] - len(taken)
        always = constants_of(solved, len(taken), constant, behind)
        parameters = solved.parameters(always.start, always.final)
        said = _coverage(taken, self._seen.size)
        if always.key:
            said["key_after" if behind else "key_before"] = always.key.hex().upper()
        parameters |= {"coverage": said} if said else {}
        with_key = f" and the key {always.key.hex().upper()}{' behind' if behind else ''}" if always.key else ""
        words = f"{solved.words} of {_over_words(taken, covered, self._seen.size)}{with_key}"
        # no more bits than the check has: these could as well be worked out from it
        covered_bits = set(byte_bits(taken)) - set(bits)
        mutual = int(self._seen.moves[sorted(covered_bits)].sum()) <= width
        return Solved(bits, parameters, words, agrees, len(part) - agrees, decided, solved.others, mutual)


def _cleared(matrix: NDArray[np.uint8], bits: tuple[int, ...]) -> NDArray[np.uint8]:
    """Return frames with some bits zero, as they are while a check is worked out."""
    made = matrix.copy()
    for bit in bits:
        made[:, bit // 8] &= np.uint8(~(1 << bit % 8) & 0xFF)
    return made


def _coverage(taken: list[int], size: int) -> dict[str, object]:
    """Return what is covered as the layout language writes it; what it says by itself is left out."""
    said: dict[str, object] = {}
    if taken == list(range(taken[0], taken[-1] + 1)):
        if taken[0]:
            said["first"] = str(taken[0])
        if taken[-1] + 1 != size:
            said["end"] = str(taken[-1] + 1)
    else:
        said["places"] = format_places(Places(byte_bits(taken)))
    return said


def _over_words(taken: list[int], covered: list[int], size: int) -> str:
    if taken == covered and len(covered) >= size - 8:
        return "all other bytes" if len(covered) < size else "all bytes"
    if taken == list(range(taken[0], taken[-1] + 1)):
        return f"B{taken[0]} to B{taken[-1]}" if len(taken) > 1 else f"B{taken[0]}"
    return f"{len(taken)} bytes"


def _said(one: Solved) -> Said:
    total = one.agrees + one.against
    several = ""
    if one.others:
        several = f" {one.others} other polynomial{'s' if one.others > 1 else ''} would fit these frames as well."
    reason = f"It is the {one.words} in {share_words(one.agrees, total, 'frame')}.{several}"
    confidence = (0.99 if one.decided > 60 else 0.9) * one.agrees / total / (1 + one.others)
    return Said(
        kind="check", bits=one.bits, parameters=dict(one.parameters), frames=one.agrees, against=one.against,
        confidence=confidence, reason=reason,
    )  # fmt: skip
