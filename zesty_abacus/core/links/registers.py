"""A register device behind I2C: a write sets its pointer, reads and writes go on from there.

Transfers become frames whose address is the device's << 16 | the first register, so that every block of registers
is a kind of its own. The state of the registers at any time follows from all writes and reads before it.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.result import LineResult
from ..lines.settings import Setting
from ..protocols.byte_registers import NO_REGISTER
from .framing import Framing

_DEVICES = 1 << 10
"""Addresses of 10 bits, the most that a bus has."""


class RegisterFraming(Framing, frozen=True, kw_only=True, tag="registers"):
    """How the device counts its registers."""

    pointer_bytes: int = 1
    last_register: int | None = None
    advances: bool = True


class _Registers:
    name = "register device"
    takes = "frames"
    protocol = "registers"
    settings = RegisterFraming
    fields = (
        Setting("pointer_bytes", "bytes of the pointer", "choice", choices=((1, "1"), (2, "2"))),
        Setting("last_register", "last register", "number", measured=True),
        Setting("advances", "pointer goes on by itself", "flag"),
    )

    def apply(self, settings: RegisterFraming, result: LineResult) -> LineResult:
        return with_frames(result, self.begin(settings)(result.frames))

    def begin(self, settings: RegisterFraming) -> Callable[[FrameTable], FrameTable]:
        """Return what follows the transfers of a bus batch by batch: where each device's pointer stands goes on."""
        pointers = np.full(_DEVICES, -1, np.int64)
        return lambda table: self._followed(settings, table, pointers)

    @staticmethod
    def _followed(settings: RegisterFraming, table: FrameTable, pointers: NDArray[np.int64]) -> FrameTable:
        address, flags = np.empty(len(table), np.int64), table.flags.astype(np.int64)
        start, size = table.start.copy(), table.size.astype(np.int64)
        last = -1 if settings.last_register is None else settings.last_register
        _follow(table.address, table.flags, table.start, table.size, table.payload, settings.pointer_bytes,
                last, settings.advances, address, flags, start, size, pointers)  # fmt: skip
        return FrameTable(
            table.time_ns, table.lane, address, flags.astype(np.uint32), start, size.astype(np.uint32), table.payload
        )

    def judge(self, result: LineResult) -> tuple[Framing, float, str] | None:
        table = result.frames
        reads = table.flags & F.READ > 0
        pointers = ~reads & (table.size == 1)
        if not len(table) or not reads.any() or not pointers.any():
            return None
        followed = float(np.mean(pointers[:-1][reads[1:]])) if len(table) > 1 and reads[1:].any() else 0.0
        if followed < 0.5:
            return None
        return RegisterFraming(), 0.6 + 0.3 * followed, f"{followed:.0%} of the reads follow a write of one byte"


FRAMINGS = (_Registers(),)


def with_frames(result: LineResult, frames: FrameTable) -> LineResult:
    """Return a result with other frames, one for one."""
    return LineResult(frames, result.ends_ns, result.marks, result.byte_run, result.bit_run, result.facts)


@dataclass(frozen=True, slots=True, eq=False)
class RegisterState:
    """What the registers of one device held at a time.

    Attributes
    ----------
    value : uint8 (registers,)
    seen_ns : int64 (registers,)
        When each was last read or written; -1 for never.
    pointer : int
        Where the next read would begin, -1 if nobody set it.
    """

    value: NDArray[np.uint8]
    seen_ns: NDArray[np.int64]
    pointer: int


def register_state(frames: FrameTable, device: int, time_ns: int, registers: int = 256) -> RegisterState:
    """Rebuild the registers of a device from all register frames up to a time."""
    value, seen = np.zeros(registers, np.uint8), np.full(registers, -1, np.int64)
    rows = int(np.searchsorted(frames.time_ns, time_ns, side="right"))
    pointer = _state(frames.time_ns[:rows], frames.address, frames.flags, frames.start, frames.size, frames.payload,
                     device, value, seen)  # fmt: skip
    return RegisterState(value, seen, int(pointer))


@njit(cache=True, nogil=True)
def _follow(device, device_flags, starts, sizes, payload, width, last, advances, address, flags, start, size, pointers):  # type: ignore[no-untyped-def]
    for row in range(len(device)):
        who = device[row] % len(pointers)
        count = np.int64(sizes[row])
        if not device_flags[row] & F.READ and count >= width:
            pointer = np.int64(0)
            for i in range(width):
                pointer = pointer << 8 | payload[starts[row] + i]
            pointers[who] = pointer
            start[row] = starts[row] + width
            count -= width
            size[row] = count
        elif not device_flags[row] & F.READ:
            # nobody took its address, or somebody only asked whether it is there
            address[row] = device[row] << 16 | NO_REGISTER
            continue
        first = pointers[who]
        address[row] = device[row] << 16 | (first if first >= 0 else NO_REGISTER)
        if last >= 0 and first >= 0 and first + max(count, 1) - 1 > last:
            flags[row] |= F.PAST_END
        if advances and first >= 0:
            pointers[who] = first + count


@njit(cache=True, nogil=True)
def _state(times, address, flags, start, size, payload, device, value, seen):  # type: ignore[no-untyped-def]
    pointer = np.int64(-1)
    for row in range(len(times)):
        if address[row] >> 16 & 0xFFFF != device or flags[row] & F.REFUSED or address[row] & NO_REGISTER:
            continue
        first = address[row] & 0xFFFF
        for i in range(np.int64(size[row])):
            if first + i < len(value):
                value[first + i] = payload[start[row] + i]
                seen[first + i] = times[row]
        pointer = first + np.int64(size[row])
    return pointer
