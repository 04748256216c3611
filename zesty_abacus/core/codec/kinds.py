"""Decodes frames of a capture: what a plan gives, together with what the link itself says of each frame."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..frames import flags as F
from ..frames.activity import KindActivity
from ..frames.capture import Capture, KindFrames
from ..layouts.model import Layout
from .columns import Decoded
from .decode import decode
from .matching import Explained, explained_bits
from .moving import bit_owners
from .plan import Plan, compile_layout

UNTRUE = F.BAD_CHECK | F.FRAMING | F.PARITY | F.UNSURE_LEVEL
"""Flags of the link that leave no value of a frame to be believed."""
_SAMPLED_FRAMES = 64


def decode_frames(capture: Capture, plan: Plan, frames: KindFrames, only: Iterable[UUID] | None = None) -> Decoded:
    """Decode gathered frames of one kind; frames that broke a check of their link have no good values."""
    rows = frames.rows
    address = int(capture.table.address[rows[0]]) if len(rows) else 0
    untrue = (capture.table.flags[rows] & UNTRUE) != 0
    return decode(plan, frames.matrix, frames.sizes, only, address=address, untrue=untrue if untrue.any() else None)


def owners_of_kind(capture: Capture, kind: int, layout: Layout, others: Sequence[Layout]) -> NDArray[np.int16]:
    """Return which field owns each bit of a kind; of a layout that moves, where most sampled frames agree.

    A bit counts as owned if it is owned in every sampled frame that has it; int16 (size * 8,).
    """
    size = capture.kind_size(kind)
    try:
        plan = compile_layout(layout, others)
    except MisuseError:
        return np.full(size * 8, -1, np.int16)
    rows = capture.kinds.rows(kind)
    spread = np.linspace(0, len(rows) - 1, min(len(rows), _SAMPLED_FRAMES)).astype(np.int64)
    frames = capture.gather(rows[spread])
    owners = bit_owners(plan, frames.matrix, frames.sizes)[:, : size * 8]
    there = np.repeat(np.arange(size)[None, :] < frames.sizes[:, None], 8, axis=1)
    made = np.full(size * 8, -1, np.int16)
    whole = ((owners >= 0) | ~there).all(axis=0) & there.any(axis=0)
    for bit in np.flatnonzero(whole):
        own = owners[there[:, bit], bit]
        made[bit] = np.bincount(own).argmax()
    return made


def explain_kinds(
    capture: Capture, activities: Sequence[KindActivity], matches: Sequence[Layout | None], others: Sequence[Layout]
) -> tuple[list[Explained], dict[int, NDArray[np.int16]]]:
    """Count moving and explained bits of every kind.

    Returns
    -------
    explained
        One a kind.
    owners
        Of kinds whose layout moves, which field owns each bit, as :func:`owners_of_kind` gives it.
    """
    found = []
    owners = {}
    for kind, (activity, layout) in enumerate(zip(activities, matches, strict=True)):
        if layout is None or not layout.parts:
            found.append(explained_bits(activity, layout))
        else:
            owners[kind] = owners_of_kind(capture, kind, layout, others)
            moves = activity.moves
            found.append(Explained(int(moves.sum()), int((moves & (owners[kind][: len(moves)] >= 0)).sum())))
    return found, owners
