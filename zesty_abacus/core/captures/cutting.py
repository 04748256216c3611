"""Where recordings may be cut into pieces: found from the content alone, so it is the same wherever it is asked."""

from __future__ import annotations

import struct
from typing import BinaryIO

_LONGEST_LINE = 1 << 16
_PACKET_HEAD = 16
_LARGEST_PACKET = 88
"""A frame of 64 bytes with the head that the kernel gives it (LINKTYPE_CAN_SOCKETCAN), and some room."""
_SMALLEST_PACKET = 8
_FOLLOWING = 32
"""So many heads one behind the other are no accident."""
_WINDOW = (_FOLLOWING + 2) * (_PACKET_HEAD + _LARGEST_PACKET)
_DAY_S = 86_400


class CutAtLines:
    """Formats of which each line is a frame by itself."""

    def head_bytes(self, _beginning: bytes) -> int | None:
        """Return that nothing belongs to every piece."""
        return 0

    def cut_from(self, file: BinaryIO, at: int, _beginning: bytes) -> int | None:
        """Return where the first line from a byte on begins, None if none does."""
        file.seek(at - 1)
        end = file.read(_LONGEST_LINE).find(b"\n")
        return at + end if end >= 0 else None


def packet_from(file: BinaryIO, at: int, order: str) -> int | None:
    """Return the first place from a byte on where pcap packets of CAN follow one another, None if none do.

    Parameters
    ----------
    order
        Of the file's numbers, as :mod:`struct` writes it.
    """
    file.seek(at)
    data = file.read(_WINDOW)
    found = (place for place in range(_PACKET_HEAD + _LARGEST_PACKET) if _packets_follow(data, place, order))
    place = next(found, None)
    return None if place is None else at + place


def _packets_follow(data: bytes, place: int, order: str) -> bool:
    """Return whether heads that make sense stand one behind the other."""
    before: int | None = None
    for _ in range(_FOLLOWING):
        if place + _PACKET_HEAD > len(data):
            return False
        seconds, fraction, captured, original = struct.unpack_from(f"{order}IIII", data, place)
        # packets of one recording lie within a day of each other, whatever else bytes may be
        is_near = before is None or abs(seconds - before) <= _DAY_S
        if not (is_near and _SMALLEST_PACKET <= captured <= original <= _LARGEST_PACKET and fraction < 1_000_000_000):
            return False
        before, place = seconds, place + _PACKET_HEAD + captured
    return True
