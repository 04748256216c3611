"""How findings name the kind of message that they are of: one answer for all who make findings."""

from __future__ import annotations

from typing import NamedTuple

from ..frames.flags import flag_words
from ..protocols.registry import protocol_named
from ..reading.meaning import Meaning


class KindName(NamedTuple):
    """What the keys of a finding say of its kind.

    Attributes
    ----------
    message
        What a layout calls it; else words for its address where the bare number does not tell it.
    """

    lane: str
    address: int
    flags: str
    message: str


def name_of(meaning: Meaning, kind: int) -> KindName:
    """Return how findings name a kind of a capture."""
    key = meaning.capture.kinds.keys[kind]
    lane = meaning.capture.lanes[key.lane]
    readers = meaning.kinds[kind].readers
    message = readers[0].layout.name if readers else ""
    if not message and not (text := protocol_named(lane.protocol).kind_text(key)).startswith("0x"):
        message = text
    return KindName(lane.name, key.address, flag_words(key.flags), message)
