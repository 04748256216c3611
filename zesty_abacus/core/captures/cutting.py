"""Where recordings may be cut into pieces: found from the content alone, so it is the same wherever it is asked."""

from __future__ import annotations

import struct
from collections.abc import Callable
from typing import BinaryIO, NamedTuple

_LONGEST_LINE = 1 << 16
_PACKET_HEAD = 16
_LARGEST_PACKET = 88
"""A frame of 64 bytes with the head that the kernel gives it (LINKTYPE_CAN_SOCKETCAN), and some room."""
_SMALLEST_PACKET = 8
_FOLLOWING = 32
"""So many heads one behind the other are no accident."""
_WINDOW = (_FOLLOWING + 2) * (_PACKET_HEAD + _LARGEST_PACKET)
_DAY_S = 86_400


class Cuts(NamedTuple):
    """Where a recording may be cut.

    Attributes
    ----------
    head
        Bytes at its beginning that belong to every piece.
    places
        Where pieces may begin, rising; places inside the head, twice or at the end do no harm.
    """

    head: int
    places: tuple[int, ...]


def cut_every(size: int, every: int, head: int, cut_from: Callable[[int], int | None]) -> Cuts:
    """Return cuts at the first place that will do from each ``every`` bytes on.

    Parameters
    ----------
    cut_from
        Gives that place from a byte on, None where none is near.
    """
    found = (cut_from(at) for at in range(every, size, every))
    return Cuts(head, tuple(place for place in found if place is not None))


class CutAtLines:
    """Formats of which each line is a frame by itself."""

    def cuts(self, file: BinaryIO, size: int, every: int) -> Cuts | None:
        """Return cuts between lines."""

        def line_from(at: int) -> int | None:
            file.seek(at - 1)
            end = file.read(_LONGEST_LINE).find(b"\n")
            return at + end if end >= 0 else None

        return cut_every(size, every, 0, line_from)


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
