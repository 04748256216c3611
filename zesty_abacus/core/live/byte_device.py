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


class ByteDevice(ABC):
    """A device that is asked for byte registers.

    Attributes
    ----------
    number
        Its address on I2C, its select on SPI.
    registers
    counts
    highest
        The last number that a device can have.
    is_asked_in_sight
        Whether what it is asked is a frame of its own, beside what comes back.
    """

    highest = 0x3FF
    is_asked_in_sight = False

    def __init__(
        self, number: int, registers: DeviceRegisters, *, seen: Callable[[Access], None] | None = None
    ) -> None:
        self.number = number
        self.registers = registers
        self.counts = ServedCounts()
        self._seen = seen

    @classmethod
    @abstractmethod
    def number_in(cls, asked: Outgoing) -> int:
        """Return which device a frame asks."""

    @classmethod
    @abstractmethod
    def nobody(cls, asked: Outgoing) -> Outgoing | None:
        """Return what is seen where no device has the number that is asked, None for nothing."""

    @abstractmethod
    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what is seen of the device when it is asked; None if it has nothing to say."""

    def _read(self, held: DeviceRegisters, first: int, count: int) -> tuple[list[int], Access]:
        try:
            return held.read(first, count), Access(False, first, count)
        except PastEndError:
            return [_RELEASED] * count, Access(False, first, count, "past the end")

    def _write(self, held: DeviceRegisters, first: int, data: bytes) -> Access:
        try:
            held.write(first, list(data))
            return Access(True, first, len(data))
        except PastEndError:
            return Access(True, first, len(data), "not acknowledged")

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

    @classmethod
    def number_in(cls, asked: Outgoing) -> int:
        """Return the address."""
        return asked.address >> 16 & 0xFFFF

    @classmethod
    def nobody(cls, asked: Outgoing) -> Outgoing | None:
        """Return that nobody acknowledges it."""
        return Outgoing(b"", cls.number_in(asked) << 16 | NO_REGISTER, F.REFUSED | asked.flags & F.READ)

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what a read brings, or that a write was not acknowledged; None for one that was.

        Frames are those of byte registers: device and first register are their address, and a read is as long as what
        it asks for.
        """
        is_open = asked.address & NO_REGISTER
        first, count = self._pointer if is_open else asked.address & 0xFFFF, len(asked.payload)
        address = self.number << 16 | first
        if asked.flags & F.READ:
            with self.registers.held() as held:
                values, access = self._read(held, first, count)
            self._tell(access)
            self._pointer = self._behind(first, count)
            past = F.PAST_END if self.registers.goes_past(first, count) else 0
            return Outgoing(bytes(values), address, F.READ | past)
        if is_open:
            return None  # somebody only asks whether the device is there
        with self.registers.held() as held:
            access = self._write(held, first, asked.payload)
        self._tell(access)
        if access.refused:
            return Outgoing(asked.payload, address, F.REFUSED | F.PAST_END)
        self._pointer = self._behind(first, count)
        return None

    def _behind(self, first: int, count: int) -> int:
        return first + count & 0xFFFF if self.registers.advances else first


class SpiDevice(ByteDevice):
    """One that answers while it is asked."""

    highest = 0
    is_asked_in_sight = True

    @classmethod
    def number_in(cls, _asked: Outgoing) -> int:
        """Return the one select there is."""
        return 0

    @classmethod
    def nobody(cls, _asked: Outgoing) -> Outgoing | None:
        """Return nothing: the line stays as it is."""
        return None

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what came back in the same transfer; None for one without a byte."""
        if not asked.payload:
            return None
        first, data = asked.payload[0] & ~_SPI_WRITE, asked.payload[1:]
        with self.registers.held() as held:
            status = held.read(0, 1)
            if asked.payload[0] & _SPI_WRITE:
                values, access = [0] * len(data), self._write(held, first, data)
            else:
                values, access = self._read(held, first, len(data))
        self._tell(access)
        return Outgoing(bytes([*status, *values]), _ANSWERS, F.ANSWER)
