"""Messages longer than a CAN frame by segmentation and flow control (ISO 15765-2:2016, clauses 9.4 to 9.6).

The first byte behind the address bytes says what a frame is: 0 single, 1 first, 2 consecutive, 3 flow control. Lengths
above 4095 stand in 32 bits behind a length of 0; a single frame of more than 8 bytes has its length in a second byte.
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import LineResult
from ..lines.settings import Setting
from ..words import grouped
from .assembly import BROKEN, OPEN, WHOLE, Messages, Pieces, put_together
from .framing import Framing
from .over_can import OverCan

_PATIENCE_NS = 1_000_000_000
"""N_Cr of table 16: how long a receiver waits for the next consecutive frame."""
_LEAST_FITTING = 0.95
_SINGLE, _FIRST, _CONSECUTIVE, _FLOW, _NONE = range(5)


class SegmentedFraming(Framing, frozen=True, kw_only=True, tag="iso 15765-2"):
    """Which identifiers carry such frames, and how many address bytes go before.

    ``identifiers`` are hex, separated by commas; those of more than three digits have 29 bits. Empty is measured.
    """

    identifiers: str = ""
    address_bytes: int = 0


class _Segmented(OverCan):
    name = "ISO 15765-2"
    protocol = "iso15765"
    settings = SegmentedFraming
    fields = (
        Setting("identifiers", "identifiers", "text", measured=True),
        Setting("address_bytes", "address bytes", "choice", choices=((0, "none"), (1, "one"))),
    )

    def measured(self, settings: SegmentedFraming, table: FrameTable) -> SegmentedFraming:
        if settings.identifiers.strip():
            return settings
        found = _fitting(table, settings.address_bytes)
        return SegmentedFraming(identifiers=", ".join(map(_hex, found)), address_bytes=settings.address_bytes)

    def messages(
        self, settings: SegmentedFraming, table: FrameTable, *, ends: bool
    ) -> tuple[FrameTable, NDArray[np.bool_]]:
        wanted = np.array(sorted(_identifiers(settings.identifiers)), np.int64)
        mine = np.flatnonzero(np.isin(_whole_identifier(table), wanted) & _carries_data(table))
        pieces, messages, _ = _followed(table, mine, settings.address_bytes)
        return put_together(table, pieces, messages, _PATIENCE_NS, ends=ends)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        for address_bytes in (0, 1):
            settings = self.measured(SegmentedFraming(address_bytes=address_bytes), result.frames)
            if settings.identifiers:
                made, _ = self.messages(settings, result.frames, ends=True)
                whole = int(np.count_nonzero(made.flags & F.CUT_SHORT == 0))
                words = f"{grouped(whole)} messages of {grouped(len(made))} on {settings.identifiers} are whole"
                return settings, 0.9, words
        return None


FRAMINGS = (_Segmented(),)


def _hex(identifier: int) -> str:
    return f"{identifier & 0x1FFF_FFFF:08X}" if identifier & F.EXTENDED << 32 else f"{identifier:03X}"


def _identifiers(text: str) -> set[int]:
    found = set()
    for word in text.replace(",", " ").split():
        try:
            number = int(word, 16)
        except ValueError:
            raise MisuseError(f"{word!r} is no identifier.", hint="Write hex digits: 7E0, 18DA00F1.") from None
        found.add(number | F.EXTENDED << 32 if len(word) > 3 else number)
    return found


def _whole_identifier(table: FrameTable) -> NDArray[np.int64]:
    """Return identifiers with the mark of the long ones above them; int64 (n,)."""
    return table.address | (table.flags.astype(np.int64) & F.EXTENDED) << 32


def _carries_data(table: FrameTable) -> NDArray[np.bool_]:
    return table.flags & np.uint32(F.ERROR | F.REMOTE) == 0


def _fitting(table: FrameTable, address_bytes: int) -> list[int]:
    """Return the identifiers whose frames are such, each with a longer message that came whole, or its flow control."""
    rows = np.flatnonzero(_carries_data(table))
    _, messages, kinds = _followed(table, rows, address_bytes)
    identifiers = _whole_identifier(table)
    found, inverse = np.unique(identifiers[rows], return_inverse=True)
    place = inverse.reshape(-1)
    frames = np.bincount(place, minlength=len(found))
    fits = np.bincount(place[kinds[rows] != _NONE], minlength=len(found)) >= _LEAST_FITTING * frames
    long = kinds[messages.begin] == _FIRST
    at = np.searchsorted(found, identifiers[messages.begin])
    whole = np.bincount(at[long & (messages.state == WHOLE)], minlength=len(found))
    broken = np.bincount(at[long & (messages.state == BROKEN)], minlength=len(found))
    flow = np.bincount(place[kinds[rows] == _FLOW], minlength=len(found))
    carries = fits & (whole > broken)
    if not carries.any():
        return []
    return found[carries | (fits & (flow > 0))].tolist()


def _followed(
    table: FrameTable, rows: NDArray[np.int64], address_bytes: int
) -> tuple[Pieces, Messages, NDArray[np.int64]]:
    """Return pieces, messages and what each frame is."""
    pieces, messages = Pieces.none(len(table)), Messages.room(len(rows))
    kinds = np.full(len(table), _NONE, np.int64)
    session = np.zeros(len(rows), np.int64)
    if len(rows):
        keys = np.stack([table.lane[rows].astype(np.int64), _whole_identifier(table)[rows], np.zeros_like(rows)])
        if address_bytes:
            there = table.size[rows] > 0
            keys[2, there] = table.payload[table.start[rows[there]]]
        session = np.unique(keys, axis=1, return_inverse=True)[1].reshape(-1)
    count = _follow(
        rows, session, table.time_ns, table.address, table.flags, table.start, table.size, table.payload, address_bytes,
        pieces.message, pieces.first_byte, pieces.count, pieces.offset, kinds, *messages.arrays(),
    )  # fmt: skip
    return pieces, messages.first(count), kinds


@njit(cache=True, nogil=True)
def _follow(  # type: ignore[no-untyped-def]
    rows, session, times, address, flags, start, size, payload, before, message, first_byte, count, offset, kinds,
    begin, last, m_address, m_flags, m_size, state,
):  # fmt: skip
    sessions = session.max() + 1 if len(session) else 0
    opened = np.full(sessions, np.int64(-1))
    wanted = np.zeros(sessions, np.int64)
    following = np.zeros(sessions, np.int64)
    made = 0
    for number in range(len(rows)):
        row, one = rows[number], session[number]
        room = np.int64(size[row]) - before
        if room < 1:
            continue
        at = start[row] + before
        kind = payload[at] >> 4
        current = opened[one]
        if current >= 0 and times[row] - times[last[current]] > _PATIENCE_NS:
            state[current] = BROKEN
            opened[one] = current = -1
        if kind == _CONSECUTIVE:
            if room < 2:
                continue
            kinds[row] = _CONSECUTIVE
            if current < 0:
                continue
            if payload[at] & 15 != following[one]:
                state[current] = BROKEN
                opened[one] = -1
                continue
            taken = min(room - 1, wanted[one] - m_size[current])
            message[row], first_byte[row], count[row], offset[row] = current, before + 1, taken, m_size[current]
            m_size[current] += taken
            last[current] = row
            following[one] = (following[one] + 1) & 15
            if m_size[current] == wanted[one]:
                state[current] = WHOLE
                opened[one] = -1
            continue
        if kind == _FLOW:
            # continue, wait, overflow; and at least its three bytes
            if payload[at] & 15 <= 2 and room >= 3:
                kinds[row] = _FLOW
            continue
        if kind > _FLOW:
            continue
        length, head = np.int64(payload[at] & 15), np.int64(1)
        if kind == _SINGLE and length == 0 and room > 8 - before:
            length, head = np.int64(payload[at + 1]), np.int64(2)
        if kind == _FIRST:
            if room < 3:
                continue
            length, head = length << 8 | payload[at + 1], np.int64(2)
            if length == 0 and room > 6:
                head = np.int64(6)
                for i in range(4):
                    length = length << 8 | payload[at + 2 + i]
        held = room - head
        if length == 0 or (kind == _SINGLE and length > held) or (kind == _FIRST and length <= held):
            continue
        kinds[row] = kind
        if current >= 0:
            # a new message begins where the rest of another one was due
            state[current] = BROKEN
            opened[one] = -1
        taken = min(held, length)
        message[row], first_byte[row], count[row], offset[row] = made, before + head, taken, 0
        begin[made], last[made], m_size[made] = row, row, taken
        m_address[made] = address[row] << 8 | payload[start[row]] if before else address[row]
        m_flags[made] = flags[row] & F.EXTENDED
        state[made] = WHOLE if kind == _SINGLE else OPEN
        if kind == _FIRST:
            opened[one], wanted[one], following[one] = made, length, 1
        made += 1
    return made
