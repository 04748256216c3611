"""Sums and exclusive ors: which bytes they fold together, found by solving for each byte whether it goes in."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass
from functools import lru_cache
from itertools import chain, combinations
from typing import Any

import numpy as np
from numpy.typing import NDArray

_FIRST = 12
_MOST_LEFT_OUT = 3
"""Bytes that move and may be left out of a sum."""
_MOST_CHOICES = 4096
"""Ways to leave some out: of more than 29 bytes two at the most, of more than 90 one."""


@dataclass(frozen=True, slots=True, eq=False)
class Folded:
    """A way to fold bytes together.

    Attributes
    ----------
    words
    modulo
        What totals are taken by; 0 folds by exclusive or. One less than a power of two brings the carry round.
    sign
        1 where the check is the total, -1 where check and total add up.
    weight
        Returns what each byte of some data, uint8 (n, k), adds, given the place of each in the payload, int64 (k,).
    said
        Parameters beside start and coverage.
    upper
        Whether the upper bytes of words of two are those at even (0) or odd (1) places; None where bytes are folded.
    """

    words: str
    modulo: int
    sign: int
    weight: Callable[[NDArray[np.uint8], NDArray[np.int64]], NDArray[np.int64]]
    said: dict[str, Any]
    upper: int | None = None

    def which(self, data: NDArray[np.uint8], raw: NDArray[np.int64], moving: list[int]) -> list[int] | None:
        """Return the moving bytes that go in, as many as possible; None if no choice of them gives the check."""
        places = np.array(moving, np.int64)
        first = self.weight(data[:_FIRST, moving], places)
        left_out = _left_out(len(moving)) if self.upper is None else _left_out_at_the_ends(len(moving))
        # a frame that is wrong itself must not be the measure, so there are two of them
        rests = self._rests(first, raw[:_FIRST], left_out)
        alike = [(rests == rests[place]).mean(axis=0) for place in (0, len(rests) - 1)]
        for out in left_out[np.maximum(*alike) >= 0.8]:
            chosen = np.delete(places, out[out < len(places)])
            _, counts = np.unique(self._rest(self.totals(data[:, chosen], chosen), raw), return_counts=True)
            if counts.max() >= 0.95 * len(raw):
                return chosen.tolist()  # type: ignore[no-any-return]
        return None

    def is_whole(self, taken: Sequence[int]) -> bool:
        """Return whether bytes, one behind the other, are the words that they are folded as."""
        return self.upper is None or all((place - taken[0] - n) % 2 == 0 for n, place in enumerate(taken))

    def start(
        self, data: NDArray[np.uint8], raw: NDArray[np.int64], taken: Sequence[int]
    ) -> tuple[int, NDArray[np.bool_]]:
        """Return what the fold begins with, and in which frames the check then agrees, bool (n,).

        Parameters
        ----------
        data : uint8 (n, k)
        raw : int64 (n,)
            The checks.
        taken
            The place of each byte in the payload.
        """
        total = self.totals(data, taken)
        rests = self._rest(total, raw)
        values, counts = np.unique(rests, return_counts=True)
        rest = int(values[np.argmax(counts)])
        if not self._is_around:
            return rest, rests == rest
        # with the carry brought round zero and all ones are the same, but only nothing at all adds up to zero
        start = self.sign * rest % self.modulo
        ones = [(begun, self._around(total + begun) == raw) for begun in ((start,) if start else (0, self.modulo))]
        return max(ones, key=lambda one: int(one[1].sum()))

    def totals(self, data: NDArray[np.uint8], taken: Sequence[int] | NDArray[np.int64]) -> NDArray[np.int64]:
        """Return what bytes fold to, with the place of each in the payload; int64 (n,)."""
        weights = self.weight(data, np.asarray(taken, np.int64))
        if not self.modulo:
            return np.bitwise_xor.reduce(weights, axis=1) if weights.shape[1] else np.zeros(len(weights), np.int64)
        total = weights.sum(axis=1)
        return total if self._is_around else total % self.modulo

    def parameters(self, start: int, width: int, first: int) -> dict[str, Any]:
        """Return it as the layout language writes it.

        Parameters
        ----------
        first
            The place of the first byte that goes in.
        """
        said = dict(self.said)
        if self.upper is not None and (first - self.upper) % 2:
            said["low_byte_first"] = True
        if self.sign < 0:
            # a check that makes the total zero is the negated sum; one that makes it all ones the turned one
            whole = (1 << width) - 1
            if self._is_around:
                said["negated"] = "ones"
            elif start == whole and self.modulo == whole + 1:
                said["negated"], start = "ones", 0
            else:
                said["negated"], start = "twos", -start % self.modulo
        if start:
            said["start"] = start
        return said

    @property
    def _is_around(self) -> bool:
        return self.modulo & 1 == 1

    def _around(self, total: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return the checks that totals give whose carry is brought round."""
        found = np.where(total > 0, (total - 1) % self.modulo + 1, 0)
        return found if self.sign > 0 else self.modulo - found

    def _rest(self, total: NDArray[np.int64], raw: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return what is left of the check without the bytes; the same everywhere if these are the right ones."""
        return raw ^ total if not self.modulo else (raw - self.sign * total) % self.modulo

    def _rests(
        self, weights: NDArray[np.int64], raw: NDArray[np.int64], left_out: NDArray[np.int64]
    ) -> NDArray[np.int64]:
        """Return what is left of checks without all bytes but some; int64 (n, choices)."""
        # what is left out is little, so it is taken away again; the last column stands for no byte
        away = np.concatenate([weights, np.zeros((len(weights), 1), np.int64)], axis=1)[:, left_out]
        if self.modulo:
            return (raw[:, None] - self.sign * (weights.sum(axis=1)[:, None] - away.sum(axis=2))) % self.modulo
        total = np.bitwise_xor.reduce(weights, axis=1)
        return (raw ^ total)[:, None] ^ np.bitwise_xor.reduce(away, axis=2)


@lru_cache(maxsize=64)
def _left_out(count: int) -> NDArray[np.int64]:
    """Return which of so many bytes do not go in, as few as possible first; int64 (choices, :data:`_MOST_LEFT_OUT`).

    ``count`` stands for none.
    """
    most = min(_MOST_LEFT_OUT, count - 1)
    while most > 1 and sum(math.comb(count, n) for n in range(most + 1)) > _MOST_CHOICES:
        most -= 1
    return _rows_of(chain.from_iterable(combinations(range(count), n) for n in range(most + 1)), count)


@lru_cache(maxsize=64)
def _left_out_at_the_ends(count: int) -> NDArray[np.int64]:
    """Return which of so many bytes do not go in where they make words: some at either end."""
    most = min(_MOST_LEFT_OUT, count - 1)
    ends = ((before, out - before) for out in range(most + 1) for before in range(out + 1))
    return _rows_of(((*range(before), *range(count - behind, count)) for before, behind in ends), count)


def _rows_of(outs: Iterable[tuple[int, ...]], count: int) -> NDArray[np.int64]:
    rows = [[*out, *[count] * (_MOST_LEFT_OUT - len(out))] for out in outs]
    return np.array(rows, np.int64).reshape(-1, _MOST_LEFT_OUT)


def _bytes(data: NDArray[np.uint8], _places: NDArray[np.int64]) -> NDArray[np.int64]:
    return data.astype(np.int64)


def _halves_added(data: NDArray[np.uint8], _places: NDArray[np.int64]) -> NDArray[np.int64]:
    return (data >> 4).astype(np.int64) + (data & 15)


def _halves_folded(data: NDArray[np.uint8], _places: NDArray[np.int64]) -> NDArray[np.int64]:
    return ((data >> 4) ^ (data & 15)).astype(np.int64)


def _upper_even(data: NDArray[np.uint8], places: NDArray[np.int64]) -> NDArray[np.int64]:
    return data.astype(np.int64) << 8 * (1 - places % 2)


def _upper_odd(data: NDArray[np.uint8], places: NDArray[np.int64]) -> NDArray[np.int64]:
    return data.astype(np.int64) << 8 * (places % 2)


def folds(width: int) -> list[Folded]:
    """Return the ways to fold bytes into a check of a width, the plainest first."""
    if width == 4:
        half = {"word_bits": 4}
        return [
            Folded("exclusive or of the half bytes", 0, 1, _halves_folded, {"check": "xor", **half}),
            Folded("sum of the half bytes", 16, 1, _halves_added, {"check": "sum", **half}),
            Folded("negated sum of the half bytes", 16, -1, _halves_added, {"check": "sum", **half}),
        ]
    found = list(_sums("sum", width, _bytes, {"check": "sum"}))
    if width == 8:
        found.insert(0, Folded("exclusive or", 0, 1, _bytes, {"check": "xor"}))
        return [*found, *_sums("sum with its carry brought round", width, _bytes, {"check": "sum"}, is_around=True)]
    if width == 16:
        of_words: dict[str, Any] = {"check": "sum", "word_bytes": 2}
        for words, is_around in (("sum of the words", False), ("sum of the words, its carry brought round,", True)):
            for upper, weight in enumerate((_upper_even, _upper_odd)):
                found += _sums(words, width, weight, of_words, is_around=is_around, upper=upper)
    return found


def _sums(
    words: str, width: int, weight: Callable[[NDArray[np.uint8], NDArray[np.int64]], NDArray[np.int64]],
    said: dict[str, Any], *, is_around: bool = False, upper: int | None = None,
) -> Iterator[Folded]:  # fmt: skip
    """Yield a sum plain and negated."""
    modulo, said = ((1 << width) - 1, said | {"carry": "around"}) if is_around else (1 << width, said)
    yield Folded(words, modulo, 1, weight, said, upper)
    yield Folded(f"negated {words}", modulo, -1, weight, said, upper)
