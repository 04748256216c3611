"""Values of a device's dictionary read and written over CANopen (CiA 301, 7.2.4.3): expedited and in segments.

A transfer becomes a request and an answer. A read is a request without bytes, and an answer with those that were read;
a write has its bytes in the request, and an answer without any. What the device refuses is an answer with the abort
code, low byte first. The address packs node, index and subindex.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import LineResult
from .assembly import BROKEN, OPEN, TIED, WHOLE, Messages, Pieces, put_together
from .framing import Framing
from .over_can import OverCan

_PATIENCE_NS = 2_000_000_000
_TO_DEVICE, _FROM_DEVICE = 0x600, 0x580
_ABORT = 4
_DOWNLOAD, _UPLOAD = 1, 2
"""Commands that begin; a device answers 3 and 2. Pieces are 0, whoever sends bytes; 3 asks for them, 1 takes them."""


class DictionaryFraming(Framing, frozen=True, kw_only=True, tag="canopen sdo"):
    """Nothing to set: the identifiers are those of the standard."""


class _Dictionary(OverCan):
    name = "CANopen SDO"
    protocol = "sdo"
    settings = DictionaryFraming

    def messages(
        self, settings: DictionaryFraming, table: FrameTable, *, ends: bool
    ) -> tuple[FrameTable, NDArray[np.bool_]]:
        pieces, messages, _ = _followed(table)
        return put_together(table, pieces, messages, _PATIENCE_NS, ends=ends)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        _, messages, taken = _followed(result.frames)
        answers = int(np.count_nonzero((messages.flags & F.ANSWER > 0) & (messages.state == WHOLE)))
        frames = int(np.count_nonzero(_taking(result.frames)))
        if not answers or taken < 0.9 * frames:
            return None
        return DictionaryFraming(), 0.85, f"{answers} answers to requests, {taken} of {frames} frames understood"


FRAMINGS = (_Dictionary(),)


def _taking(table: FrameTable) -> NDArray[np.bool_]:
    service, node = table.address & 0x780, table.address & 0x7F
    plain = table.flags & np.uint32(F.ERROR | F.REMOTE | F.EXTENDED) == 0
    return plain & (table.size == 8) & (node > 0) & ((service == _TO_DEVICE) | (service == _FROM_DEVICE))


def _followed(table: FrameTable) -> tuple[Pieces, Messages, int]:
    """Return pieces, messages, and how many frames were understood."""
    rows = np.flatnonzero(_taking(table))
    # an answer that is begun and the request that it ends may both belong to one frame
    pieces, messages = Pieces.none(len(table)), Messages.room(2 * len(rows))
    keys = table.lane[rows].astype(np.int64) << 7 | (table.address[rows] & 0x7F)
    known = np.unique(keys)
    count, taken = _follow(
        rows, np.searchsorted(known, keys), len(known), table.time_ns, table.address, table.start, table.payload,
        pieces.message, pieces.first_byte, pieces.count, pieces.offset, *messages.arrays(),
    )  # fmt: skip
    return pieces, messages.first(count), int(taken)


@njit(cache=True, nogil=True)
def _follow(  # type: ignore[no-untyped-def]
    rows, session, sessions, times, address, start, payload, message, first_byte, count, offset,
    begin, last, m_address, m_flags, m_size, state,
):  # fmt: skip
    # of each node: the message whose bytes are under way, the request, its answer; -1 for none
    sending = np.full(sessions, np.int64(-1))
    request = np.full(sessions, np.int64(-1))
    answer = np.full(sessions, np.int64(-1))
    toggle = np.zeros(sessions, np.int64)
    made = taken = 0
    for number in range(len(rows)):
        row, one = rows[number], session[number]
        at = start[row]
        byte = np.int64(payload[at])
        command, by_client = byte >> 5, address[row] & 0x780 == _TO_DEVICE
        asked = request[one]
        if asked >= 0 and times[row] - times[last[asked]] > _PATIENCE_NS:
            _end(one, sending, request, answer, state, BROKEN)
            asked = np.int64(-1)
        current = sending[one]
        named = (address[row] & 0x7F) << 24 | np.int64(payload[at + 2]) << 16 | np.int64(payload[at + 1]) << 8
        named |= payload[at + 3]
        held = 4 - (byte >> 2 & 3) if byte & 1 else np.int64(4)
        expedited = byte & 2 > 0
        if command == _ABORT:
            taken += 1
            read = asked >= 0 and m_flags[asked] & F.READ > 0
            if asked >= 0:
                m_flags[asked] &= ~F.UNANSWERED
            _end(one, sending, request, answer, state, BROKEN)
            begin[made], last[made], m_address[made], state[made] = row, row, named, WHOLE
            m_flags[made] = (F.READ if read else 0) | (0 if by_client else F.ANSWER | F.EXCEPTION)
            message[row], first_byte[row], count[row], m_size[made] = made, 4, 4, 4
            made += 1
        elif by_client and (command == _DOWNLOAD or command == _UPLOAD):
            taken += 1
            _end(one, sending, request, answer, state, BROKEN)
            request[one], toggle[one] = made, 0
            begin[made], last[made], m_address[made], state[made] = row, row, named, TIED
            m_flags[made] = F.UNANSWERED | (F.READ if command == _UPLOAD else 0)
            message[row] = made
            if command == _DOWNLOAD and expedited:
                first_byte[row], count[row], m_size[made] = 4, held, held
            elif command == _DOWNLOAD:
                state[made] = OPEN
                sending[one] = made
            made += 1
        elif not by_client and (command == 3 or command == _UPLOAD):
            is_read = command == _UPLOAD
            if asked < 0 or m_address[asked] != named or (m_flags[asked] & F.READ > 0) != is_read:
                continue
            taken += 1
            m_flags[asked] &= ~F.UNANSWERED
            last[asked] = row
            begin[made], last[made], m_address[made], state[made] = row, row, named, TIED
            m_flags[made] = F.ANSWER | (F.READ if is_read else 0)
            message[row] = made
            answer[one] = made
            if is_read and expedited:
                first_byte[row], count[row], m_size[made] = 4, held, held
            elif is_read:
                state[made] = OPEN
                sending[one] = made
            if sending[one] < 0:
                _end(one, sending, request, answer, state, WHOLE)
            made += 1
        elif command == 0 and current >= 0 and by_client != (m_flags[current] & F.READ > 0):
            # a piece of seven bytes or less; reads get theirs from the device, writes from the client
            taken += 1
            if byte >> 4 & 1 != toggle[one]:
                _end(one, sending, request, answer, state, BROKEN)
                continue
            piece = 7 - (byte >> 1 & 7)
            message[row], first_byte[row], count[row], offset[row] = current, 1, piece, m_size[current]
            m_size[current] += piece
            toggle[one] = 1 - toggle[one]
            _touch(one, row, request, answer, last)
            if byte & 1:
                _end(one, sending, request, answer, state, WHOLE)
        elif (command == 3 and by_client) or (command == 1 and not by_client):
            # asks for the next piece, or has taken one
            taken += 1
            _touch(one, row, request, answer, last)
    return made, taken


@njit(cache=True, nogil=True)
def _touch(one, row, request, answer, last):  # type: ignore[no-untyped-def]
    """Note that a transfer goes on."""
    for message in (request[one], answer[one]):
        if message >= 0:
            last[message] = row


@njit(cache=True, nogil=True)
def _end(one, sending, request, answer, state, how):  # type: ignore[no-untyped-def]
    """End a transfer: what is under way is whole or broken, the other message is whole in any case."""
    for message in (request[one], answer[one]):
        if message >= 0:
            state[message] = how if message == sending[one] else WHOLE
    sending[one] = request[one] = answer[one] = -1
