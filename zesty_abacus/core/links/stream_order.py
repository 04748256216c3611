"""TCP streams put back in order (RFC 9293), while their packets come in."""

from __future__ import annotations

import dataclasses
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable

PATIENCE_NS = 30_000_000_000
"""Pieces wait so long for a hole before them to be filled; senders repeat what was lost within seconds."""
MOST_HELD_BYTES = 1 << 25
"""Of all streams together; holes before more than that are taken for lost."""


@dataclass(frozen=True, slots=True, eq=False)
class TcpPieces:
    """What came in TCP packets, as recorded.

    Attributes
    ----------
    table
        A piece a packet: ``address`` is that of its connection, ``answer`` the way from the server.
    sequence : int64 (n,)
        Number of its first byte.
    opens : bool (n,)
        Whether numbers start anew with it, one before its first byte.
    """

    table: FrameTable
    sequence: NDArray[np.int64]
    opens: NDArray[np.bool_]

    def __len__(self) -> int:
        return len(self.table)

    def followed_by(self, others: TcpPieces) -> TcpPieces:
        """Return these and others behind them."""
        return TcpPieces(
            FrameTable.joined([self.table, others.table]), np.concatenate([self.sequence, others.sequence]),
            np.concatenate([self.opens, others.opens]),
        )  # fmt: skip

    def taken(self, rows: NDArray[np.int64]) -> TcpPieces:
        """Return some of them, with no other bytes than their own."""
        return TcpPieces(self.table.chosen(rows).compact(), self.sequence[rows], self.opens[rows])


class StreamOrder:
    """Holds what came before its turn until the hole before it is filled, or can no longer be.

    A piece that came before its turn is there for the reader only once the hole is filled, so times of a stream never
    go back.

    Attributes
    ----------
    sent_again
        Pieces of which every byte was there before.
    """

    def __init__(self, patience_ns: int = PATIENCE_NS, most_held_bytes: int = MOST_HELD_BYTES) -> None:
        self._patience_ns = patience_ns
        self._most_held_bytes = most_held_bytes
        self._ways: dict[int, int] = {}
        self._last = np.empty(0, np.int64)
        self._expected = np.empty(0, np.int64)
        self._latest = np.empty(0, np.int64)
        self._held: TcpPieces | None = None
        self.sent_again = 0

    def add(self, pieces: TcpPieces, *, ends: bool = False) -> FrameTable:
        """Return the pieces whose turn it is, stream by stream in order, cut to what was not there before.

        Parameters
        ----------
        pieces
            In the order in which they were recorded.
        ends
            Whether none comes behind them.
        """
        way = self._ways_of(pieces.table)
        sequence = pieces.sequence.copy()
        _unwrap(way, sequence, pieces.opens, self._last)
        pieces = dataclasses.replace(pieces, sequence=sequence)
        if self._held is not None:
            pieces = self._held.followed_by(pieces)
            way = self._ways_of(pieces.table)
        return self._in_order(pieces, way, ends=ends)

    def _in_order(self, pieces: TcpPieces, way: NDArray[np.int64], *, ends: bool) -> FrameTable:
        table = pieces.table
        order = np.lexsort((np.arange(len(table)), pieces.sequence, way))
        # what came before this waits no longer
        oldest = np.iinfo(np.int64).max if ends or not len(table) else int(table.time_ns.max()) - self._patience_ns
        waits = np.zeros(len(table), np.bool_)
        out = np.empty((len(table), 5), np.int64)
        before = self._expected.copy(), self._latest.copy()
        count, again = self._walked(order, way, pieces, oldest, waits, out)
        if int(table.size[waits].sum()) > self._most_held_bytes:
            self._expected, self._latest = before
            waits[:] = False
            count, again = self._walked(order, way, pieces, np.iinfo(np.int64).max, waits, out)
        self.sent_again += again
        self._held = pieces.taken(np.flatnonzero(waits)) if waits.any() else None
        rows = out[:count, 0]
        return FrameTable(
            out[:count, 1].copy(), table.lane[rows], table.address[rows], out[:count, 2].astype(np.uint32),
            out[:count, 3].copy(), out[:count, 4].astype(np.uint32), table.payload,
        )  # fmt: skip

    def _walked(
        self, order: NDArray[np.int64], way: NDArray[np.int64], pieces: TcpPieces, oldest: int,
        waits: NDArray[np.bool_], out: NDArray[np.int64],
    ) -> tuple[int, int]:  # fmt: skip
        table = pieces.table
        return _walk(
            order, way, pieces.sequence, pieces.opens, table.time_ns, table.start, table.size.astype(np.int64),
            table.flags.astype(np.int64), self._expected, self._latest, oldest, waits, out,
        )  # fmt: skip

    def _ways_of(self, table: FrameTable) -> NDArray[np.int64]:
        """Return a small number for each way of each connection."""
        keys, place = np.unique(table.address << 1 | ((table.flags & F.ANSWER) > 0), return_inverse=True)
        numbers = np.array([self._ways.setdefault(int(key), len(self._ways)) for key in keys], np.int64)
        new = len(self._ways) - len(self._last)
        if new:
            self._last = np.append(self._last, np.full(new, -1, np.int64))
            self._expected = np.append(self._expected, np.full(new, -1, np.int64))
            self._latest = np.append(self._latest, np.full(new, np.iinfo(np.int64).min, np.int64))
        return numbers[place.reshape(-1)] if len(keys) else np.empty(0, np.int64)


