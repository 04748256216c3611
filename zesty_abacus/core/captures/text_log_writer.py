"""Writes SocketCAN text logs; what their lines look like is said in :mod:`.text_log`."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from .output import ByteOutput

NAME_ROOM = 32
"""Bytes of an interface name, its length before it."""
_WRITE_ROWS = 1 << 15


class TextLogWriter:
    """Writes a SocketCAN text log; times keep nanoseconds only when they have any.

    Parameters
    ----------
    lanes
        Interface names; blanks become ``_``.
    """

    def __init__(self, path: Path, lanes: Sequence[str]) -> None:
        self._output = ByteOutput(path)
        self._names = np.zeros((max(len(lanes), 1), NAME_ROOM), np.uint8)
        for number, name in enumerate(lanes):
            encoded = "_".join(name.split()).encode()[: NAME_ROOM - 1] or b"_"
            self._names[number, 0] = len(encoded)
            self._names[number, 1 : 1 + len(encoded)] = np.frombuffer(encoded, np.uint8)

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table."""
        for first in range(0, len(table), _WRITE_ROWS):
            self._output.write(_lines_of(table.rows(first, first + _WRITE_ROWS), self._names))

    def close(self) -> None:
        """Finish the file."""
        self._output.close()


def _lines_of(table: FrameTable, names: NDArray[np.uint8]) -> memoryview:
    room = len(table) * (80 + 2 * int(table.size.max(initial=0)))
    text = np.empty(room, np.uint8)
    used = _format_lines(
        table.time_ns, table.lane, table.address, table.flags, table.start, table.size, table.payload, names, text
    )
    return text[:used].data


@njit(cache=True, nogil=True)
def _put_hex(text, at, number, digits):  # type: ignore[no-untyped-def]
    for i in range(digits):
        value = (number >> (4 * (digits - 1 - i))) & 15
        text[at + i] = 48 + value if value < 10 else 55 + value
    return at + digits


@njit(cache=True, nogil=True)
def _put_decimal(text, at, number, digits):  # type: ignore[no-untyped-def]
    for i in range(digits):
        text[at + digits - 1 - i] = 48 + number % 10
        number //= 10
    return at + digits


@njit(cache=True, nogil=True)
def _format_lines(time_ns, lane, address, flags, start, size, payload, names, text):  # type: ignore[no-untyped-def]
    at = 0
    for row in range(len(time_ns)):
        bits = flags[row]
        text[at] = 40
        at = _put_decimal(text, at + 1, time_ns[row] // 1_000_000_000, 10)
        text[at] = 46
        fraction = time_ns[row] % 1_000_000_000
        if fraction % 1000:
            at = _put_decimal(text, at + 1, fraction, 9)
        else:
            at = _put_decimal(text, at + 1, fraction // 1000, 6)
        text[at] = 41
        text[at + 1] = 32
        at += 2
        name = names[lane[row]]
        for i in range(name[0]):
            text[at] = name[1 + i]
            at += 1
        text[at] = 32
        at += 1
        if bits & F.ERROR:
            at = _put_hex(text, at, address[row] | 0x20000000, 8)
        else:
            at = _put_hex(text, at, address[row], 8 if bits & F.EXTENDED else 3)
        text[at] = 35
        at += 1
        if bits & F.REMOTE:
            text[at] = 82
            at += 1
        if bits & F.LONG:
            text[at] = 35
            value = (1 if bits & F.RATE_SWITCH else 0) + (2 if bits & F.ERROR_PASSIVE else 0)
            at = _put_hex(text, at + 1, value, 1)
        for i in range(size[row]):
            at = _put_hex(text, at, np.int64(payload[start[row] + i]), 2)
        if bits & (F.SENT | F.RECEIVED):
            text[at] = 32
            text[at + 1] = 84 if bits & F.SENT else 82
            at += 2
        text[at] = 10
        at += 1
    return at
