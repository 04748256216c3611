"""Where large recordings may be cut, so that several processes decode one of them.

Only recordings of which each frame stands for itself are cut: plain text logs of CAN between lines, pcap files of CAN
between packets. A cut is found from the content alone, so it is the same wherever the work is given out.
"""

from __future__ import annotations

import re
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

from ..files.errors import file_errors, file_errors_as
from ..files.reading import open_file
from .errors import ArchiveError

CUT_BYTES = 128 << 20
"""So large a piece is: some millions of frames, a minute of work, and a fraction of what a process may hold."""
_LONGEST_LINE = 1 << 16
_COPY = 8 << 20
_LINE = re.compile(rb"\(\d{1,11}\.\d{1,9}\)\s+\S+\s+[0-9A-Fa-f]{3,8}#")
_PCAP_HEAD, _PACKET_HEAD = 24, 16
_ORDERS = {b"\xd4\xc3\xb2\xa1": "<", b"\x4d\x3c\xb2\xa1": "<", b"\xa1\xb2\xc3\xd4": ">", b"\xa1\xb2\x3c\x4d": ">"}
_CAN_LINK = 227
_LARGEST_PACKET = 88
"""A frame of 64 bytes with the head that the kernel gives it (LINKTYPE_CAN_SOCKETCAN), and some room."""
_FOLLOWING = 32
"""So many heads one behind the other are no accident."""
_WINDOW = (_FOLLOWING + 2) * (_PACKET_HEAD + _LARGEST_PACKET)


@dataclass(frozen=True, slots=True)
class Piece:
    """A part of a recording that is read as a recording of its own.

    Attributes
    ----------
    number
        From 0.
    begin, end
        Bytes of the file.
    head
        Bytes at the beginning of the file that belong to each piece.
    """

    number: int
    begin: int
    end: int
    head: int = 0

    def copy(self, source: Path, folder: Path) -> Path:
        """Write the piece into a folder as a file of the same name, which lanes may be called after; return where.

        Raises
        ------
        ArchiveError
            If it cannot be read or written.
        """
        target = folder / source.name
        with (
            file_errors_as(ArchiveError),
            file_errors(source, "it cannot be cut"),
            open_file(source) as file,
            target.open("wb") as made,
        ):
            made.write(file.read(self.head))
            file.seek(self.begin)
            left = self.end - self.begin
            while left and (data := file.read(min(left, _COPY))):
                made.write(data)
                left -= len(data)
        return target


def pieces_of(path: Path, size: int, cut_bytes: int = CUT_BYTES) -> tuple[Piece, ...]:
    """Return the pieces that a recording is worked on in; none where it is taken as a whole.

    Raises
    ------
    ArchiveError
        If it cannot be read.
    """
    if size < 2 * cut_bytes:
        return ()
    with file_errors_as(ArchiveError), file_errors(path, "it cannot be read"), open_file(path) as file:
        beginning = file.read(_LONGEST_LINE)
        if _LINE.match(beginning):
            cuts, head = [_behind_line(file, at) for at in range(cut_bytes, size, cut_bytes)], 0
        elif (order := _order_of_pcap(beginning)) is not None:
            cuts, head = [_at_packet(file, at, order) for at in range(cut_bytes, size, cut_bytes)], _PCAP_HEAD
        else:
            return ()
    edges = sorted({head, *(cut for cut in cuts if cut is not None and head < cut < size), size})
    return tuple(Piece(number, begin, end, head) for number, (begin, end) in enumerate(pairwise(edges)))


def _behind_line(file, at: int) -> int | None:  # type: ignore[no-untyped-def]
    """Return where the line behind a byte begins."""
    file.seek(at - 1)
    end = file.read(_LONGEST_LINE).find(b"\n")
    return at + end if end >= 0 else None


def _order_of_pcap(beginning: bytes) -> str | None:
    """Return how numbers lie in a pcap file of CAN, as :mod:`struct` writes it; None if it is none."""
    order = _ORDERS.get(beginning[:4])
    if order is None or len(beginning) < _PCAP_HEAD:
        return None
    (link,) = struct.unpack_from(f"{order}I", beginning, 20)
    return order if link & 0x0FFF_FFFF == _CAN_LINK else None


def _at_packet(file, at: int, order: str) -> int | None:  # type: ignore[no-untyped-def]
    """Return the first place from a byte on where packets follow one another."""
    file.seek(at)
    data = file.read(2 * _WINDOW)
    for place in range(_PACKET_HEAD + _LARGEST_PACKET):
        if sum(1 for _ in _packets(data, place, order)) == _FOLLOWING:
            return at + place
    return None


def _packets(data: bytes, place: int, order: str) -> Iterator[int]:
    """Yield where packets begin, as long as their heads make sense, and not more than are asked for."""
    before = None
    for _ in range(_FOLLOWING):
        if place + _PACKET_HEAD > len(data):
            return
        seconds, fraction, captured, original = struct.unpack_from(f"{order}IIII", data, place)
        sensible = 8 <= captured <= original <= _LARGEST_PACKET and fraction < 1_000_000_000
        # packets of one recording lie within a day of each other, whatever else bytes may be
        if not sensible or (before is not None and abs(seconds - before) > 86_400):
            return
        yield place
        before, place = seconds, place + _PACKET_HEAD + captured
