"""Network packets taken apart: datagrams, TCP streams put back in order, and the Bluetooth LE link layer.

What comes out are frames with their port in the address:

UDP   ``port << 32 | connection``, a datagram a frame
TCP   ``port << 32 | connection``, pieces of the stream in order; ``answer`` is the way from the server;
      ``lost before`` says that bytes are missing
Bluetooth LE   the access address, the packet without its CRC, which is checked where the start value is known
"""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import Fact, LineResult, Marks
from ..lines.settings import Setting
from .connections import Connections
from .framing import Framing
from .packet_heads import ACK, BLE, FRAGMENT, SYN, TCP, UDP, PacketHeads
from .stream_order import StreamOrder, TcpPieces


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
        table, _ = self.units(settings, result.frames, ends=True)
        return LineResult(table, result.ends_ns[:0], Marks.none(), facts=result.facts)

    def units(self, settings: NetworkFraming, pieces: FrameTable, *, ends: bool) -> tuple[FrameTable, FrameTable]:
        on_port = pieces if settings.port is None else pieces.chosen(pieces.address >> 32 == settings.port)
        return on_port, FrameTable.empty()

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        return NetworkFraming(), 0.3, f"{len(result.frames)} datagrams and pieces of streams"


FRAMINGS = (_Network(),)


class PacketStreams:
    """Takes packets apart while they come in, and puts TCP streams back in order."""

    def __init__(self) -> None:
        self._datagrams = Connections()
        self._connections = Connections()
        self._order = StreamOrder()
        self._counts = {"packets": 0, "of another kind": 0, "fragments": 0, "holes in streams": 0}

    def add(self, packets: FrameTable, *, ends: bool = False) -> FrameTable:
        """Return what is there with these packets, in order of time.

        Parameters
        ----------
        packets
            Whole packets as recorded; ``address`` is the link type.
        ends
            Whether none come behind them: what still waits for a hole to be filled comes, too.
        """
        heads = PacketHeads.of(packets)
        made = FrameTable.joined(
            [self._datagrams_of(packets, heads), _advertised(packets, heads), self._streams_of(packets, heads, ends)]
        )
        self._counts["packets"] += len(packets)
        self._counts["of another kind"] += len(heads.of_protocol(0))
        self._counts["fragments"] += len(heads.of_protocol(FRAGMENT))
        self._counts["holes in streams"] += int((made.flags & F.LOST_BEFORE > 0).sum())
        return made.by_time()

    def facts(self) -> tuple[Fact, ...]:
        """Return what was counted so far."""
        counts = self._counts | {"sent again": self._order.sent_again}
        told = ("packets", "of another kind", "fragments", "sent again", "holes in streams")
        return tuple(
            Fact(name, float(counts[name]), "", str(counts[name])) for name in told if counts[name] or name == "packets"
        )

    def _datagrams_of(self, packets: FrameTable, heads: PacketHeads) -> FrameTable:
        rows = heads.of_protocol(UDP)
        port, number, from_server = self._datagrams.number(heads.ends[rows], np.zeros(len(rows), np.bool_))
        return _pieces(packets, heads, rows, port << 32 | number, from_server)

    def _streams_of(self, packets: FrameTable, heads: PacketHeads, ends: bool) -> FrameTable:
        rows = heads.of_protocol(TCP)
        opens = heads.tcp_flags[rows] & SYN > 0
        asks = opens & (heads.tcp_flags[rows] & ACK == 0)
        port, number, from_server = self._connections.number(heads.ends[rows], asks)
        table = _pieces(packets, heads, rows, port << 32 | number, from_server)
        with_data = np.flatnonzero((table.size > 0) | opens)
        pieces = TcpPieces(table.chosen(with_data), heads.sequence[rows][with_data], opens[with_data])
        return self._order.add(pieces, ends=ends)


def streams(packets: FrameTable) -> LineResult:
    """Take all packets of a recording apart; as :class:`PacketStreams`."""
    taken = PacketStreams()
    table = taken.add(packets, ends=True)
    return LineResult(table, np.empty(0, np.int64), Marks.none(), facts=taken.facts())


def _pieces(
    packets: FrameTable, heads: PacketHeads, rows: NDArray[np.int64], address: NDArray[np.int64],
    from_server: NDArray[np.bool_],
) -> FrameTable:  # fmt: skip
    """Return what some packets carry."""
    flags = heads.flags[rows] | np.where(from_server, F.ANSWER, 0)
    return FrameTable(
        packets.time_ns[rows], packets.lane[rows], address, flags.astype(np.uint32), heads.place[rows],
        heads.size[rows].astype(np.uint32), packets.payload,
    )  # fmt: skip


def _advertised(packets: FrameTable, heads: PacketHeads) -> FrameTable:
    rows = heads.of_protocol(BLE)
    return _pieces(packets, heads, rows, heads.sequence[rows], np.zeros(len(rows), np.bool_))
