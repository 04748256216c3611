"""A bus of byte registers on the bench: the devices on it, and the tug's own controller that asks one of them."""

from __future__ import annotations

import threading
from collections.abc import Callable

from ...core.errors import MisuseError
from ...core.frames import flags as F
from ...core.live.batch import Batch
from ...core.live.byte_device import ByteDevice
from ...core.live.device_registers import Access, DeviceRegisters
from ...core.live.endpoint import Outgoing

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
        self._kind, self._fitted = type(own), {own.number: own}
        self._played: dict[int, ByteDevice] = {}
        self._asked, self._every_s = asked, every_s
        self._next_s: float | None = None
        self._lock = threading.Lock()

    def plug(self, number: int, registers: DeviceRegisters, seen: Callable[[Access], None] | None) -> ByteDevice:
        """Put a device on the bus; the tug's own one with its number is unplugged as long as it is there.

        Raises
        ------
        MisuseError
            If nothing on such a bus would ever ask it.
        """
        if not 0 <= number <= self._kind.highest:
            raise MisuseError(
                f"device {number} cannot be asked on this bus; {self._kind.highest} is the last one.",
                hint="Write the device into the map, or play it on another lane.",
            )
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
        number = self._kind.number_in(asked)
        with self._lock:
            device = self._played.get(number) or self._fitted.get(number)
        return device.answer(asked) if device is not None else self._kind.nobody(asked)

    def asked_until(self, now_s: float, zero_ns: int, batch: Batch) -> None:
        """Let the tug's controller ask until a time of the voyage; what is seen of that joins a batch."""
        if self._next_s is None:
            self._next_s = now_s
        while self._next_s < now_s:
            time_ns = zero_ns + round(self._next_s * 1e9)
            if self._kind.is_asked_in_sight:
                self._add(batch, self._asked, time_ns)
            else:
                time_ns += _TAKES_NS
            answer = self.answer(self._asked)
            if answer is not None:
                self._add(batch, answer, time_ns)
            self._next_s += self._every_s

    def _add(self, batch: Batch, frame: Outgoing, time_ns: int) -> None:
        batch.add(time_ns, frame.payload, frame.address, frame.flags | F.RECEIVED, self.lane)
