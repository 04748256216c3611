"""Serial ports, opened as an endpoint says."""

from __future__ import annotations

import serial

from .address import EndpointAddress
from .errors import EndpointError

PORT_OPTIONS = ("baud", "parity", "bits", "stop", "flow")
_WRITE_S = 5.0


def open_port(address: EndpointAddress) -> serial.Serial:
    """Return an open port: ``baud`` (9600), ``parity`` (N, E, O, M, S), ``bits`` (8), ``stop`` (1), ``flow``.

    Raises
    ------
    MisuseError
        If an option makes no sense.
    EndpointError
        If the port is not there or taken.
    """
    baud = int(address.number("baud", 9600, 1, 1e8))
    parity = address.word("parity", "N", "N", "E", "O", "M", "S")
    bits = int(address.word("bits", "8", "5", "6", "7", "8"))
    stop = float(address.word("stop", "1", "1", "1.5", "2"))
    flow = address.word("flow", "none", "none", "rtscts", "xonxoff")
    try:
        return serial.Serial(
            address.place, baud, bits, parity, int(stop) if stop.is_integer() else stop, timeout=0,
            write_timeout=_WRITE_S, rtscts=flow == "rtscts", xonxoff=flow == "xonxoff",
        )  # fmt: skip
    except (OSError, ValueError, serial.SerialException) as error:
        raise EndpointError(
            f"the port cannot be opened ({getattr(error, 'strerror', None) or error}).", where=str(address)
        ) from error


def character_s(address: EndpointAddress) -> float:
    """Return how long a character is on the line: start, data, parity and stop bits."""
    baud = address.number("baud", 9600, 1, 1e8)
    bits = 1 + int(address.options.get("bits", "8")) + (address.options.get("parity", "N") != "N")
    return (bits + float(address.options.get("stop", "1"))) / baud
