"""Modbus in TCP streams (Messaging on TCP/IP Implementation Guide V1.0b): units by heads, answers by numbers."""

from __future__ import annotations

from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import LineResult, Marks, table_of
from ..lines.settings import Setting
from ..protocols.modbus import NAME
from ..words import counted
from .framing import Framing
from .modbus_units import LATE_MS, paired, put_pdu
from .stream_order import PATIENCE_NS

_HEAD = 6
"""Bytes of a unit before its unit identifier: transaction, protocol, length."""


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
        frames, _ = tcp_exchanges(result.frames, settings)
        return LineResult(frames, result.ends_ns[:0], Marks.none(), facts=result.facts)

    def units(self, settings: ModbusTcpFraming, pieces: FrameTable, *, ends: bool) -> tuple[FrameTable, FrameTable]:
        return tcp_exchanges(pieces, settings, ends=ends)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        frames = result.frames
        on_port = int((frames.address >> 32 == 502).sum())
        if not on_port:
            return None
        return ModbusTcpFraming(), 0.9, f"{counted(on_port, 'piece')} of TCP streams with a server on port 502"


FRAMINGS = (_Tcp(),)


def tcp_exchanges(
    pieces: FrameTable, settings: ModbusTcpFraming, *, ends: bool = True
) -> tuple[FrameTable, FrameTable]:
    """Return requests and answers found in stream pieces, and the pieces of those that are not over.

    Parameters
    ----------
    pieces
        From :func:`network.streams`: ``address`` is server port << 32 | connection, ``answer`` the way from the server.
    ends
        Whether nothing comes behind them; otherwise a unit waits for its rest, and a request and an answer for each
        other as long as pieces of a stream may be late.
    """
    chosen = pieces.chosen(pieces.address >> 32 == settings.port)
    # all pieces of one way of one connection follow each other
    own = chosen.chosen(np.argsort(_ways(chosen), kind="stable"))
    way, sizes = _ways(own), own.size.astype(np.int64)
    firsts = np.cumsum(sizes) - sizes
    data = own.compact().payload
    piece_of_byte = np.repeat(np.arange(len(own)), sizes)
    lost = (own.flags & F.LOST_BEFORE) > 0
    units = np.zeros((len(data) // 8 + len(own) + 1, 8), np.int64)
    units = units[: _find_tcp_units(data, piece_of_byte, own.time_ns, way, lost, firsts, units)]
    units = units[np.lexsort((units[:, 5] & 1, units[:, 3]))]
    units[:, 7] = _requests_of(units)
    frames, payload = paired(_pair_tcp, data, units, settings.late_ms)
    if ends:
        # a request just before the end could not be answered yet
        young = units[:, 3].max(initial=0) - units[:, 3] < settings.late_ms * 1e6
        frames[young, 3] &= ~np.int64(F.UNANSWERED)
        waits, rest = np.zeros(len(units), np.bool_), FrameTable.empty()
    else:
        waits = _waiting(units, firsts + sizes, way)
        rest = _bytes_of(units[waits], own, piece_of_byte, firsts)
    table = table_of(frames, payload)[0]
    over = np.flatnonzero(~waits)
    return table.chosen(over[np.argsort(frames[over, 0], kind="stable")]), rest


def _ways(pieces: FrameTable) -> NDArray[np.int64]:
    """Return a number for each way of each connection, odd from the server."""
    return (pieces.address & 0xFFFF_FFFF) << 1 | ((pieces.flags & F.ANSWER) > 0)


def _requests_of(units: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return the request that each of some units in order of time answers, -1 for none; int64 (n,).

    It is the newest of its connection and transaction number that nobody has answered yet: of such units in order the
    one just before, if that is a request.
    """
    found = np.full(len(units), -1, np.int64)
    order = np.lexsort((units[:, 4], units[:, 5] >> 1))
    before, after = order[:-1], order[1:]
    alike = (units[before, 4] == units[after, 4]) & (units[before, 5] >> 1 == units[after, 5] >> 1)
    pairs = alike & (units[after, 4] >= 0) & (units[before, 5] & 1 == 0) & (units[after, 5] & 1 == 1)
    found[after[pairs]] = before[pairs]
    return found


def _waiting(units: NDArray[np.int64], ends: NDArray[np.int64], way: NDArray[np.int64]) -> NDArray[np.bool_]:
    """Return which units wait: those that are not whole yet, and whole ones whose other half may still come."""
    last_of_way = np.flatnonzero(np.append(way[1:] != way[:-1], True)) if len(way) else np.empty(0, np.int64)
    is_part = (units[:, 4] < 0) & np.isin(units[:, 1], ends[last_of_way])
    is_alone = (units[:, 4] >= 0) & (units[:, 6] == 0)
    return is_part | (is_alone & (units[:, 3].max(initial=0) - units[:, 3] < PATIENCE_NS))


def _bytes_of(
    units: NDArray[np.int64], pieces: FrameTable, piece_of_byte: NDArray[np.int64], firsts: NDArray[np.int64]
) -> FrameTable:
    """Return pieces with nothing but the bytes of some units; each says how long it is, so that none is mistaken."""
    begins = units[:, 0] - np.where(units[:, 4] < 0, 0, _HEAD)
    sizes = units[:, 1] - begins
    taken = np.sort(np.repeat(begins - (np.cumsum(sizes) - sizes), sizes) + np.arange(int(sizes.sum())))
    piece = piece_of_byte[taken]
    is_first = np.ones(len(taken), np.bool_)
    is_first[1:] = (np.diff(taken) != 1) | (np.diff(piece) != 0)
    first = np.flatnonzero(is_first)
    rows, skipped = piece[first], taken[first] - firsts[piece[first]]
    rest = pieces.chosen(rows)
    cut = replace(
        rest, start=rest.start + skipped, size=np.diff(np.append(first, len(taken))).astype(np.uint32),
        flags=np.where(skipped > 0, rest.flags & ~np.uint32(F.LOST_BEFORE), rest.flags),
    )  # fmt: skip
    return cut.compact()


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
    """Make a frame of each unit; the last column of a unit is the request it answers, or -1.

    Units that have found each other have a one in the column before.
    """
    used = np.int64(0)
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
        request = units[row, 7]
        register = np.int64(0)
        flags = bad
        if answer:
            flags |= F.ANSWER
            if request >= 0:
                register = frames[request, 2] & 0xFFFF
                units[request, 6] = units[row, 6] = 1
                frames[request, 3] &= ~np.int64(F.UNANSWERED)
                if time - units[request, 3] > late_ns:
                    flags |= F.LATE
        else:
            # taken back when the answer comes
            flags |= F.UNANSWERED
        register, exception, used = put_pdu(data, first + 1, last, answer, register, payload, used)
        frames[row, 2] = unit << 24 | function << 16 | register
        frames[row, 3] = flags | (F.EXCEPTION if exception else 0)
        frames[row, 5] = used - frames[row, 4]
    return used
