"""A condition as a state: it stands from a frame in which it holds until one of the same kind in which it does not.

A condition about a field is asked of frames that carry the field. Between two of them the value is still what it was,
so that *never the hook open while the pull is high* can be asked of two messages.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Lane
from ..frames.flags import TELLS_KINDS_APART
from ..frames.table import FrameTable
from ..live.watch import Watch

_Kind = tuple[int, int, int]


class Truth(NamedTuple):
    """Of each frame of a table: whether the condition holds in it, and whether it stands then; bool (n,) each."""

    hits: NDArray[np.bool_]
    now: NDArray[np.bool_]


class Standing:
    """Follows a condition over frames as they come."""

    def __init__(self, watch: Watch) -> None:
        self._watch = watch
        self._holding: set[_Kind] = set()
        self._kinds: set[_Kind] = set()

    def over(self, table: FrameTable, lanes: Sequence[Lane]) -> Truth:
        """Return the truth of some frames, which continue those before."""
        hits = np.zeros(len(table), np.bool_)
        hits[self._watch.holds_in(table, lanes)] = True
        kinds = list(zip(
            table.lane.tolist(), table.address.tolist(), (table.flags & np.uint32(TELLS_KINDS_APART)).tolist(),
            strict=True,
        ))  # fmt: skip
        self._kinds |= {kinds[row] for row in np.flatnonzero(hits).tolist()}
        now = np.zeros(len(table), np.bool_)
        for row, kind in enumerate(kinds):
            if kind in self._kinds:
                (self._holding.add if hits[row] else self._holding.discard)(kind)
            now[row] = bool(self._holding)
        return Truth(hits, now)
