"""pcapng files (draft-ietf-opsawg-pcapng) with CAN frames and network packets.

Sections of either byte order, any number of interfaces with their own time resolution and offset;
enhanced and simple packet blocks are read, all other blocks are passed over.
"""

from __future__ import annotations

import struct
from collections.abc import Iterator, Sequence
from functools import partial
from pathlib import Path
from typing import BinaryIO

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..progress import Progress
from . import can_packet as can
from .cutting import Cuts
from .pcapng_writer import ENHANCED, INTERFACE, SECTION, PcapngWriter
from .registry import Sink
from .report import ReadReport
from .source import ByteSource

_SIMPLE = 3
_MAX_BLOCK = 16 << 20
_MAX_INTERFACES = 1024
_FASTEST = 1_000_000_000_000
"""Bit/s of an interface; what is above is no speed."""
_AHEAD = 32
_LAST_NS = 9_200_000_000_000_000_000
_SWAPPED_ORDER = 0x4D3C2B1A
"""The mark of a file with the high byte first, as a word with the low one first."""
_SWAPPED_MARK = b"\x1a\x2b\x3c\x4d"
_PLAIN_MARK = b"\x4d\x3c\x2b\x1a"

# columns of the interface table
_LINK, _LANE, _MULTIPLY, _DIVIDE, _BINARY, _OFFSET = range(6)


