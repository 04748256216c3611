"""Frames in datagrams, a form of our own: frames with time, lane and address over UDP, several in one datagram.

All numbers are highest byte first. A datagram is the four letters ``ZAF1``, then frames one behind the other, each:

====== ============================================================
bytes  what
====== ============================================================
8      time, nanoseconds since 1970, signed
8      address, signed
4      flags, those of :mod:`zesty_abacus.core.frames.flags`
1      length of the lane's name
2      size of the payload
…      the lane's name in UTF-8, then the payload
====== ============================================================
"""

from __future__ import annotations

import struct
from typing import NamedTuple

MAGIC = b"ZAF1"
_HEAD = struct.Struct(">qqIBH")
LARGEST = 65_507
"""Bytes of the largest datagram (RFC 768 and RFC 791)."""


class SentFrame(NamedTuple):
    """A frame of a datagram."""

    time_ns: int
    lane: str
    address: int
    flags: int
    payload: bytes


def pack_frame(frame: SentFrame) -> bytes:
    """Return one frame as it stands in a datagram, without the letters before it; a long name is cut."""
    name = frame.lane.encode()[:255]
    return _HEAD.pack(frame.time_ns, frame.address, frame.flags, len(name), len(frame.payload)) + name + frame.payload


def unpack_frames(data: bytes) -> list[SentFrame] | None:
    """Return the frames of a datagram; None if it is none of ours, or breaks off."""
    if data[: len(MAGIC)] != MAGIC:
        return None
    found, at = [], len(MAGIC)
    while at < len(data):
        if at + _HEAD.size > len(data):
            return None
        time_ns, address, flags, named, size = _HEAD.unpack_from(data, at)
        name, end = at + _HEAD.size + named, at + _HEAD.size + named + size
        if end > len(data):
            return None
        lane = data[at + _HEAD.size : name].decode("utf-8", "replace")
        found.append(SentFrame(time_ns, lane, address, flags, data[name:end]))
        at = end
    return found
