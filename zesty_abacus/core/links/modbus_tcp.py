"""Modbus in TCP streams (Messaging on TCP/IP Implementation Guide V1.0b): units by heads, answers by numbers."""

from __future__ import annotations

import numpy as np

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import LineResult, Marks, table_of
from ..lines.settings import Setting
from ..protocols.modbus import NAME
from .framing import Framing
from .modbus_units import LATE_MS, paired, put_pdu


class ModbusTcpFraming(Framing, frozen=True, kw_only=True, tag="modbus tcp"):
    """Modbus in TCP streams."""

    port: int = 502
    late_ms: float = LATE_MS


class _Tcp:
    name = "Modbus TCP"
    takes = "packets"
    protocol = NAME
    settings = ModbusTcpFraming
    fields = (Setting("port", "server port", "number"), Setting("late_ms", "late after", "number", "ms"))

    def apply(self, settings: ModbusTcpFraming, result: LineResult) -> LineResult:
        return LineResult(tcp_exchanges(result.frames, settings), result.ends_ns[:0], Marks.none(), facts=result.facts)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        frames = result.frames
        on_port = int((frames.address >> 32 == 502).sum())
        if not on_port:
            return None
        return ModbusTcpFraming(), 0.9, f"{on_port} pieces of TCP streams with a server on port 502"


FRAMINGS = (_Tcp(),)


