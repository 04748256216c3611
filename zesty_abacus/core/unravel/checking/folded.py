"""Sums and exclusive ors: which bytes they fold together, found by solving for each byte whether it goes in."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from dataclasses import dataclass
from itertools import chain, combinations, islice
from typing import Any

import numpy as np
from numpy.typing import NDArray

_FIRST = 12
_AT_ONCE = 256
_MOST_LEFT_OUT = 3
"""Bytes that move and may be left out of a sum."""


@dataclass(frozen=True, slots=True, eq=False)
class Folded:
    """A way to fold bytes together.

    Attributes
    ----------
    words
    modulo
        What totals are taken by; 0 folds by exclusive or.
    sign
        1 where the check is the total, -1 where check and total add up.
    weight
        Returns what each byte of some data, uint8 (n, k), adds.
    said
        Parameters beside start and coverage.
    """

    words: str
    modulo: int
    sign: int
    weight: Callable[[NDArray[np.uint8]], NDArray[np.int64]]
    said: dict[str, Any]

    def total(self, data: NDArray[np.uint8]) -> NDArray[np.int64]:
        """Return what bytes fold to, int64 (n,)."""
        weights = self.weight(data)
        if not self.modulo:
            return np.bitwise_xor.reduce(weights, axis=1) if data.shape[1] else np.zeros(len(data), np.int64)
        return weights.sum(axis=1) % self.modulo

    def rest(self, data: NDArray[np.uint8], raw: NDArray[np.int64]) -> NDArray[np.int64]:
        """Return what is left of the check without the bytes; the same everywhere if these are the right ones."""
        total = self.total(data)
        return raw ^ total if not self.modulo else (raw - self.sign * total) % self.modulo

    def which(self, data: NDArray[np.uint8], raw: NDArray[np.int64], moving: list[int]) -> list[int] | None:
        """Return the moving bytes that go in, as many as possible; None if no choice of them gives the check."""
        weights = self.weight(data[:_FIRST, moving])
        for choices in _choices(len(moving)):
            # a frame that is wrong itself must not be the measure, so there are two of them
            rests = self._rests(weights, raw[:_FIRST], choices)
            alike = [(rests == rests[:, place : place + 1]).mean(axis=1) for place in (0, rests.shape[1] - 1)]
            for choice in choices[np.maximum(*alike) >= 0.8]:
                chosen = [n for n, is_in in zip(moving, choice, strict=True) if is_in]
                _, counts = np.unique(self.rest(data[:, chosen], raw), return_counts=True)
                if counts.max() >= 0.95 * len(raw):
                    return chosen
        return None

    def _rests(
        self, weights: NDArray[np.int64], raw: NDArray[np.int64], choices: NDArray[np.bool_]
    ) -> NDArray[np.int64]:
        """Return what is left of checks without each choice of bytes; int64 (choices, n)."""
        if self.modulo:
            return (raw - self.sign * (choices.astype(np.int64) @ weights.T)) % self.modulo
        taken = np.where(choices[:, None, :], weights[None, :, :], 0)
        return raw ^ np.bitwise_xor.reduce(taken, axis=2)

    def start(self, data: NDArray[np.uint8], raw: NDArray[np.int64]) -> tuple[int, NDArray[np.bool_]]:
        """Return what the fold begins with, and in which frames the check then agrees, bool (n,)."""
        rest = self.rest(data, raw)
        values, counts = np.unique(rest, return_counts=True)
        start = int(values[np.argmax(counts)])
        return start, rest == start

    def parameters(self, start: int, width: int) -> dict[str, Any]:
        """Return it as the layout language writes it."""
        said = dict(self.said)
        if self.sign < 0:
            # a check that makes the total zero is the negated sum; one that makes it all ones the turned one
            whole = (1 << width) - 1
            if start == whole and self.modulo == whole + 1:
                said["negated"], start = "ones", 0
            else:
                said["negated"], start = "twos", -start % self.modulo
        if start:
            said["start"] = start
        return said


def _choices(count: int) -> Iterator[NDArray[np.bool_]]:
    """Yield which of so many bytes go in, as many as possible first; bool (some, count)."""
    outs = chain.from_iterable(combinations(range(count), n) for n in range(min(_MOST_LEFT_OUT, count - 1) + 1))
    while some := list(islice(outs, _AT_ONCE)):
        choices = np.ones((len(some), count), np.bool_)
        for row, out in enumerate(some):
            choices[row, list(out)] = False
        yield choices


def _bytes(data: NDArray[np.uint8]) -> NDArray[np.int64]:
    return data.astype(np.int64)


def _halves_added(data: NDArray[np.uint8]) -> NDArray[np.int64]:
    return (data >> 4).astype(np.int64) + (data & 15)


def _halves_folded(data: NDArray[np.uint8]) -> NDArray[np.int64]:
    return ((data >> 4) ^ (data & 15)).astype(np.int64)


def folds(width: int) -> list[Folded]:
    """Return the ways to fold bytes into a check of a width."""
    if width == 4:
        half = {"word_bits": 4}
        return [
            Folded("exclusive or of the half bytes", 0, 1, _halves_folded, {"check": "xor", **half}),
            Folded("sum of the half bytes", 16, 1, _halves_added, {"check": "sum", **half}),
            Folded("negated sum of the half bytes", 16, -1, _halves_added, {"check": "sum", **half}),
        ]
    found = [
        Folded("sum", 1 << width, 1, _bytes, {"check": "sum"}),
        Folded("negated sum", 1 << width, -1, _bytes, {"check": "sum"}),
    ]
    if width == 8:
        found.insert(0, Folded("exclusive or", 0, 1, _bytes, {"check": "xor"}))
    return found
