"""Which layout reads which kind, and how many of the bits that move it explains."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..frames.activity import KindActivity
from ..frames.capture import Capture
from ..frames.kinds import KindKey
from ..layouts.model import Layout


def match_kind(capture: Capture, key: KindKey, layouts: Iterable[Layout]) -> Layout | None:
    """Return the layout that reads a kind: one that names the lane goes before one for any lane."""
    if not key.is_data:
        return None
    lane = capture.lanes[key.lane]
    found = [
        layout for layout in layouts if layout.applies.matches(lane.name, lane.protocol, key.address, key.extended)
    ]
    return min(found, key=lambda layout: (not layout.applies.lanes, layout.name), default=None)


def match_kinds(capture: Capture, layouts: Sequence[Layout]) -> list[Layout | None]:
    """Return the layout of each kind, in the order of the kind index."""
    return [match_kind(capture, key, layouts) for key in capture.kinds.keys]


@dataclass(frozen=True, slots=True)
class Explained:
    """How many of the bits that move are explained.

    Attributes
    ----------
    moving
        Bits that ever change.
    explained
        Those of them that belong to a field.
    """

    moving: int
    explained: int

    def __add__(self, other: Explained) -> Explained:
        return Explained(self.moving + other.moving, self.explained + other.explained)

    @property
    def share(self) -> float | None:
        """Explained share in 0..1, None when nothing moves."""
        return self.explained / self.moving if self.moving else None


def owned_bits(layout: Layout | None, size: int) -> NDArray[np.int16]:
    """Return the number of the field that owns each bit, -1 for none; int16 (size * 8,).

    Where fields share a bit under different selectors, the first one is named.
    """
    owners = np.full(size * 8, -1, np.int16)
    if layout is not None:
        for bit, numbers in layout.owners().items():
            if bit < len(owners):
                owners[bit] = numbers[0]
    return owners


def explained_bits(activity: KindActivity, layout: Layout | None) -> Explained:
    """Count moving and explained bits of one kind."""
    moves = activity.moves
    owned = owned_bits(layout, activity.size) >= 0
    return Explained(int(moves.sum()), int((moves & owned).sum()))
