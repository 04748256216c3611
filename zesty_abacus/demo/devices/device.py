"""What every device of the tug is given, and what it gives: a raw file and the frames that are truly in it."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

Signals = Callable[[str, float], float]
"""A column of the physics at a time in seconds since the trial began."""


@dataclass(frozen=True, slots=True)
class TrueFrame:
    """A frame that is truly in a raw file.

    Attributes
    ----------
    time_ns
        Since 1970, UTC, to within the jitter of the wire.
    address, payload
    faults
        Names of flags it should carry.
    """

    time_ns: int
    address: int
    payload: bytes
    faults: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Trial:
    """What a device knows of the trial: when it began, how long it is, what the tug does."""

    start_ns: int
    length_s: float
    seed: int
    signal: Signals

    def random(self, lane: str) -> np.random.Generator:
        """Return a source of chance of the lane's own."""
        return np.random.default_rng([self.seed, *lane.encode()])

    def at_ns(self, seconds: float) -> int:
        """Return a moment in nanoseconds since 1970."""
        return self.start_ns + round(seconds * 1e9)


@dataclass(frozen=True, slots=True)
class Device:
    """A lane's raw file.

    Attributes
    ----------
    lane, note
    file
        Name of the raw file.
    write
        Writes it and returns the truth.
    dated
        Whether the file says when it began; otherwise the trial does.
    begins_s
        When it begins, in seconds of the trial.
    """

    lane: str
    note: str
    file: str
    write: Callable[[Path, Trial], list[TrueFrame]]
    dated: bool = True
    begins_s: float = 0.0


def begin_of(second: float, length_s: float) -> float:
    """Return when a short recording begins: at its moment, or at the start of a trial that ends before."""
    return second if second + 3 < length_s else 0.0
