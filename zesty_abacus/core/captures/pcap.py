"""pcap files (draft-ietf-opsawg-pcap): both byte orders, micro- and nanoseconds; CAN and network packets."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from pathlib import Path
from typing import BinaryIO

import numpy as np

from ..compiled import njit
from ..errors import MisuseError
from ..frames.table import FrameTable
from ..progress import Progress
from . import can_packet as can
from .cutting import Cuts, cut_every, packet_from
from .output import ByteOutput
from .registry import Sink
from .report import CaptureReadError, ReadReport
from .room import FrameRoom
from .source import ByteSource

_FILE_HEADER = 24
_PACKET_HEADER = 16
_AHEAD = 32
_LINK_BITS = 0x0FFF_FFFF
"""Of a link type; the bits above tell about frame check sequences."""
_MAGICS = {
    b"\xd4\xc3\xb2\xa1": (False, 1000),
    b"\xa1\xb2\xc3\xd4": (True, 1000),
    b"\x4d\x3c\xb2\xa1": (False, 1),
    b"\xa1\xb2\x3c\x4d": (True, 1),
}
_WRITE_ROWS = 1 << 15


class Pcap:
    """Reader and writer of pcap files that hold CAN frames."""

    name = "pcap"
    suffixes = (".pcap",)
    protocols: tuple[str, ...] = ("can",)
    is_for_one_lane = True

    def sniff(self, head: bytes) -> bool:
        """Return whether the file begins with one of the four magic numbers."""
        return head[:4] in _MAGICS

    def cuts(self, file: BinaryIO, size: int, every: int) -> Cuts | None:
        """Return cuts where packets of CAN follow one another; through those of a network streams run."""
        file.seek(0)
        header = file.read(_FILE_HEADER)
        if len(header) < _FILE_HEADER:
            return None
        order = _order(header)
        (link,) = struct.unpack_from(f"{order}I", header, 20)
        if link & _LINK_BITS != can.LINK_CAN:
            return None
        return cut_every(size, every, _FILE_HEADER, lambda at: packet_from(file, at, order))

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all whole packets.

        Raises
        ------
        CaptureReadError
            If the link type is none of those read, or the file header is cut off.
        """
        report.lanes.append("")
        rest = b""
        offset = 0
        header: tuple[bool, int, int] | None = None
        room = can.packet_room()
        for chunk in source.chunks(report, progress):
            data = rest + chunk
            if header is None:
                if len(data) < _FILE_HEADER:
                    rest = data
                    continue
                header = _parse_header(data, source)
                data, offset = data[_FILE_HEADER:], _FILE_HEADER
            room = room.enough_for(len(data))
            position = _read_packets(data, offset, header, room, sink, report)
            rest = data[position:]
            offset += position
        if header is None:
            raise CaptureReadError("the file ends inside its header.", where=str(source.path))
        if rest:
            report.add_problem(f"byte {offset}", can.REASONS[can.CUT_OFF])

    def open_writer(self, path: Path, lanes: Sequence[str]) -> PcapWriter:
        """Start a pcap file.

        Raises
        ------
        MisuseError
            If there is more than one lane, which pcap cannot tell apart.
        """
        if len(lanes) > 1:
            raise MisuseError(f"pcap holds one lane, not {len(lanes)}.", where=str(path), hint="Use .pcapng.")
        return PcapWriter(path)


FORMAT = Pcap()


def _order(beginning: bytes) -> str:
    """Return how the numbers of a file lie, as :mod:`struct` writes it."""
    return ">" if _MAGICS[beginning[:4]][0] else "<"


def _parse_header(data: bytes, source: ByteSource) -> tuple[bool, int, int]:
    """Return (highest byte first, nanoseconds a tick, link type)."""
    if data[:4] not in _MAGICS:
        raise CaptureReadError("the file does not begin as a pcap file does.", where=str(source.path))
    swapped, tick = _MAGICS[data[:4]]
    (link,) = struct.unpack_from(f"{_order(data)}I", data, 20)
    link &= _LINK_BITS
    if not can.is_read(link):
        raise CaptureReadError(
            f"link type {link} is not read.",
            where=str(source.path),
            hint="CAN (227), cooked Linux (113), Ethernet (1), IP (101) and Bluetooth LE (251, 256) are.",
        )
    return swapped, tick, link


def _read_packets(
    data: bytes, offset: int, header: tuple[bool, int, int], room: FrameRoom, sink: Sink, report: ReadReport
) -> int:
    view = np.frombuffer(data, np.uint8)
    frames, used, bad, position = _parse(view, can.words_of(view, np.uint32), *header, *can.room_arguments(room))
    report.add_problems(room.bad, int(bad), lambda place, reason: (f"byte {offset + place}", can.REASONS[reason]))
    if frames:
        sink(room.table(int(frames), int(used)))
    return int(position)


