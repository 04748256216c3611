"""A unit of a Modbus server on a network: ``modbus://HOST:PORT/UNIT``."""

from __future__ import annotations

from ...errors import MisuseError
from ..address import EndpointAddress
from ..modbus.endpoint import ModbusEndpoint
from ..modbus.tcp import TcpClient
from ..registry import Opens

_HIGHEST_UNIT = 255


def unit_of(address: EndpointAddress, default: int = 1) -> int:
    """Return the unit that an address names; raises MisuseError if it is none."""
    if not address.place:
        return default
    if not address.place.isdecimal() or int(address.place) > _HIGHEST_UNIT:
        raise MisuseError(f"{address.place!r} is no unit from 0 to {_HIGHEST_UNIT}.", where=str(address))
    return int(address.place)


def _make(address: EndpointAddress) -> ModbusEndpoint:
    if not address.host:
        raise MisuseError("it names no host.", where=str(address), hint="Write modbus://127.0.0.1:502/1.")
    address.only("timeout", "listen")
    return ModbusEndpoint(address, TcpClient(address), unit_of(address))


OPENS = Opens("modbus", "modbus://127.0.0.1:502/1", _make)
