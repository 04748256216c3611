"""Heads of network packets: Ethernet, IPv4, IPv6, UDP, TCP and the Bluetooth LE link layer, read row by row.

Headers are those of RFC 791, RFC 8200, RFC 768 and RFC 9293; link types those of pcap files.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable

TCP, UDP, BLE, FRAGMENT = 6, 17, 256, -1
"""What a packet carries; the first two as the Internet protocol numbers them."""
SYN, ACK = 0x02, 0x10
_ETHERNET, _IP, _COOKED, _LE, _LE_NOTED = 1, 101, 113, 251, 256
"""Link types of packet captures."""
_KEY = 6
_FACTS = 7


@dataclass(frozen=True, slots=True, eq=False)
class PacketHeads:
    """What the heads of packets say, (n,) each.

    Attributes
    ----------
    protocol : int64
        :data:`TCP`, :data:`UDP`, :data:`BLE`, :data:`FRAGMENT` or 0 for anything else.
    place, size : int64
        Of what it carries, in the bytes of the packets.
    sequence : int64
        Of TCP the number of its first byte, of Bluetooth LE the access address.
    tcp_flags, flags : int64
    ends : uint64 (n, 6)
        Address (two words) and port of the source, then of the target.
    """

    protocol: NDArray[np.int64]
    place: NDArray[np.int64]
    size: NDArray[np.int64]
    sequence: NDArray[np.int64]
    tcp_flags: NDArray[np.int64]
    flags: NDArray[np.int64]
    ends: NDArray[np.uint64]

    @classmethod
    def of(cls, packets: FrameTable) -> PacketHeads:
        """Read the heads of whole packets as they were recorded; ``address`` is the link type."""
        facts = np.zeros((len(packets), _FACTS), np.int64)
        ends = np.zeros((len(packets), _KEY), np.uint64)
        _parse(packets.address, packets.start, packets.size, packets.payload, facts, ends)
        protocol, place, size, sequence, tcp_flags, flags = (facts[:, column].copy() for column in (0, 1, 2, 3, 5, 6))
        return cls(protocol, place, size, sequence, tcp_flags, flags, ends)

    def of_protocol(self, protocol: int) -> NDArray[np.int64]:
        """Return the packets that carry something."""
        return np.flatnonzero(self.protocol == protocol)


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
