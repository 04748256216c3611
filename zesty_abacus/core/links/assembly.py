"""Messages put together from pieces that came in frames: what every transport over CAN has in common."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable

OPEN, WHOLE, BROKEN, TIED = range(4)
"""How far a message is: more is to come; all is there; something was lost; all is there, and it waits for another."""


@dataclass(frozen=True, slots=True, eq=False)
class Pieces:
    """Which bytes of which frame belong to which message.

    Attributes
    ----------
    message : int64 (n,)
        For each frame the message that its bytes belong to, -1 for none.
    first_byte, count : int64 (n,)
        The bytes of the frame that do.
    offset : int64 (n,)
        Where they go in the message.
    """

    message: NDArray[np.int64]
    first_byte: NDArray[np.int64]
    count: NDArray[np.int64]
    offset: NDArray[np.int64]

    @classmethod
    def none(cls, frames: int) -> Pieces:
        """Return pieces for so many frames, to be filled in."""
        return cls(np.full(frames, -1, np.int64), *(np.zeros(frames, np.int64) for _ in range(3)))


@dataclass(frozen=True, slots=True, eq=False)
class Messages:
    """Messages, (m,) each, as a kernel has found them.

    Attributes
    ----------
    begin : int64
        Frame that it begins with.
    last : int64
        Frame that was the last one of it.
    address : int64
    flags : int64
    size : int64
        Bytes that are there, from the first one on without a hole.
    state : int64
        :data:`OPEN`, :data:`WHOLE`, :data:`BROKEN` or :data:`TIED`.
    """

    begin: NDArray[np.int64]
    last: NDArray[np.int64]
    address: NDArray[np.int64]
    flags: NDArray[np.int64]
    size: NDArray[np.int64]
    state: NDArray[np.int64]

    @classmethod
    def room(cls, most: int) -> Messages:
        """Return room for so many, to be filled in."""
        return cls(*(np.zeros(most, np.int64) for _ in range(6)))

    def arrays(self) -> tuple[NDArray[np.int64], ...]:
        """Return the columns, as kernels take them."""
        return self.begin, self.last, self.address, self.flags, self.size, self.state

    def first(self, count: int) -> Messages:
        """Return the first ones."""
        return Messages(*(column[:count] for column in self.arrays()))


def put_together(
    table: FrameTable, pieces: Pieces, messages: Messages, patience_ns: int, *, ends: bool
) -> tuple[FrameTable, NDArray[np.bool_]]:
    """Return the messages that are over, and which frames belong to those that are not.

    A message of which something was lost has the bytes before that, and is flagged as cut short.

    Parameters
    ----------
    patience_ns
        A message that waits longer than this for its next frame is over.
    ends
        Whether nothing comes behind these frames.

    Returns
    -------
    messages
        In order of the time at which they begin, on the lane of their frames.
    waits : bool (frames,)
    """
    now = int(table.time_ns[-1]) if len(table) else 0
    is_open = (messages.state == OPEN) | (messages.state == TIED)
    if not ends:
        is_open &= now - table.time_ns[messages.last] <= patience_ns
        over = np.flatnonzero(~is_open)
    else:
        over, is_open = np.arange(len(messages.begin)), np.zeros(len(messages.begin), np.bool_)
    order = over[np.argsort(messages.begin[over], kind="stable")]
    place = np.full(len(messages.begin), -1, np.int64)
    place[order] = np.arange(len(order))
    sizes = messages.size[order]
    start = np.cumsum(sizes) - sizes
    payload = np.zeros(int(sizes.sum()), np.uint8)
    _copy(table.payload, table.start, pieces.message, pieces.first_byte, pieces.count, pieces.offset, place, start,
          sizes, payload)  # fmt: skip
    begin = messages.begin[order]
    missing = (messages.state[order] == OPEN) | (messages.state[order] == BROKEN)
    cut = np.where(missing, F.CUT_SHORT, 0)
    seen = table.flags[begin].astype(np.int64) & (F.SENT | F.RECEIVED)
    made = FrameTable(
        table.time_ns[begin], table.lane[begin], messages.address[order],
        (messages.flags[order] | cut | seen).astype(np.uint32), start, sizes.astype(np.uint32), payload,
    )  # fmt: skip
    mine = pieces.message >= 0
    waits = np.zeros(len(table), np.bool_)
    waits[mine] = is_open[pieces.message[mine]]
    return made, waits


@njit(cache=True, nogil=True)
def _copy(data, starts, message, first_byte, count, offset, place, start, sizes, payload):  # type: ignore[no-untyped-def]
    for row in range(len(message)):
        if message[row] < 0 or place[message[row]] < 0:
            continue
        to = place[message[row]]
        for i in range(count[row]):
            at = offset[row] + i
            # behind a hole nothing is kept: nobody could say where it belongs
            if at < sizes[to]:
                payload[start[to] + at] = data[starts[row] + first_byte[row] + i]
