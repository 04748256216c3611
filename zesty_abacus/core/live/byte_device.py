"""Devices of byte registers that are played: on I2C, and on SPI.

A device on I2C has a pointer: a write names the register it begins with, reads and writes go on from there (NXP
UM10204, 3.1.10, leaves the meaning of the bytes to the device; this is the usual one). On SPI, where no document says
it for all devices, the first byte out is the register in its lower seven bits with the top bit set for a write; what
comes back with it is register 0, which is where devices keep their status.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable

from ..frames import flags as F
from ..protocols.byte_registers import NO_REGISTER
from .device_registers import Access, DeviceRegisters, PastEndError
from .device_server import ServedCounts
from .endpoint import Outgoing

_RELEASED = 0xFF
"""What is read where nobody pulls the line down."""
_SPI_WRITE = 0x80
_ANSWERS = 1
"""The address of what comes from a device on SPI."""
_NOT_ACKNOWLEDGED = "not acknowledged"


class ByteDevice(ABC):
    """A device that is asked for byte registers.

    Attributes
    ----------
    number
        Its address on I2C, its select on SPI.
    registers
    counts
    """

    def __init__(
        self, number: int, registers: DeviceRegisters, *, seen: Callable[[Access], None] | None = None
    ) -> None:
        self.number = number
        self.registers = registers
        self.counts = ServedCounts()
        self._seen = seen

    @abstractmethod
    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what is seen of the device when it is asked; None if it has nothing to say."""

    def _read(self, first: int, count: int) -> tuple[list[int], str]:
        """Return registers, and why they are none of the device's, empty if they are."""
        with self.registers.held() as registers:
            try:
                values, refused = registers.read(first, count), ""
            except PastEndError:
                values, refused = [_RELEASED] * count, "past the end"
        self._tell(Access(False, first, count, refused))
        return values, refused

    def _write(self, first: int, data: bytes) -> str:
        """Put registers; return why they were not put, empty if they were."""
        with self.registers.held() as registers:
            try:
                registers.write(first, list(data))
                refused = ""
            except PastEndError:
                refused = _NOT_ACKNOWLEDGED
        self._tell(Access(True, first, len(data), refused))
        return refused

    def _tell(self, access: Access) -> None:
        if access.refused:
            self.counts.refused += 1
        else:
            self.counts.answered += 1
        if self._seen is not None:
            self._seen(access)


class I2cDevice(ByteDevice):
    """One that has an address, and a pointer that goes on by itself."""

    def __init__(
        self, number: int, registers: DeviceRegisters, *, seen: Callable[[Access], None] | None = None
    ) -> None:
        super().__init__(number, registers, seen=seen)
        self._pointer = 0

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what a read brings, or that a write was not acknowledged; None for one that was.

        Frames are those of byte registers: device and first register are their address, and a read is as long as what
        it asks for.
        """
        is_open = asked.address & NO_REGISTER
        first, count = self._pointer if is_open else asked.address & 0xFFFF, len(asked.payload)
        address = self.number << 16 | first
        if asked.flags & F.READ:
            values, refused = self._read(first, count)
            self._pointer = self._behind(first, count)
            past = F.PAST_END if refused or self.registers.goes_past(first, count) else 0
            return Outgoing(bytes(values), address, F.READ | past)
        if is_open:
            return None  # somebody only asks whether the device is there
        if self._write(first, asked.payload):
            return Outgoing(asked.payload, address, F.REFUSED | F.PAST_END)
        self._pointer = self._behind(first, count)
        return None

    def _behind(self, first: int, count: int) -> int:
        return first + count & 0xFFFF if self.registers.advances else first


class SpiDevice(ByteDevice):
    """One that answers while it is asked."""

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what came back in the same transfer; None for one without a byte."""
        if not asked.payload:
            return None
        first, data = asked.payload[0] & ~_SPI_WRITE, asked.payload[1:]
        with self.registers.held() as registers:
            status = registers.read(0, 1)
        if asked.payload[0] & _SPI_WRITE:
            self._write(first, data)
            values = [0] * len(data)
        else:
            values, _ = self._read(first, len(data))
        return Outgoing(bytes([*status, *values]), _ANSWERS, F.ANSWER)
