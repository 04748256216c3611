"""Writes pcapng files; what their blocks are is said in :mod:`.pcapng`."""

from __future__ import annotations

import struct
from collections.abc import Sequence
from pathlib import Path

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from . import can_packet as can
from .output import ByteOutput

SECTION = 0x0A0D0D0A
INTERFACE = 1
ENHANCED = 6
"""Types of blocks: the head of a section, an interface, a packet with its time."""
_WRITE_ROWS = 1 << 15


class PcapngWriter:
    """Writes a pcapng file with nanoseconds, lowest byte first, an interface a lane."""

    def __init__(self, path: Path, lanes: Sequence[str]) -> None:
        self._output = ByteOutput(path)
        self._output.write(_block(SECTION, struct.pack("<IHHq", 0x1A2B3C4D, 1, 0, -1)))
        for name in lanes:
            options = _option(2, name.encode()) if name else b""
            options += _option(9, b"\x09") + struct.pack("<HH", 0, 0)
            self._output.write(_block(INTERFACE, struct.pack("<HHI", can.LINK_CAN, 0, 0) + options))

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table."""
        for first in range(0, len(table), _WRITE_ROWS):
            part = table.rows(first, first + _WRITE_ROWS)
            data = np.zeros(len(part) * 96 + int(part.size.sum()), np.uint8)
            used = _format(part.time_ns, part.lane, part.address, part.flags, part.start, part.size, part.payload, data)
            self._output.write(data[:used].data)

    def close(self) -> None:
        """Finish the file."""
        self._output.close()


def _block(kind: int, body: bytes) -> bytes:
    size = len(body) + 12
    return struct.pack("<II", kind, size) + body + struct.pack("<I", size)


def _option(code: int, value: bytes) -> bytes:
    return struct.pack("<HH", code, len(value)) + value + b"\0" * (-len(value) % 4)


@njit(cache=True, nogil=True)
def _format(time_ns, lane, address, flags, start, size, payload, data):  # type: ignore[no-untyped-def]
    at = 0
    for row in range(len(time_ns)):
        length = can.HEADER + np.int64(size[row])
        padded = (length + 3) // 4 * 4
        way = 1 if flags[row] & F.RECEIVED else 2 if flags[row] & F.SENT else 0
        block = 32 + padded + (12 if way else 0)
        at = can.put_u32(data, at, ENHANCED)
        at = can.put_u32(data, at, block)
        at = can.put_u32(data, at, np.int64(lane[row]))
        at = can.put_u32(data, at, time_ns[row] >> 32)
        at = can.put_u32(data, at, time_ns[row] & 0xFFFFFFFF)
        at = can.put_u32(data, at, length)
        at = can.put_u32(data, at, length)
        can.put_frame(data, at, address[row], flags[row], payload, start[row], size[row])
        at += padded
        if way:
            at = can.put_u32(data, at, 4 << 16 | 2)
            at = can.put_u32(data, at, way)
            at = can.put_u32(data, at, 0)
        at = can.put_u32(data, at, block)
    return at
