"""What every way of framing shares: its settings, and frames made of spans of bytes."""

from __future__ import annotations

from collections.abc import Callable
from functools import cache
from typing import Protocol

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..discover import discover
from ..frames.table import FrameTable
from ..lines.result import ByteRun, LineResult, Marks
from ..lines.settings import Setting


class Framing(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, tag_field="way"):
    """Base of all settings that say how bytes, bits or frames are put together."""

    @property
    def waits_ms(self) -> float:
        """How long after a frame something may still come that belongs to it."""
        return 0.0


class FramingWay(Protocol):
    """What a module of this package offers as ``FRAMING``.

    Attributes
    ----------
    name
        As the interface calls it.
    takes
        ``bytes``, ``bits``, ``frames`` or ``packets``.
    protocol
        What a lane of its frames speaks.
    settings, fields
        As of a line decoder.
    """

    name: str
    takes: str
    protocol: str
    settings: type[Framing]
    fields: tuple[Setting, ...]

    def apply(self, settings: Framing, result: LineResult) -> LineResult:
        """Return the result with frames, its marks tied to them."""
        ...

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        """Return settings that suit, a score in 0..1 and a reason; None if this way does not suit at all."""
        ...


class PacketWay(FramingWay, Protocol):
    """A way that takes packets, as a batch of them after the other comes in."""

    def units(self, settings: Framing, pieces: FrameTable, *, ends: bool) -> tuple[FrameTable, FrameTable]:
        """Return frames, and the pieces that those still to come are made of.

        Parameters
        ----------
        pieces
            As :class:`.network.PacketStreams` gives them, behind those that were left the last time.
        ends
            Whether none come behind them; then none are left.
        """
        ...


class FrameWay(FramingWay, Protocol):
    """A way that takes frames and gives as many, where what came before decides what a frame is."""

    def begin(self, settings: Framing) -> Callable[[FrameTable], FrameTable]:
        """Return what makes frames of the batches that come one behind the other."""
        ...


@cache
def framings() -> tuple[FramingWay, ...]:
    """Return all ways of framing, in order of their module names."""
    import zesty_abacus.core.links as package  # the package cannot be named before it is imported

    offered: list[tuple[FramingWay, ...]] = discover(package, "FRAMINGS", besides=frozenset({"framing"}))
    return tuple(way for ways in offered for way in ways)


def framing_of(settings: Framing) -> FramingWay:
    """Return the way that settings belong to."""
    return next(way for way in framings() if type(settings) is way.settings)


def bytes_in_spans(
    result: LineResult,
    run: ByteRun,
    spans: NDArray[np.int64],
    flags: NDArray[np.int64] | None = None,
    address: NDArray[np.int64] | None = None,
    kept: NDArray[np.int64] | None = None,
) -> LineResult:
    """Make a frame of each span of bytes.

    Parameters
    ----------
    spans : int64 (m, 2)
        First byte and the one after the last, rising, not overlapping.
    flags, address : int64 (m,)
        Zero if left out; what was wrong with its bytes is added to a frame's flags.
    kept : int64 (m, 2)
        The bytes of each span that are its payload; all if left out.
    """
    count = len(spans)
    flags = np.zeros(count, np.int64) if flags is None else flags
    address = np.zeros(count, np.int64) if address is None else address
    kept = spans if kept is None else kept
    frame_of_byte = np.full(len(run), -1, np.int64)
    added = np.zeros(count, np.int64)
    _spread(spans, run.flags, frame_of_byte, added)
    wide = bool(len(run)) and int(run.value.max()) > 0xFF
    values = run.value.astype(">u2").view(np.uint8) if wide else run.value.astype(np.uint8)
    step = 2 if wide else 1
    table = FrameTable(
        run.start_ns[spans[:, 0]].astype(np.int64),
        np.zeros(count, np.uint16),
        address.astype(np.int64),
        (flags | added).astype(np.uint32),
        kept[:, 0] * step,
        ((kept[:, 1] - kept[:, 0]) * step).astype(np.uint32),
        values,
    )
    rows = result.marks.rows.copy()
    rows[:, 5] = frame_of_byte
    return LineResult(table, run.end_ns[spans[:, 1] - 1].copy(), Marks(rows), run, result.bit_run, result.facts)


@njit(cache=True, nogil=True)
def _spread(spans, byte_flags, frame_of_byte, added):  # type: ignore[no-untyped-def]
    for frame in range(len(spans)):
        for byte in range(spans[frame, 0], spans[frame, 1]):
            frame_of_byte[byte] = frame
            added[frame] |= np.int64(byte_flags[byte])


def byte_run_of(result: LineResult) -> ByteRun:
    """Return the bytes of a result, none if its line gives none."""
    if result.byte_run is not None:
        return result.byte_run
    none = np.empty(0, np.int64)
    return ByteRun(none, none, none.astype(np.uint16), none.astype(np.uint32))
