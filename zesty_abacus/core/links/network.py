"""Network packets: Ethernet, IPv4, IPv6, UDP, TCP put back in order, and the Bluetooth LE link layer.

Headers are those of RFC 791, RFC 8200, RFC 768 and RFC 9293; link types those of pcap files. What comes out are
frames with their port in the address:

UDP   ``port << 32 | connection``, a datagram a frame
TCP   ``port << 32 | connection``, pieces of the stream in order; ``answer`` is the way from the server;
      ``lost before`` says that bytes are missing
Bluetooth LE   the access address, the packet without its CRC, which is checked where the start value is known
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import Fact, LineResult, Marks
from ..lines.settings import Setting
from .framing import Framing

_ETHERNET, _IP, _COOKED, _LE, _LE_NOTED = 1, 101, 113, 251, 256
"""Link types of packet captures."""
_TCP, _UDP, _BLE = 6, 17, 256
_KEY = 8
_FACTS = 8


class NetworkFraming(Framing, frozen=True, kw_only=True, tag="network"):
    """Datagrams and streams; a port of None takes all."""

    port: int | None = None


class _Network:
    name = "datagrams and streams"
    takes = "packets"
    protocol = "network"
    settings = NetworkFraming
    fields = (Setting("port", "server port", "number", measured=True),)

    def apply(self, settings: NetworkFraming, result: LineResult) -> LineResult:
        table = result.frames
        if settings.port is not None:
            chosen = np.flatnonzero(table.address >> 32 == settings.port)
            table = FrameTable(
                table.time_ns[chosen], table.lane[chosen], table.address[chosen], table.flags[chosen],
                table.start[chosen], table.size[chosen], table.payload,
            )  # fmt: skip
        return LineResult(table, result.ends_ns[:0], Marks.none(), facts=result.facts)

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        return NetworkFraming(), 0.3, f"{len(result.frames)} datagrams and pieces of streams"


FRAMINGS = (_Network(),)


def streams(packets: FrameTable) -> LineResult:
    """Take packets apart and put TCP streams back in order.

    Parameters
    ----------
    packets
        Whole packets as recorded; ``address`` is the link type.
    """
    facts = np.zeros((len(packets), _FACTS), np.int64)
    keys = np.zeros((len(packets), _KEY), np.uint64)
    _parse(packets.address, packets.start, packets.size, packets.payload, facts, keys)
    protocol = facts[:, 0]
    parts = [
        _datagrams(packets, facts, keys, np.flatnonzero(protocol == _UDP)),
        _streams(packets, facts, keys, np.flatnonzero(protocol == _TCP)),
        _ble(packets, facts, np.flatnonzero(protocol == _BLE)),
    ]
    rows = np.concatenate(parts)
    rows = rows[np.argsort(rows[:, 0], kind="stable")]
    table = FrameTable(
        rows[:, 0].copy(), packets.lane[rows[:, 5]], rows[:, 1].copy(), rows[:, 2].astype(np.uint32),
        rows[:, 3].copy(), rows[:, 4].astype(np.uint32), packets.payload,
    )  # fmt: skip
    counts = (
        ("packets", len(packets)),
        ("of another kind", int((protocol == 0).sum())),
        ("fragments", int((protocol == -1).sum())),
        ("sent again", _sent_again(rows, facts, protocol)),
        ("holes in streams", int((rows[:, 2] & F.LOST_BEFORE > 0).sum())),
    )
    told = tuple(Fact(name, float(count), "", str(count)) for name, count in counts if count or name == "packets")
    return LineResult(table, np.empty(0, np.int64), Marks.none(), facts=told)


def _sent_again(rows: NDArray, facts: NDArray, protocol: NDArray) -> int:
    with_data = int(((protocol == _TCP) & (facts[:, 2] > 0)).sum())
    tcp = np.isin(rows[:, 5], np.flatnonzero(protocol == _TCP))
    return with_data - int(tcp.sum())


def _connections(keys: NDArray[np.uint64], facts: NDArray[np.int64]):  # type: ignore[no-untyped-def]
    """Number connections; return (server port, number, from the server) of each packet.

    Of the two ports the server's is the one the first synchronise packet went to, else the lower one.
    """
    source, target = keys[:, :3], keys[:, 3:6]
    ports = source[:, 2].astype(np.int64), target[:, 2].astype(np.int64)
    swap = _is_after(source, target)
    ordered = np.where(
        swap[:, None], np.concatenate([target, source], axis=1), np.concatenate([source, target], axis=1)
    )
    _, number = np.unique(ordered, axis=0, return_inverse=True)
    number = number.reshape(-1)
    # of each connection: whether the end that is first in order is the server
    first_is_server = np.full(int(number.max()) + 1 if len(number) else 0, -1, np.int64)
    low_first = np.where(swap, ports[1], ports[0]) <= np.where(swap, ports[0], ports[1])
    for row in np.flatnonzero((facts[:, 5] & 0x12) == 0x02):
        if first_is_server[number[row]] < 0:
            first_is_server[number[row]] = int(swap[row])
    unknown = first_is_server[number] < 0
    first_server = np.where(unknown, low_first, first_is_server[number] == 1)
    from_server = first_server != swap
    port = np.where(from_server, ports[0], ports[1])
    return port, number, from_server


def _is_after(a: NDArray[np.uint64], b: NDArray[np.uint64]) -> NDArray[np.bool_]:
    after = np.zeros(len(a), np.bool_)
    decided = np.zeros(len(a), np.bool_)
    # ports first: the lower one is mostly the server's
    for column in (2, 0, 1):
        after |= ~decided & (a[:, column] > b[:, column])
        decided |= a[:, column] != b[:, column]
    return after


def _datagrams(packets: FrameTable, facts: NDArray, keys: NDArray, rows: NDArray) -> NDArray[np.int64]:
    if not len(rows):
        return np.empty((0, 6), np.int64)
    port, number, from_server = _connections(keys[rows], facts[rows] * 0)
    flags = facts[rows, 6] | np.where(from_server, F.ANSWER, 0)
    return np.stack([packets.time_ns[rows], port << 32 | number, flags, facts[rows, 1], facts[rows, 2], rows], axis=1)


def _streams(packets: FrameTable, facts: NDArray, keys: NDArray, rows: NDArray) -> NDArray[np.int64]:
    if not len(rows):
        return np.empty((0, 6), np.int64)
    port, number, from_server = _connections(keys[rows], facts[rows])
    way = number.astype(np.int64) << 1 | from_server
    sequence = facts[rows, 3].copy()
    _unwrap(way, sequence, facts[rows, 5])
    order = np.lexsort((np.arange(len(rows)), sequence, way))
    out = np.empty((len(rows), 6), np.int64)
    count = _in_order(
        order, way, sequence, packets.time_ns[rows], facts[rows, 1], facts[rows, 2], facts[rows, 5], facts[rows, 6],
        port << 32 | number, from_server, rows, out,
    )  # fmt: skip
    return out[:count]


def _ble(packets: FrameTable, facts: NDArray, rows: NDArray) -> NDArray[np.int64]:
    return np.stack([
        packets.time_ns[rows], facts[rows, 3], facts[rows, 6], facts[rows, 1], facts[rows, 2], rows
    ], axis=1)  # fmt: skip


@njit(cache=True, nogil=True, inline="always")
def _u16(data, at):  # type: ignore[no-untyped-def]
    return np.int64(data[at]) << 8 | np.int64(data[at + 1])


@njit(cache=True, nogil=True)
def _u32(data, at):  # type: ignore[no-untyped-def]
    return _u16(data, at) << 16 | _u16(data, at + 2)


@njit(cache=True, nogil=True)
def _u64(data, at):  # type: ignore[no-untyped-def]
    return np.uint64(_u32(data, at)) << np.uint64(32) | np.uint64(_u32(data, at + 4))


@njit(cache=True, nogil=True)
def _parse(link, starts, sizes, data, facts, keys):  # type: ignore[no-untyped-def]
    """Fill facts: protocol, payload place, payload size, sequence, -, TCP flags, frame flags.

    Every length comes from the packet and is checked against what was recorded of it.
    """
    for row in range(len(link)):
        at, end = starts[row], starts[row] + np.int64(sizes[row])
        kind = np.int64(0)
        if link[row] == _ETHERNET:
            if end - at < 14:
                continue
            kind = _u16(data, at + 12)
            at += 14
            while (kind == 0x8100 or kind == 0x88A8) and end - at >= 4:
                kind = _u16(data, at + 2)
                at += 4
        elif link[row] == _COOKED:
            if end - at < 16:
                continue
            kind = _u16(data, at + 14)
            at += 16
        elif link[row] == _IP:
            if end - at < 1:
                continue
            kind = 0x0800 if data[at] >> 4 == 4 else 0x86DD
        else:
            _parse_ble(link[row], at, end, data, facts[row])
            continue
        protocol = 0
        if kind == 0x0800 and end - at >= 20 and data[at] >> 4 == 4:
            header = np.int64(data[at] & 15) * 4
            total = _u16(data, at + 2)
            if header < 20 or total < header or end - at < header:
                continue
            if _u16(data, at + 6) & 0x3FFF:
                # a part of a larger datagram
                facts[row, 0] = -1
                continue
            protocol = data[at + 9]
            keys[row, 0] = np.uint64(_u32(data, at + 12))
            keys[row, 3] = np.uint64(_u32(data, at + 16))
            # short packets are padded by Ethernet; a total of zero means that the card cut it later
            if total and at + total < end:
                end = at + total
            short = at + total > end
            at += header
        elif kind == 0x86DD and end - at >= 40 and data[at] >> 4 == 6:
            length = _u16(data, at + 4)
            protocol = data[at + 6]
            keys[row, 0], keys[row, 1] = _u64(data, at + 8), _u64(data, at + 16)
            keys[row, 3], keys[row, 4] = _u64(data, at + 24), _u64(data, at + 32)
            short = at + 40 + length > end
            if at + 40 + length < end:
                end = at + 40 + length
            at += 40
            # hop-by-hop, routing and destination options before the payload
            while (protocol == 0 or protocol == 43 or protocol == 60) and end - at >= 8:
                protocol = data[at]
                at += (np.int64(data[at + 1]) + 1) * 8
            if protocol == 44:
                facts[row, 0] = -1
                continue
        else:
            continue
        cut = F.CUT_SHORT if short else 0
        if protocol == 17 and end - at >= 8:
            facts[row, 0] = 17
            keys[row, 2], keys[row, 5] = np.uint64(_u16(data, at)), np.uint64(_u16(data, at + 2))
            facts[row, 1] = at + 8
            facts[row, 2] = min(max(_u16(data, at + 4) - 8, 0), end - at - 8)
            facts[row, 6] = cut
        elif protocol == 6 and end - at >= 20:
            header = np.int64(data[at + 12] >> 4) * 4
            if header < 20 or at + header > end:
                continue
            facts[row, 0] = 6
            keys[row, 2], keys[row, 5] = np.uint64(_u16(data, at)), np.uint64(_u16(data, at + 2))
            facts[row, 1] = at + header
            facts[row, 2] = end - at - header
            facts[row, 3] = _u32(data, at + 4)
            facts[row, 5] = data[at + 13]
            facts[row, 6] = cut


@njit(cache=True, nogil=True)
def _parse_ble(link, at, end, data, facts):  # type: ignore[no-untyped-def]
    """Read a Bluetooth LE packet (Core specification, volume 6, part B, 2.1): access address, header, CRC."""
    if link == _LE_NOTED:
        at += 10
    elif link != _LE:
        return
    if end - at < 9:
        return
    access = (
        np.int64(data[at]) | np.int64(data[at + 1]) << 8 | np.int64(data[at + 2]) << 16 | np.int64(data[at + 3]) << 24
    )
    length = np.int64(data[at + 5])
    facts[0] = 256
    facts[1] = at + 4
    facts[3] = access
    if at + 6 + length + 3 > end:
        facts[2] = end - at - 4
        facts[6] = F.CUT_SHORT
        return
    facts[2] = 2 + length
    # only advertising packets start their CRC from a value everybody knows
    if access == 0x8E89BED6:
        crc = np.int64(0xAAAAAA)
        for i in range(at + 4, at + 6 + length):
            for bit in range(8):
                low = (crc ^ (np.int64(data[i]) >> bit)) & 1
                crc >>= 1
                if low:
                    crc ^= 0xDA6000
        i = at + 6 + length
        sent = np.int64(data[i]) | np.int64(data[i + 1]) << 8 | np.int64(data[i + 2]) << 16
        if sent != crc:
            facts[6] = F.BAD_CHECK


@njit(cache=True, nogil=True)
def _unwrap(way, sequence, tcp_flags):  # type: ignore[no-untyped-def]
    """Turn 32-bit sequence numbers into ones that never wrap, way by way, in recorded order."""
    most = 0
    for i in range(len(way)):
        most = max(most, way[i] + 1)
    last = np.full(most, -1, np.int64)
    for row in range(len(way)):
        before = last[way[row]]
        value = sequence[row]
        # a new start may begin anywhere; it goes behind everything before it
        if tcp_flags[row] & 0x02:
            if before >= 0 and before & 0xFFFFFFFF != value:
                value += ((before >> 32) + 2) << 32
            elif before >= 0:
                value = before
        elif before >= 0:
            step = (value - before) & 0xFFFFFFFF
            value = before + (step - (1 << 32) if step >= 1 << 31 else step)
        sequence[row] = value
        last[way[row]] = max(before, value) if not tcp_flags[row] & 0x02 else value


@njit(cache=True, nogil=True)
def _in_order(order, way, sequence, times, places, sizes, tcp_flags, cut, address, from_server, rows, out):  # type: ignore[no-untyped-def]
    """Walk each way by sequence number: drop what was sent twice, mark holes; return the number of pieces.

    A piece that came before its turn is there for the reader only once the hole is filled, so times never go back.
    """
    count = 0
    current = np.int64(-1)
    expected = np.int64(-1)
    latest = np.int64(0)
    for i in range(len(order)):
        row = order[i]
        if way[row] != current:
            current = way[row]
            expected = np.int64(-1)
            latest = times[row]
        begin, size = sequence[row], sizes[row]
        if tcp_flags[row] & 0x02:
            expected = begin + 1
            if size == 0:
                continue
            begin += 1
        if size == 0:
            continue
        place = places[row]
        flags = cut[row] | (F.ANSWER if from_server[row] else 0)
        if expected >= 0 and begin < expected:
            # bytes seen before
            skip = expected - begin
            if skip >= size:
                continue
            place += skip
            size -= skip
            begin = expected
        elif expected >= 0 and begin > expected:
            flags |= F.LOST_BEFORE
        expected = begin + size
        latest = max(latest, times[row])
        out[count, 0] = latest
        out[count, 1] = address[row]
        out[count, 2] = flags
        out[count, 3] = place
        out[count, 4] = size
        out[count, 5] = rows[row]
        count += 1
    return count