@njit(cache=True, nogil=True)
def _unwrap(way, sequence, opens, last):  # type: ignore[no-untyped-def]
    """Turn 32-bit sequence numbers into ones that never wrap, way by way, in recorded order."""
    for row in range(len(way)):
        before = last[way[row]]
        value = sequence[row]
        # a new start may begin anywhere; it goes behind everything before it
        if opens[row]:
            if before >= 0 and before & 0xFFFFFFFF != value:
                value += ((before >> 32) + 2) << 32
            elif before >= 0:
                value = before
        elif before >= 0:
            step = (value - before) & 0xFFFFFFFF
            value = before + (step - (1 << 32) if step >= 1 << 31 else step)
        sequence[row] = value
        last[way[row]] = value if opens[row] else max(before, value)


@njit(cache=True, nogil=True)
def _walk(order, way, sequence, opens, times, places, sizes, flags, expected, latest, oldest, waits, out):  # type: ignore[no-untyped-def]
    """Walk each way by sequence number: drop what was sent twice, mark holes, let pieces wait that came too early.

    Rows of ``out`` are the piece, the time at which it is there, flags, place and size.
    """
    count = again = 0
    current = np.int64(-1)
    is_waiting = False
    for i in range(len(order)):
        row = order[i]
        if way[row] != current:
            current = way[row]
            is_waiting = False
        if is_waiting:
            waits[row] = True
            continue
        begin, size, place, said = sequence[row], sizes[row], places[row], flags[row]
        if opens[row]:
            begin += 1
        next_one = expected[current]
        is_early = next_one >= 0 and begin > next_one and not opens[row]
        if is_early and size > 0 and times[row] > oldest:
            waits[row] = is_waiting = True
            continue
        if opens[row]:
            expected[current] = begin
            next_one = begin
        if size == 0:
            continue
        if next_one >= 0 and begin < next_one:
            skip = next_one - begin
            if skip >= size:
                again += 1
                continue
            place += skip
            size -= skip
            begin = next_one
        elif is_early:
            said |= F.LOST_BEFORE
        expected[current] = begin + size
        latest[current] = max(latest[current], times[row])
        out[count, 0] = row
        out[count, 1] = latest[current]
        out[count, 2] = said
        out[count, 3] = place
        out[count, 4] = size
        count += 1
    return count, again