def tcp_exchanges(pieces: FrameTable, settings: ModbusTcpFraming) -> FrameTable:
    """Return requests and answers found in stream pieces.

    Parameters
    ----------
    pieces
        From :func:`network.streams`: ``address`` is server port << 32 | connection, ``answer`` the way from the server.
    """
    chosen = np.flatnonzero(pieces.address >> 32 == settings.port)
    # all pieces of one way of one connection follow each other
    way = (pieces.address[chosen] & 0xFFFF_FFFF) << 1 | ((pieces.flags[chosen] & F.ANSWER) > 0)
    chosen = chosen[np.lexsort((np.arange(len(chosen)), way))]
    way = (pieces.address[chosen] & 0xFFFF_FFFF) << 1 | ((pieces.flags[chosen] & F.ANSWER) > 0)
    sizes = pieces.size[chosen].astype(np.int64)
    total = int(sizes.sum())
    data = np.empty(total, np.uint8)
    _copy(pieces.payload, pieces.start[chosen], sizes, data)
    piece_of_byte = np.repeat(np.arange(len(chosen)), sizes)
    times = pieces.time_ns[chosen]
    lost = (pieces.flags[chosen] & F.LOST_BEFORE) > 0
    units = np.empty((total // 8 + len(chosen) + 1, 6), np.int64)
    count = _find_tcp_units(data, piece_of_byte, times, way, lost, np.cumsum(sizes) - sizes, units)
    units = units[:count]
    units = units[np.lexsort((units[:, 5] & 1, units[:, 3]))]
    frames, payload = paired(_pair_tcp, data, units, settings.late_ms)
    frames = frames[np.argsort(frames[:, 0], kind="stable")]
    return table_of(frames, payload)[0]


@njit(cache=True, nogil=True)
def _copy(source, starts, sizes, target):  # type: ignore[no-untyped-def]
    at = 0
    for piece in range(len(starts)):
        for byte in range(sizes[piece]):
            target[at] = source[starts[piece] + byte]
            at += 1


@njit(cache=True, nogil=True)
def _begins_unit(data, at, end):  # type: ignore[no-untyped-def]
    """Whether a unit may begin here: its head makes sense, and so does what follows it, if anything does."""
    length = np.int64(data[at + 4]) << 8 | data[at + 5]
    if data[at + 2] or data[at + 3] or not 2 <= length <= 254:
        return False
    if (data[at + 7] & 0x7F) not in (1, 2, 3, 4, 5, 6, 15, 16, 22, 23):
        return False
    after = at + 6 + length
    return after == end or (after + 4 <= end and data[after + 2] == 0 and data[after + 3] == 0)


@njit(cache=True, nogil=True)
def _find_tcp_units(data, piece_of_byte, times, way, lost, firsts, units):  # type: ignore[no-untyped-def]
    """Find units in streams; rows are first byte of the unit identifier, after last, flags, time, transaction, way.

    A unit may lie in several segments and several in one; after a hole the next plausible head is looked for.
    """
    n = len(data)
    count = at = 0
    while at < n:
        piece = piece_of_byte[at]
        stream = way[piece]
        end = at
        last_piece = piece
        while last_piece + 1 < len(way) and way[last_piece + 1] == stream and not lost[last_piece + 1]:
            last_piece += 1
        end = firsts[last_piece + 1] if last_piece + 1 < len(firsts) else n
        broken = np.int64(F.LOST_BEFORE) if lost[piece] and firsts[piece] == at else np.int64(0)
        while at < end:
            length = np.int64(0)
            if at + 6 <= end:
                length = np.int64(data[at + 4]) << 8 | data[at + 5]
            plausible = at + 8 <= end and data[at + 2] == 0 and data[at + 3] == 0 and 2 <= length <= 254
            if plausible and at + 6 + length <= end:
                units[count, 0], units[count, 1] = at + 6, at + 6 + length
                units[count, 2] = broken
                # it is there when its last byte is
                units[count, 3] = times[piece_of_byte[at + 5 + length]]
                units[count, 4] = np.int64(data[at]) << 8 | data[at + 1]
                units[count, 5] = stream
                count += 1
                at += 6 + length
                broken = np.int64(0)
                continue
            stop = at + 1
            if not plausible:
                while stop + 8 <= end and not _begins_unit(data, stop, end):
                    stop += 1
                if stop + 8 > end:
                    stop = end
            else:
                stop = end
            units[count, 0], units[count, 1] = at, stop
            units[count, 2] = broken | F.CUT_SHORT | F.FRAMING
            units[count, 3] = times[piece_of_byte[at]]
            units[count, 4] = -1
            units[count, 5] = stream
            count += 1
            at = stop
            broken = np.int64(0)
    return count


@njit(cache=True, nogil=True)
def _pair_tcp(data, units, late_ns, patience_ns, frames, payload):  # type: ignore[no-untyped-def]
    """Pair by connection and transaction number; the newest open request of a number is meant."""
    used = np.int64(0)
    opened = np.full(4096, -1, np.int64)
    for row in range(len(units)):
        first, last, bad, time = units[row, 0], units[row, 1], units[row, 2], units[row, 3]
        answer = units[row, 5] & 1 == 1
        frames[row, 0] = frames[row, 1] = time
        frames[row, 4] = used
        if units[row, 4] < 0:
            frames[row, 2] = 0
            frames[row, 3] = bad | (F.ANSWER if answer else 0)
            for i in range(first, last):
                payload[used] = data[i]
                used += 1
            frames[row, 5] = used - frames[row, 4]
            continue
        unit, function = np.int64(data[first]), np.int64(data[first + 1] & 0x7F)
        slot = ((units[row, 5] >> 1) * 31 + units[row, 4]) % 4096
        request = opened[slot]
        known = request >= 0 and units[request, 4] == units[row, 4] and units[request, 5] >> 1 == units[row, 5] >> 1
        register = np.int64(0)
        flags = bad
        if answer:
            flags |= F.ANSWER
            if known:
                register = frames[request, 2] & 0xFFFF
                opened[slot] = -1
                frames[request, 3] &= ~np.int64(F.UNANSWERED)
                if time - units[request, 3] > late_ns:
                    flags |= F.LATE
        else:
            # taken back when the answer comes
            flags |= F.UNANSWERED
            opened[slot] = row
        register, exception, used = put_pdu(data, first + 1, last, answer, register, payload, used)
        frames[row, 2] = unit << 24 | function << 16 | register
        frames[row, 3] = flags | (F.EXCEPTION if exception else 0)
        frames[row, 5] = used - frames[row, 4]
    # a request just before the end could not be answered yet
    if len(units):
        end = units[len(units) - 1, 3]
        for row in range(len(units)):
            if frames[row, 3] & F.UNANSWERED and end - units[row, 3] < late_ns:
                frames[row, 3] &= ~np.int64(F.UNANSWERED)
    return used
