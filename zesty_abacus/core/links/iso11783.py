"""Messages longer than a frame on a bus of 29-bit identifiers with groups and addresses (ISO 11783-3, 5.10 and 5.11).

Broadcast and connection mode, and the extended transport for more than 1785 bytes. Pieces carry a number and seven
bytes, so what was sent twice falls into its place.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import LineResult
from ..words import counted
from .assembly import BROKEN, OPEN, WHOLE, Messages, Pieces, put_together
from .framing import Framing
from .over_can import OverCan

_PATIENCE_NS = 1_250_000_000
"""T2 and T3 of 5.13.3; longer than the 750 ms that a receiver of a broadcast waits."""
_CONTROL, _DATA, _LONG_CONTROL, _LONG_DATA = 0xEC, 0xEB, 0xC8, 0xC7
"""PDU formats of connection management and data transfer, of the plain and the extended transport."""
_REQUEST, _ACKNOWLEDGE, _BROADCAST, _ABORT = 16, 19, 32, 255
_LONG_REQUEST, _LONG_OFFSET, _LONG_ACKNOWLEDGE = 20, 22, 23
_PIECE = 7
_MOST_BYTES = 117_440_505


class GroupFraming(Framing, frozen=True, kw_only=True, tag="iso 11783-3"):
    """Nothing to set: identifiers say it all."""


class _Groups(OverCan):
    name = "ISO 11783-3"
    protocol = "iso11783"
    settings = GroupFraming

    def messages(
        self, settings: GroupFraming, table: FrameTable, *, ends: bool
    ) -> tuple[FrameTable, NDArray[np.bool_]]:
        pieces, messages = _followed(table)
        return put_together(table, pieces, messages, _PATIENCE_NS, ends=ends)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        _, messages = _followed(result.frames)
        whole = int(np.count_nonzero(messages.state == WHOLE))
        if not whole or whole < 0.5 * len(messages.state):
            return None
        is_are = "is" if whole == 1 else "are"
        return GroupFraming(), 0.92, f"{whole} of {counted(len(messages.state), 'announced message')} {is_are} whole"


FRAMINGS = (_Groups(),)


def _followed(table: FrameTable) -> tuple[Pieces, Messages]:
    formats = table.address >> 16 & 0xFF
    taking = np.isin(formats, (_CONTROL, _DATA, _LONG_CONTROL, _LONG_DATA)) & (table.size == 8)
    taking &= (table.flags & np.uint32(F.EXTENDED) > 0) & (table.flags & np.uint32(F.ERROR | F.REMOTE) == 0)
    rows = np.flatnonzero(taking)
    pieces, messages = Pieces.none(len(table)), Messages.room(len(rows))
    # who sends to whom, by which of the two transports: answers go the other way round
    long = (formats[rows] == _LONG_CONTROL) | (formats[rows] == _LONG_DATA)
    keys = table.lane[rows].astype(np.int64) << 17 | long.astype(np.int64) << 16 | (table.address[rows] & 0xFFFF)
    back = keys & ~0xFFFF | (keys & 0xFF) << 8 | keys >> 8 & 0xFF
    known = np.unique(np.concatenate([keys, back]))
    count = _follow(
        rows, np.searchsorted(known, keys), np.searchsorted(known, back), len(known), table.time_ns, table.address,
        table.start, table.payload, pieces.message, pieces.first_byte, pieces.count, pieces.offset, *messages.arrays(),
    )  # fmt: skip
    return pieces, messages.first(count)


@njit(cache=True, nogil=True)
def _follow(  # type: ignore[no-untyped-def]
    rows, session, answered, sessions, times, address, start, payload, message, first_byte, count, offset,
    begin, last, m_address, m_flags, m_size, state,
):  # fmt: skip
    opened = np.full(sessions, np.int64(-1))
    wanted = np.zeros(sessions, np.int64)
    shift = np.zeros(sessions, np.int64)
    made = 0
    for number in range(len(rows)):
        row, one = rows[number], session[number]
        at, kind = start[row], address[row] >> 16 & 0xFF
        control = np.int64(payload[at])
        current = opened[one]
        if current >= 0 and times[row] - times[last[current]] > _PATIENCE_NS:
            state[current] = BROKEN
            opened[one] = current = -1
        if kind == _DATA or kind == _LONG_DATA:
            if current < 0 or control == 0:
                continue
            to = (control - 1 + shift[one]) * _PIECE
            if to >= wanted[one]:
                continue
            taken = min(np.int64(_PIECE), wanted[one] - to)
            message[row], first_byte[row], count[row], offset[row] = current, 1, taken, to
            last[current] = row
            # without a hole only: what comes behind one may still be sent again
            if to <= m_size[current] < to + taken:
                m_size[current] = to + taken
            if m_size[current] == wanted[one]:
                state[current] = WHOLE
                opened[one] = -1
            continue
        if control == _LONG_OFFSET and kind == _LONG_CONTROL:
            shift[one] = payload[at + 2] | payload[at + 3] << 8 | payload[at + 4] << 16
            if current >= 0:
                message[row], last[current] = current, row
            continue
        if control == _ABORT or control == _ACKNOWLEDGE or control == _LONG_ACKNOWLEDGE:
            # either side gives up; only the receiver says that it has all
            for who in (one, answered[number]):
                if opened[who] >= 0 and (control == _ABORT or who != one):
                    state[opened[who]] = BROKEN
                    opened[who] = -1
            continue
        is_long = kind == _LONG_CONTROL and control == _LONG_REQUEST
        if not is_long and not (kind == _CONTROL and (control == _REQUEST or control == _BROADCAST)):
            continue
        length = np.int64(payload[at + 1] | payload[at + 2] << 8)
        if is_long:
            length |= np.int64(payload[at + 3]) << 16 | np.int64(payload[at + 4]) << 24
        if length < 1 or length > _MOST_BYTES:
            continue
        if current >= 0:
            state[current] = BROKEN
        group = np.int64(payload[at + 5] | payload[at + 6] << 8 | payload[at + 7] << 16) & 0x3FFFF
        receiver = address[row] >> 8 & 0xFF
        # a group of the first sort has the receiver in its lowest byte
        if group >> 8 & 0xFF < 240:
            group = group & 0x3FF00 | receiver
        begin[made], last[made], m_size[made], state[made] = row, row, 0, OPEN
        m_address[made] = (address[row] & 0x1C00_0000) | group << 8 | (address[row] & 0xFF)
        m_flags[made] = F.EXTENDED
        message[row], count[row] = made, 0
        opened[one], wanted[one], shift[one] = made, length, 0
        made += 1
    return made
