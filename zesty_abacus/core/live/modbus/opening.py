"""Endpoints as clients and servers of Modbus, whatever carries it."""

from __future__ import annotations

from collections.abc import Callable

from ...errors import MisuseError
from ..address import EndpointAddress, parse_endpoint
from ..endpoints.modbus import unit_of
from ..registry import endpoint_of
from ..serial_port import PORT_OPTIONS
from .bank import RegisterBank
from .endpoint import ModbusEndpoint
from .server import ModbusServer, RtuServer, TcpServer

_SERIAL_UNIT = 247


def client_of(text: str, default_unit: int) -> ModbusEndpoint:
    """Return the Modbus device that an endpoint names; ``default_unit`` where it names none.

    Raises
    ------
    MisuseError
        If it is no endpoint of Modbus.
    """
    made = endpoint_of(text)
    if not isinstance(made, ModbusEndpoint):
        raise MisuseError(
            "it does not speak Modbus.", where=text,
            hint="Write modbus://HOST:PORT/UNIT, or serial:PATH?baud=19200&speak=modbus&unit=1.",
        )  # fmt: skip
    if not _names_unit(made.address):
        made.unit = default_unit
    return made


def _names_unit(address: EndpointAddress) -> bool:
    return bool(address.place) if address.scheme == "modbus" else "unit" in address.options


def server_of(text: str, default_unit: int, bank: RegisterBank) -> ModbusServer:
    """Return the server of a bank at an endpoint; raises as :func:`client_of`."""
    address = parse_endpoint(text)
    make: Callable[[EndpointAddress, int, RegisterBank], ModbusServer]
    if address.scheme == "modbus":
        if not address.host:
            raise MisuseError("it names no host.", where=text, hint="Write modbus://127.0.0.1:502/1.")
        address.only("listen", "timeout")
        unit, make = unit_of(address, default_unit), TcpServer
    elif address.scheme == "serial" and address.word("speak", "modbus", "modbus"):
        address.only(*PORT_OPTIONS, "speak", "unit", "timeout")
        unit, make = int(address.number("unit", default_unit, 0, _SERIAL_UNIT)), RtuServer
    else:
        raise MisuseError("a device is served over Modbus.", where=text, hint="Write modbus://127.0.0.1:502/1.")
    return make(address, unit, bank)
