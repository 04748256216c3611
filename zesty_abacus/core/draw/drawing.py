"""Lines drawn side by side: levels are set, time passes."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..waves.edges import Edges
from .errors import DrawError


class Drawing:
    """Several lines, each with the moments at which it changes.

    Parameters
    ----------
    levels
        Level of each line at the start: 0 or 1, on a bipolar line -1, 0 or 1.
    """

    def __init__(self, **levels: int) -> None:
        self.names = tuple(levels)
        self._levels = dict(levels)
        self._first = dict(levels)
        self._now_ns = 0.0
        self._changes: dict[str, list[tuple[float, int]]] = {name: [] for name in levels}

    @property
    def now_ns(self) -> float:
        """How far the drawing is."""
        return self._now_ns

    def set(self, **levels: int) -> None:
        """Change lines now."""
        for name, level in levels.items():
            if self._levels[name] != level:
                self._levels[name] = level
                self._changes[name].append((self._now_ns, level))

    def wait(self, ns: float) -> None:
        """Let time pass."""
        self._now_ns += ns

    def wait_until(self, ns: float) -> None:
        """Let time pass up to a moment, if that has not gone by."""
        self._now_ns = max(self._now_ns, ns)

    def begin_at(self, ns: float, what: str, *, rest_ns: float = 0.0) -> None:
        """Let time pass up to the moment at which something begins.

        Parameters
        ----------
        rest_ns
            How long the lines have to rest before it.

        Raises
        ------
        DrawError
            If what is drawn already takes longer.
        """
        if ns < self._now_ns + rest_ns - 0.5:
            raise DrawError(
                f"it would begin {(self._now_ns + rest_ns - ns) / 1000:.4g} µs before the one before it is over.",
                where=what, hint="Set a higher rate in the recipe.",
            )  # fmt: skip
        self._now_ns = ns

    def toggles(self, name: str, jitter_ns: float, random: np.random.Generator) -> tuple[int, NDArray[np.int64]]:
        """Return the first level and the times of all changes of a line, each a little off."""
        times = np.array([time for time, _ in self._changes[name]])
        times = times + random.normal(0, jitter_ns, len(times)) if jitter_ns else times
        return self._first[name], np.maximum.accumulate(np.rint(times).astype(np.int64))

    def edges(self, name: str, jitter_ns: float = 0.0, random: np.random.Generator | None = None) -> Edges:
        """Return a line as edges, from 0 to how far the drawing is."""
        first, times = self.toggles(name, jitter_ns, random or np.random.default_rng(0))
        levels = np.array([level for _, level in self._changes[name]], np.int8)
        return Edges(times, levels, first, 0, round(self._now_ns))

    def levels_at(self, name: str, times_ns: NDArray[np.floating]) -> NDArray[np.int64]:
        """Return the level of a line at moments in order."""
        changes = self._changes[name]
        places = np.searchsorted(np.array([time for time, _ in changes]), times_ns, side="right")
        levels = np.array([self._first[name], *(level for _, level in changes)])
        return levels[places]
