"""A bus of byte registers on the bench: the devices on it, and the tug's own controller that asks one of them."""

from __future__ import annotations

import threading
from collections.abc import Callable

from ...core.frames import flags as F
from ...core.live.batch import Batch
from ...core.live.byte_device import ByteDevice, I2cDevice, SpiDevice
from ...core.live.device_registers import Access, DeviceRegisters
from ...core.live.endpoint import Outgoing
from ...core.protocols.byte_registers import NO_REGISTER

_TAKES_NS = 300_000
"""From being asked to having answered."""


class ByteBus:
    """An I2C or SPI bus.

    Parameters
    ----------
    lane
        Its number on the bench.
    own
        The tug's device on it.
    asked, every_s
        What her controller asks that device, and how often.
    """

    def __init__(self, lane: int, own: ByteDevice, asked: Outgoing, every_s: float) -> None:
        self.lane = lane
        self._kind: type[I2cDevice] | type[SpiDevice] = SpiDevice if isinstance(own, SpiDevice) else I2cDevice
        self._fitted = {own.number: own}
        self._played: dict[int, ByteDevice] = {}
        self._asked, self._every_s = asked, every_s
        self._next_s: float | None = None
        self._lock = threading.Lock()

    def plug(self, number: int, registers: DeviceRegisters, seen: Callable[[Access], None] | None) -> ByteDevice:
        """Put a device on the bus; the tug's own one with its number is unplugged as long as it is there."""
        made = self._kind(number, registers, seen=seen)
        with self._lock:
            self._played[number] = made
        return made

    def unplug(self, device: ByteDevice) -> None:
        """Take a device off again; one that was put in its place meanwhile stays."""
        with self._lock:
            if self._played.get(device.number) is device:
                del self._played[device.number]

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what is seen on the bus when somebody is asked: an address that nobody has is not acknowledged."""
        number = 0 if self._kind is SpiDevice else asked.address >> 16 & 0xFFFF
        with self._lock:
            device = self._played.get(number) or self._fitted.get(number)
        if device is not None:
            return device.answer(asked)
        if self._kind is SpiDevice:
            return None
        return Outgoing(b"", number << 16 | NO_REGISTER, F.REFUSED | asked.flags & F.READ)

    def asked_until(self, now_s: float, zero_ns: int, batch: Batch) -> None:
        """Let the tug's controller ask until a time of the voyage; what is seen of that joins a batch."""
        if self._next_s is None:
            self._next_s = now_s
        while self._next_s < now_s:
            time_ns = zero_ns + round(self._next_s * 1e9)
            if self._kind is SpiDevice:
                # on SPI both ways are seen at once; a read of byte registers is one frame
                self._add(batch, self._asked, time_ns)
            answer = self.answer(self._asked)
            if answer is not None:
                self._add(batch, answer, time_ns if self._kind is SpiDevice else time_ns + _TAKES_NS)
            self._next_s += self._every_s

    def _add(self, batch: Batch, frame: Outgoing, time_ns: int) -> None:
        batch.add(time_ns, frame.payload, frame.address, frame.flags | F.RECEIVED, self.lane)
