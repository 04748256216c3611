"""The register devices of the bench: the shore meter on Modbus and the level sensor on I2C."""

from __future__ import annotations

from ...core.frames import flags as F
from ...core.live.endpoint import Outgoing
from ...core.live.modbus.bank import RegisterBank
from ...core.protocols.byte_registers import NO_REGISTER
from ...core.protocols.modbus import address_of, address_parts
from ...core.protocols.spaces import Space
from .world import World

METER_UNIT = 1
SENSOR = 0x5A
_LAST_REGISTER = 0x1A
_VOLTS = (2304, 2297, 2311)


class ShoreMeter:
    """Answers Modbus requests about the power from the quay: unit 1, six input registers."""

    def __init__(self, world: World) -> None:
        self._world = world
        self._bank = RegisterBank(Space.INPUT, b"", 6, refresh=self._refresh)

    def _refresh(self, image: bytearray) -> None:
        amps = (830, 790, 805)
        swing = int(self._world.now_s * 3) % 7
        for number, value in enumerate((*_VOLTS, *amps)):
            image[2 * number : 2 * number + 2] = (value + swing).to_bytes(2, "big")

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return the answer to a request, None if it is for another unit, which answers nothing."""
        unit, function, register = address_parts(asked.address)
        if unit != METER_UNIT:
            return None
        made = self._bank.answer(bytes((function,)) + register.to_bytes(2, "big") + asked.payload)
        address = address_of(unit, function, register)
        if made[0] & 0x80:
            return Outgoing(made[1:], address, F.ANSWER | F.EXCEPTION)
        return Outgoing(made[2:], address, F.ANSWER)


class LevelSensor:
    """A device of byte registers: a write puts registers, a read gives as many as it asks for, past the end zeros."""

    def __init__(self, world: World) -> None:
        self._world = world
        self._registers = bytearray(_LAST_REGISTER + 1)
        self._registers[0x18:0x1B] = b"\x05\x0a\x0f"

    def answer(self, asked: Outgoing) -> Outgoing | None:
        """Return what a transfer reads, None for a write, and for another device, which acknowledges nothing."""
        device, first = asked.address >> 16 & 0xFFFF, asked.address & 0xFFFF
        if device != SENSOR or asked.address & NO_REGISTER:
            return None
        if not asked.flags & F.READ:
            for number, value in enumerate(asked.payload, first):
                if number <= _LAST_REGISTER:
                    self._registers[number] = value
            return None
        level = 142 + int(self._world.now_s * 2) % 5
        self._registers[0x10:0x14] = level.to_bytes(2, "big") + (364).to_bytes(2, "big")
        data = bytes(self._registers[first : first + len(asked.payload)])
        past = F.PAST_END if first + len(asked.payload) > _LAST_REGISTER + 1 else 0
        return Outgoing(data.ljust(len(asked.payload), b"\0"), asked.address, F.READ | past)
