"""Runs of equal values, put together chunk by chunk."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray


@dataclass(frozen=True, slots=True, eq=False)
class RunTable:
    """Runs in order; (r,) each.

    Attributes
    ----------
    begin, end : int64
        Which frame of the kind is the first and the last one.
    length : int64
        Frames.
    value
    """

    begin: NDArray[np.int64]
    end: NDArray[np.int64]
    length: NDArray[np.int64]
    value: NDArray

    def __len__(self) -> int:
        return len(self.begin)

    def take(self, places: NDArray) -> RunTable:
        """Return some of them."""
        return RunTable(self.begin[places], self.end[places], self.length[places], self.value[places])


class Runs:
    """Collects runs while frames are looked through.

    Attributes
    ----------
    count
        All runs that are over, also those too short to be kept.
    frames
        Frames in them.

    Parameters
    ----------
    keep
        Frames that a run has at least to be kept: a value that moves all the time has as many runs as frames.
    """

    def __init__(self, keep: int = 1) -> None:
        self._keep = keep
        self._kept: list[RunTable] = []
        self._open: RunTable | None = None
        self.count = 0
        self.frames = 0

    def add(self, values: NDArray, places: NDArray[np.int64]) -> None:
        """Take the next values with the frames that they are of."""
        if not len(values):
            return
        begins = np.concatenate([[0], np.flatnonzero(values[1:] != values[:-1]) + 1])
        ends = np.append(begins[1:], len(values)) - 1
        found = RunTable(places[begins], places[ends], ends - begins + 1, values[begins])
        if self._open is not None:
            if self._open.value[0] == found.value[0]:
                found.begin[0] = self._open.begin[0]
                found.length[0] += self._open.length[0]
            else:
                self._close(self._open)
        self._open = found.take(np.array([len(found) - 1]))
        self._close(found.take(np.arange(len(found) - 1)))

    def _close(self, runs: RunTable) -> None:
        self.count += len(runs)
        self.frames += int(runs.length.sum())
        long = np.flatnonzero(runs.length >= self._keep)
        if len(long):
            self._kept.append(runs.take(long))

    def finish(self) -> RunTable | None:
        """Return the runs that were kept, None if there are none; nothing can be added any more."""
        if self._open is not None:
            self._close(self._open)
            self._open = None
        if not self._kept:
            return None
        columns = (
            np.concatenate([getattr(one, name) for one in self._kept]) for name in ("begin", "end", "length", "value")
        )
        return RunTable(*columns)
