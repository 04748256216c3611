"""A layout to begin with, for a kind of message that nobody has laid out."""

from __future__ import annotations

from ..frames.capture import Capture
from ..layouts.model import Applies, Layout, new_layout


def layout_to_begin(capture: Capture, kind: int, name: str) -> Layout:
    """Return an empty layout that reads just this kind."""
    key = capture.kinds.keys[kind]
    lane = capture.lanes[key.lane]
    applies = Applies(address=key.address, protocol=lane.protocol, extended=key.extended, lanes=(lane.name,))
    return new_layout(name, applies, capture.kind_size(kind))