@njit(cache=True, nogil=True)
def _plausible(data, words, at, swapped, tick):  # type: ignore[no-untyped-def]
    """Return the packet length if a header at ``at`` makes sense, else -1."""
    if at + _PACKET_HEADER > len(data):
        return -1
    fraction = can.read_u32(words, at + 4, swapped)
    captured = can.read_u32(words, at + 8, swapped)
    original = can.read_u32(words, at + 12, swapped)
    if captured > can.MAX_PACKET or captured > original or fraction * tick >= 1_000_000_000:
        return -1
    return captured


@njit(cache=True, nogil=True)
def _find_packet(data, words, at, swapped, tick, largest):  # type: ignore[no-untyped-def]
    """Return the next position where two plausible packets of the usual size follow one another, else the end."""
    while at + 2 * _PACKET_HEADER + can.HEADER <= len(data):
        captured = _plausible(data, words, at, swapped, tick)
        if can.HEADER <= captured <= largest and at + captured + 2 * _PACKET_HEADER <= len(data):
            following = _plausible(data, words, at + _PACKET_HEADER + captured, swapped, tick)
            if can.HEADER <= following <= largest:
                return at
        at += 1
    return len(data)


@njit(cache=True, nogil=True)
def _parse(  # type: ignore[no-untyped-def]
    data, words, swapped, tick, link, time_ns, lane, address, flags, start, size, payload, bad_places
):
    """Parse whole packets; return (frames, payload bytes, problems, position of the rest)."""
    frames = used = bad = at = 0
    while at + _PACKET_HEADER <= len(data):
        captured = _plausible(data, words, at, swapped, tick)
        if captured < 0:
            bad_places[bad, 0] = at
            bad_places[bad, 1] = can.NONSENSE_LENGTH
            bad += 1
            largest = 96 if link == can.LINK_CAN or link == can.LINK_COOKED else 9018
            at = _find_packet(data, words, at + 1, swapped, tick, largest)
            continue
        if at + _PACKET_HEADER + captured > len(data):
            break
        if at + _PACKET_HEADER + captured + _AHEAD < len(data):
            number, bits, length = can.usual_frame(words, at + _PACKET_HEADER, captured, link, payload, used)
            if number >= 0:
                seconds = can.read_u32(words, at, swapped)
                time_ns[frames] = seconds * 1_000_000_000 + can.read_u32(words, at + 4, swapped) * tick
                lane[frames] = 0
                address[frames] = number
                flags[frames] = bits
                start[frames] = used
                size[frames] = length
                frames += 1
                used += length
                at += _PACKET_HEADER + captured
                continue
        code, used_after = can.take_frame(
            data, words, at + _PACKET_HEADER, captured, link, address, flags, start, size, payload, frames, used
        )
        if code == 0:
            seconds = can.read_u32(words, at, swapped)
            time_ns[frames] = seconds * 1_000_000_000 + can.read_u32(words, at + 4, swapped) * tick
            lane[frames] = 0
            frames += 1
            used = used_after
        else:
            bad_places[bad, 0] = at
            bad_places[bad, 1] = code
            bad += 1
        at += _PACKET_HEADER + captured
    return frames, used, bad, at


class PcapWriter:
    """Writes a pcap file with nanoseconds, lowest byte first, link type 227."""

    def __init__(self, path: Path) -> None:
        self._output = ByteOutput(path)
        self._output.write(struct.pack("<IHHiIII", 0xA1B23C4D, 2, 4, 0, 0, can.MAX_PACKET, can.LINK_CAN))

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table."""
        for first in range(0, len(table), _WRITE_ROWS):
            part = table.rows(first, first + _WRITE_ROWS)
            data = np.zeros(len(part) * (_PACKET_HEADER + can.HEADER) + int(part.size.sum()), np.uint8)
            _format(part.time_ns, part.address, part.flags, part.start, part.size, part.payload, data)
            self._output.write(data.data)

    def close(self) -> None:
        """Finish the file."""
        self._output.close()


@njit(cache=True, nogil=True)
def _format(time_ns, address, flags, start, size, payload, data):  # type: ignore[no-untyped-def]
    at = 0
    for row in range(len(time_ns)):
        length = can.HEADER + np.int64(size[row])
        at = can.put_u32(data, at, time_ns[row] // 1_000_000_000)
        at = can.put_u32(data, at, time_ns[row] % 1_000_000_000)
        at = can.put_u32(data, at, length)
        at = can.put_u32(data, at, length)
        at = can.put_frame(data, at, address[row], flags[row], payload, start[row], size[row])
