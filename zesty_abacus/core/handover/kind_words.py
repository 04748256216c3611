"""Addresses in words, as lists on screen write them."""

from __future__ import annotations

from ..frames.capture import Capture
from ..protocols.registry import protocol_named


def kind_words(capture: Capture, kind: int) -> str:
    """Return the address of a kind the way an engineer of its bus writes it, with what tells kinds apart."""
    key = capture.kinds.keys[kind]
    return protocol_named(capture.lanes[key.lane].protocol).kind_text(key)
