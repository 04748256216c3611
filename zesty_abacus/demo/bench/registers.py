"""The register devices of the bench: the shore meter on Modbus, the level sensor on I2C, the load cell on SPI."""

from __future__ import annotations

from ...core.frames import flags as F
from ...core.layouts.registers import PastEnd
from ...core.live.byte_device import I2cDevice, SpiDevice
from ...core.live.device_registers import DeviceRegisters
from ...core.live.endpoint import Outgoing
from ...core.live.modbus.bank import RegisterBank
from ...core.protocols.modbus import address_of, address_parts
from ...core.protocols.spaces import Space
from .world import World

METER_UNIT = 1
SENSOR = 0x5A
SENSOR_LAST = 0x1A
CELL_READY, CELL_LOAD = 0x80, 0x21
_CELL_STEPS = 8000
"""Numbers to a kilonewton."""
_VOLTS = (2304, 2297, 2311)


class ShoreMeter:
    """Answers Modbus requests about the power from the quay: unit 1, six input registers."""

    def __init__(self, world: World) -> None:
        self._world = world
        self._bank = RegisterBank(DeviceRegisters(Space.INPUT, b"", 6, refresh=self._refresh))

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


def level_sensor(world: World) -> I2cDevice:
    """Return the level sensor of the bilge on I2C."""

    def refresh(image: bytearray) -> None:
        level = 142 + int(world.now_s * 2) % 5
        image[0x10:0x14] = level.to_bytes(2, "big") + (364).to_bytes(2, "big")

    image = bytes(0x18) + b"\x05\x0a\x0f"
    registers = DeviceRegisters(Space.BYTES, image, SENSOR_LAST + 1, past_end=PastEnd.IGNORE, refresh=refresh)
    return I2cDevice(SENSOR, registers)


def load_cell(world: World) -> SpiDevice:
    """Return the load cell of the winch on SPI: a status with a sequence, and the pull behind the command for it."""
    asked = 0

    def refresh(image: bytearray) -> None:
        nonlocal asked
        asked += 1
        image[0] = CELL_READY | asked & 0x0F
        image[CELL_LOAD : CELL_LOAD + 3] = (round(world.pull_kn * _CELL_STEPS) & 0xFFFFFF).to_bytes(3, "big")

    return SpiDevice(0, DeviceRegisters(Space.BYTES, b"", CELL_LOAD + 3, past_end=PastEnd.IGNORE, refresh=refresh))
