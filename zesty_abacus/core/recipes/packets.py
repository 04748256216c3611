"""Makes frames of network packets while they come in, so that memory does not grow with the recording."""

from __future__ import annotations

from collections import OrderedDict
from collections.abc import Callable
from dataclasses import replace
from functools import partial
from typing import Protocol, cast

import msgspec
import numpy as np

from ..errors import MisuseError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import Fact
from ..links.framing import PacketWay, framing_of
from ..links.network import NetworkFraming, PacketStreams
from ..links.pieces import in_streams, streams_in
from .model import Recipe
from .segments import SegmentFramer

Put = Callable[[FrameTable], None]
BATCH_BYTES = 1 << 24
_MOST_HELD_BYTES = 1 << 25
"""Of pieces that wait for more; beyond it they are framed as if nothing came behind them."""
_STREAM_BYTES = 1 << 18


class PacketFramer:
    """Takes packets apart, puts streams in order, and frames what they carry.

    Parameters
    ----------
    recipe
        With a framing that takes packets or bytes; without one every datagram and piece of a stream is a frame.
    put
        Takes frames, each time in order of time; those of a stream that had to wait may come behind later ones.

    Attributes
    ----------
    frames
        How many were handed on.

    Raises
    ------
    MisuseError
        If the framing takes something else.
    """

    def __init__(self, recipe: Recipe | None, put: Put, batch_bytes: int = BATCH_BYTES) -> None:
        self._put = put
        self._batch_bytes = batch_bytes
        self._held: list[FrameTable] = []
        self._held_bytes = 0
        self._streams = PacketStreams()
        self._pieces = _taker(recipe, self._hand_on)
        self.frames = 0

    def add(self, packets: FrameTable) -> None:
        """Take packets, in the order in which they were recorded."""
        self._held.append(packets)
        self._held_bytes += int(packets.size.sum())
        if self._held_bytes >= self._batch_bytes:
            self._work(ends=False)

    def finish(self) -> None:
        """Frame what is left."""
        self._work(ends=True)

    def facts(self) -> tuple[Fact, ...]:
        """Return what was counted of the packets."""
        return self._streams.facts()

    def _work(self, *, ends: bool) -> None:
        packets = FrameTable.joined(self._held)
        self._held, self._held_bytes = [], 0
        self._pieces.add(self._streams.add(packets, ends=ends), ends=ends)

    def _hand_on(self, frames: FrameTable) -> None:
        self.frames += len(frames)
        if len(frames):
            self._put(frames.compact())


class _Taker(Protocol):
    """Makes frames of datagrams and pieces of streams."""

    def add(self, pieces: FrameTable, *, ends: bool) -> None:
        """Take more of them; ``ends`` says that they are the last ones."""
        ...


def _taker(recipe: Recipe | None, put: Put) -> _Taker:
    framing = NetworkFraming() if recipe is None or recipe.framing is None else recipe.framing
    way = framing_of(framing)
    if way.takes == "packets":
        return StreamUnits(partial(cast(PacketWay, way).units, framing), put)
    if way.takes == "bytes":
        assert recipe is not None
        return StreamTelegrams(recipe, put)
    where = recipe.name if recipe is not None else ""
    raise MisuseError(f"{way.name} takes {way.takes}, and this recording holds packets.", where=where)


class StreamUnits:
    """Frames that a way makes of all streams together."""

    def __init__(self, units: Callable[..., tuple[FrameTable, FrameTable]], put: Put) -> None:
        self._units = units
        self._put = put
        self._rest = FrameTable.empty()

    def add(self, pieces: FrameTable, *, ends: bool) -> None:
        """Take more pieces; ``ends`` says that they are the last ones."""
        whole = FrameTable.joined([self._rest, pieces])
        frames, self._rest = self._units(whole, ends=ends)
        if len(self._rest.payload) > _MOST_HELD_BYTES:
            frames, self._rest = self._units(whole, ends=True)
        self._put(frames)


class StreamTelegrams:
    """Telegrams cut out of every stream by itself, each with the stream's address and way."""

    def __init__(self, recipe: Recipe, put: Put) -> None:
        assert recipe.framing is not None
        self._recipe = msgspec.structs.replace(recipe, framing=in_streams(recipe.framing))
        self._put = put
        self._framers: OrderedDict[tuple[int, int], SegmentFramer] = OrderedDict()
        self._made: list[FrameTable] = []

    def add(self, pieces: FrameTable, *, ends: bool) -> None:
        """Take more pieces; ``ends`` says that they are the last ones."""
        for rows in streams_in(pieces):
            own = pieces.chosen(rows).compact()
            self._framer(own).add(own)
        held = sum(framer.held_bytes for framer in self._framers.values())
        while self._framers and (ends or held > _MOST_HELD_BYTES):
            # the stream that has been silent for longest; what comes of it later begins anew
            _, framer = self._framers.popitem(last=False)
            held -= framer.held_bytes
            framer.finish()
        made = FrameTable.joined(self._made)
        self._made = []
        self._put(made.by_time())

    def _framer(self, own: FrameTable) -> SegmentFramer:
        answer = own.flags[0] & np.uint32(F.ANSWER)
        key = int(own.address[0]), int(answer)
        if key not in self._framers:
            put = partial(self._tell_stream, own.address[0], own.lane[0], answer)
            # a telegram has the time of the piece that it begins in: when each byte of it was sent, nobody knows
            self._framers[key] = SegmentFramer(self._recipe, put, _STREAM_BYTES, byte_ns=0)
        self._framers.move_to_end(key)
        return self._framers[key]

    def _tell_stream(self, address: np.int64, lane: np.uint16, answer: np.uint32, frames: FrameTable) -> None:
        count = len(frames)
        self._made.append(replace(
            frames, lane=np.full(count, lane, np.uint16), address=np.full(count, address, np.int64),
            flags=frames.flags | answer,
        ))  # fmt: skip


def frames_of_packets(recipe: Recipe | None, packets: FrameTable) -> tuple[FrameTable, tuple[Fact, ...]]:
    """Return the frames of all packets of a recording, and what was counted; raises as :class:`PacketFramer`."""
    made: list[FrameTable] = []
    framer = PacketFramer(recipe, made.append)
    framer.add(packets)
    framer.finish()
    table = FrameTable.joined(made)
    return table.by_time(), framer.facts()