class Pcapng:
    """Reader and writer of pcapng files that hold CAN frames."""

    name = "pcapng"
    suffixes = (".pcapng",)
    protocols: tuple[str, ...] = ("can",)
    is_for_one_lane = False

    def sniff(self, head: bytes) -> bool:
        """Return whether the file begins with a section header block."""
        return head[:4] == b"\x0a\x0d\x0d\x0a" and head[8:12] in (_SWAPPED_MARK, _PLAIN_MARK)

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Read all whole blocks; broken ones are listed with their place."""
        state = _Section()
        rest = b""
        offset = 0
        for chunk in source.chunks(report, progress):
            data = rest + chunk
            position = state.read_blocks(data, offset, sink, report)
            rest = data[position:]
            offset += position
        if rest:
            report.add_problem(f"byte {offset}", can.REASONS[can.CUT_OFF])
        if not report.lanes:
            report.add_problem("byte 0", "no interface carries packets that are read")

    def cuts(self, file: BinaryIO, size: int, every: int) -> Cuts | None:
        """Return cuts between packets; what is described before the first one belongs to every piece.

        The whole chain of blocks is followed, since an interface that is described later, a second section or a packet
        without a time of its own would be lost to the pieces behind it: such a recording is not cut.
        """
        words = np.memmap(file, "<u4", "r", shape=(size // 4,))
        swapped = int(words[2]) == _SWAPPED_ORDER
        places = np.zeros(size // every + 1, np.int64)
        head, count = _chain(words, swapped, every, places)
        return Cuts(int(head), tuple(places[:count].tolist())) if head >= 0 else None

    def open_writer(self, path: Path, lanes: Sequence[str]) -> PcapngWriter:
        """Start a pcapng file with an interface a lane."""
        return PcapngWriter(path, lanes)


FORMAT = Pcapng()


class _Section:
    """The section being read: its byte order and its interfaces."""

    def __init__(self) -> None:
        self.swapped = False
        self.interfaces = np.zeros((_MAX_INTERFACES, 6), np.int64)
        self.count = 0
        self.room = can.packet_room()

    def read_blocks(self, data: bytes, offset: int, sink: Sink, report: ReadReport) -> int:
        """Read whole blocks from a chunk; return the position of the rest."""
        view = np.frombuffer(data, np.uint8)
        words = can.words_of(view, np.uint32)
        position = 0
        room = self.room = self.room.enough_for(len(data))
        while True:
            frames, used, bad, position, stopped = _parse(
                view, words, position, self.swapped, self.interfaces, self.count, *can.room_arguments(room)
            )
            position = int(position)
            report.add_problems(room.bad, int(bad), partial(_problem_words, offset))
            if frames:
                sink(room.table(int(frames), int(used)))
            if not stopped:
                return position
            size = self._read_head(data, position, offset, report)
            if size == 0:
                return position
            position += size

    def _read_head(self, data: bytes, at: int, offset: int, report: ReadReport) -> int:
        """Read a section or interface block; return its size, 0 if more data are needed."""
        if data[at : at + 4] == b"\x0a\x0d\x0d\x0a":
            mark = data[at + 8 : at + 12]
            if len(mark) < 4:
                return 0
            if mark not in (_SWAPPED_MARK, _PLAIN_MARK):
                report.add_problem(f"byte {offset + at}", "the section's byte order is not marked")
                return 4
            self.swapped = mark == _SWAPPED_MARK
            self.count = 0
        (size,) = struct.unpack_from(self._order + "I", data, at + 4)
        if size % 4 or not 12 <= size <= _MAX_BLOCK:
            report.add_problem(f"byte {offset + at}", can.REASONS[can.NONSENSE_LENGTH])
            return 4
        if at + size > len(data):
            return 0
        if struct.unpack_from(self._order + "I", data, at)[0] == INTERFACE:
            self._add_interface(data[at + 8 : at + size - 4], f"byte {offset + at}", report)
        return size

    def _add_interface(self, body: bytes, place: str, report: ReadReport) -> None:
        if len(body) < 8 or self.count == _MAX_INTERFACES:
            report.add_problem(place, "the description of an interface cannot be used")
            return
        (link,) = struct.unpack_from(self._order + "H", body)
        name, resolution, shift, bit_rate = "", 6, 0, 0
        for code, value in self._options(body[8:]):
            if code == 2:
                name = value.decode("utf-8", "replace")
            elif code == 8 and len(value) == 8:
                (bit_rate,) = struct.unpack(self._order + "Q", value)
            elif code == 9 and value:
                resolution = value[0]
            elif code == 14 and len(value) == 8:
                (shift,) = struct.unpack(self._order + "q", value)
        row = self.interfaces[self.count]
        row[_LINK] = link
        row[_MULTIPLY], row[_DIVIDE], row[_BINARY] = _resolution(resolution)
        # an offset beyond the range of time is as good as none
        row[_OFFSET] = shift * 1_000_000_000 if abs(shift) < 4_000_000_000 else 0
        self.count += 1
        row[_LANE] = -1
        if can.is_read(link):
            row[_LANE] = _lane_number(report.lanes, name)
            if 0 < bit_rate <= _FASTEST:
                report.bit_rates[report.lanes[row[_LANE]]] = bit_rate
        else:
            report.add_problem(place, f"interface {name or self.count - 1} has link type {link}, which is not read")

    def _options(self, body: bytes) -> Iterator[tuple[int, bytes]]:
        at = 0
        while at + 4 <= len(body):
            code, length = struct.unpack_from(self._order + "HH", body, at)
            if code == 0 or at + 4 + length > len(body):
                return
            yield code, body[at + 4 : at + 4 + length]
            at += 4 + (length + 3) // 4 * 4

    @property
    def _order(self) -> str:
        return ">" if self.swapped else "<"


def _lane_number(lanes: list[str], name: str) -> int:
    """Return the lane of an interface; named ones of several sections are the same lane."""
    if name and name in lanes:
        return lanes.index(name)
    lanes.append(name)
    return len(lanes) - 1


def _resolution(code: int) -> tuple[int, int, int]:
    """Return (multiply, divide, binary digits) that turn ticks into nanoseconds."""
    if code & 0x80:
        return 1, 1, min(code & 0x7F, 62) or 1
    if code <= 9:
        return 10 ** (9 - code), 1, 0
    return 1, 10 ** min(code - 9, 18), 0


@njit(cache=True, nogil=True)
def _chain(words, swapped, every, places):  # type: ignore[no-untyped-def]
    """Follow the blocks of a file; return where the first packet begins, or -1 if it is not cut, and how many cuts.

    Each place that is written is the first packet behind another ``every`` bytes. Words are those of the file, aligned.
    """
    at = count = 0
    head = np.int64(-1)
    while at + 3 <= len(words):
        kind, size = can.read_u32(words, at, swapped), can.read_u32(words, at + 1, swapped)
        if size % 4 or size < 12 or size > _MAX_BLOCK or at + size // 4 > len(words):
            return np.int64(-1), 0
        if kind == ENHANCED:
            head = 4 * at if head < 0 else head
            if 4 * at >= (count + 1) * every and count < len(places):
                places[count] = 4 * at
                count += 1
        elif kind == _SIMPLE or (head >= 0 and kind == INTERFACE) or (at > 0 and kind == SECTION):
            return np.int64(-1), 0
        elif kind == INTERFACE:
            link = can.read_u32(words, at + 2, swapped)
            if (link >> 16 if swapped else link & 0xFFFF) != can.LINK_CAN:
                return np.int64(-1), 0
        at += size // 4
    return (head, count) if at == len(words) else (np.int64(-1), 0)


def _problem_words(offset: int, place: int, reason: int) -> tuple[str, str]:
    return f"byte {offset + place}", can.REASONS[reason]


@njit(cache=True, nogil=True)
def _nanoseconds(ticks, row):  # type: ignore[no-untyped-def]
    if row[_BINARY]:
        digits = row[_BINARY]
        seconds = ticks >> digits
        part = ticks & ((np.int64(1) << digits) - 1)
        if digits > 30:
            part >>= digits - 30
            digits = np.int64(30)
        return seconds * 1_000_000_000 + ((part * 1_000_000_000) >> digits) + row[_OFFSET]
    return ticks * row[_MULTIPLY] // row[_DIVIDE] + row[_OFFSET]


@njit(cache=True, nogil=True)
def _block_size(data, words, at, swapped):  # type: ignore[no-untyped-def]
    """Return the size of a block that makes sense, 0 if more data are needed, -1 for nonsense."""
    if at + 12 > len(data):
        return 0
    size = can.read_u32(words, at + 4, swapped)
    if size % 4 or size < 12 or size > _MAX_BLOCK:
        return -1
    if at + size > len(data):
        return 0
    return size if can.read_u32(words, at + size - 4, swapped) == size else -1


@njit(cache=True, nogil=True)
def _find_block(data, words, at, swapped):  # type: ignore[no-untyped-def]
    """Return the next position where a block of a known type makes sense, else near the end."""
    while at + 12 <= len(data):
        kind = can.read_u32(words, at, swapped)
        if kind == ENHANCED or kind == _SIMPLE or kind == INTERFACE or kind == SECTION:
            if _block_size(data, words, at, swapped) > 0:
                return at
        at += 1
    return len(data)


@njit(cache=True, nogil=True)
def _direction(data, words, first, last, swapped):  # type: ignore[no-untyped-def]
    """Return the direction flag that the options of a packet give, 0 if none."""
    at = first
    while at + 4 <= last:
        head = can.read_u32(words, at, swapped)
        code = head >> 16 if swapped else head & 0xFFFF
        length = head & 0xFFFF if swapped else head >> 16
        if code == 0:
            break
        if code == 2 and length == 4 and at + 8 <= last:
            way = can.read_u32(words, at + 4, swapped) & 3
            return F.RECEIVED if way == 1 else F.SENT if way == 2 else 0
        at += 4 + (length + 3) // 4 * 4
    return 0


@njit(cache=True, nogil=True)
def _parse(  # type: ignore[no-untyped-def]
    data, words, at, swapped, interfaces, count, time_ns, lane, address, flags, start, size, payload, bad_places
):
    """Parse packet blocks until another block needs reading; return counts, position and whether one does."""
    frames = used = bad = 0
    while at + 12 <= len(data):
        kind = can.read_u32(words, at, swapped)
        if kind == SECTION or kind == INTERFACE:
            return frames, used, bad, at, True
        block = _block_size(data, words, at, swapped)
        if block == 0:
            break
        if block < 0:
            bad_places[bad, 0] = at
            bad_places[bad, 1] = can.NONSENSE_LENGTH
            bad += 1
            at = _find_block(data, words, at + 1, swapped)
            continue
        code = 0
        if kind == ENHANCED or kind == _SIMPLE:
            code, used_after = _take_packet(
                data, words, at, block, kind, swapped, interfaces, count, time_ns, lane, address, flags, start, size,
                payload, frames, used,
            )  # fmt: skip
            if code == 0:
                frames += 1
                used = used_after
        if code > 0:
            bad_places[bad, 0] = at
            bad_places[bad, 1] = code
            bad += 1
        at += block
    return frames, used, bad, at, False


@njit(cache=True, nogil=True)
def _take_packet(  # type: ignore[no-untyped-def]
    data,
    words,
    at,
    block,
    kind,
    swapped,
    interfaces,
    count,
    time_ns,
    lane,
    address,
    flags,
    start,
    size,
    payload,
    row,
    used,
):
    """Take one packet block; return (0, a reason, or -1 to pass over it silently; payload bytes used)."""
    header = 28 if kind == ENHANCED else 12
    if block < header + 4:
        return 1, used
    interface = can.read_u32(words, at + 8, swapped) if kind == ENHANCED else np.int64(0)
    if interface >= count:
        return 6, used
    row_of = interfaces[interface]
    room = block - header - 4
    if kind == ENHANCED:
        high = can.read_u32(words, at + 12, swapped)
        if high >= 1 << 31:
            return 7, used
        ticks = high << 32 | can.read_u32(words, at + 16, swapped)
        if ticks > _LAST_NS // row_of[_MULTIPLY]:
            return 7, used
        time = _nanoseconds(ticks, row_of)
        captured = can.read_u32(words, at + 20, swapped)
    else:
        # a simple packet has no time: it takes that of the frame before it
        time = time_ns[row - 1] if row else np.int64(0)
        captured = min(can.read_u32(words, at + 8, swapped), room)
    if captured > room:
        return 4, used
    if row_of[_LANE] < 0:
        return -1, used
    if at + block + _AHEAD < len(data):
        number, bits, length = can.usual_frame(words, at + header, captured, row_of[_LINK], payload, used)
        if number >= 0:
            address[row] = number
            flags[row] = bits
            start[row] = used
            size[row] = length
            time_ns[row] = time
            lane[row] = row_of[_LANE]
            if kind == ENHANCED and header + captured + 8 < block:
                first = at + header + (captured + 3) // 4 * 4
                flags[row] |= _direction(data, words, first, at + block - 4, swapped)
            return 0, used + length
    code, used_after = can.take_frame(
        data, words, at + header, captured, row_of[_LINK], address, flags, start, size, payload, row, used
    )
    if code == 0:
        time_ns[row] = time
        lane[row] = row_of[_LANE]
        if kind == ENHANCED:
            flags[row] |= _direction(data, words, at + header + (captured + 3) // 4 * 4, at + block - 4, swapped)
    return code, used_after
