"""Decodes frames of a capture: what a plan gives, together with what the link itself says of each frame."""

from __future__ import annotations

from collections.abc import Iterable
from uuid import UUID

from ..frames import flags as F
from ..frames.capture import Capture
from ..frames.segment_frames import KindFrames
from .columns import Decoded
from .decode import decode
from .plan import Plan

UNTRUE = F.BAD_CHECK | F.FRAMING | F.PARITY | F.UNSURE_LEVEL
"""Flags of the link that leave no value of a frame to be believed."""


def decode_frames(capture: Capture, plan: Plan, frames: KindFrames, only: Iterable[UUID] | None = None) -> Decoded:
    """Decode gathered frames of one kind; frames that broke a check of their link have no good values."""
    rows = frames.rows
    address = int(capture.frames.addresses(rows[:1])[0]) if len(rows) else 0
    untrue = (capture.frames.flags(rows) & UNTRUE) != 0
    return decode(plan, frames.matrix, frames.sizes, only, address=address, untrue=untrue if untrue.any() else None)
