"""Modbus on a serial line (MODBUS over Serial Line V1.02): a CRC behind each unit, silence between them."""

from __future__ import annotations

import os
import select
import time

import numpy as np
import serial

from ...links.modbus_rtu import crc16
from ..address import EndpointAddress
from ..errors import LinkDownError
from ..serial_port import character_s, open_port
from .client import ModbusClient
from .errors import NoAnswerError, WrongAnswerError

LARGEST_UNIT = 256
SILENCE_CHARACTERS = 3.5
SHORTEST_SILENCE_S = 0.00175
"""Beyond 19 200 bit/s the silence no longer shrinks (2.5.1.1)."""
_GIVEN_UP_S = 0.05
"""A system hands bytes over in pieces: only after so long has a unit really broken off."""


def with_crc(unit: bytes) -> bytes:
    """Return a unit with its CRC, low byte first."""
    crc = int(crc16(np.frombuffer(unit, np.uint8), 0, len(unit)))
    return unit + bytes((crc & 0xFF, crc >> 8))


def has_good_crc(unit: bytes) -> bool:
    """Return whether the last two bytes of a unit are its CRC."""
    return len(unit) >= 4 and with_crc(unit[:-2]) == unit


def silence_s(address: EndpointAddress) -> float:
    """Return how long a line has to be still between two units."""
    return max(SILENCE_CHARACTERS * character_s(address), SHORTEST_SILENCE_S)


class RtuClient(ModbusClient):
    """The master of a serial line."""

    def __init__(self, address: EndpointAddress) -> None:
        super().__init__(address)
        self._silence_s = silence_s(address)
        self._character_s = character_s(address)
        self._port: serial.Serial | None = None

    def open(self) -> None:
        self.close()
        self._port = open_port(self.address)

    def close(self) -> None:
        if self._port is not None:
            self._port.close()
        self._port = None

    def exchange(self, unit: int, request: bytes) -> bytes:
        if self._port is None:
            raise LinkDownError("it is not connected.", where=str(self.address))
        try:
            # what still comes belongs to a request that was given up
            self._still()
            self._port.write(with_crc(bytes((unit,)) + request))
            return self._answer(unit, request[0], len(request) + 3)
        except (OSError, serial.SerialException) as error:
            self.close()
            why = getattr(error, "strerror", None) or error
            raise LinkDownError(f"the port is gone ({why}).", where=str(self.address)) from error

    def _still(self) -> None:
        while self._read(self._silence_s):
            pass

    def _answer(self, unit: int, function: int, sent: int) -> bytes:
        # the time allowed begins when the request has left the line
        until = time.monotonic() + self.timeout_s + sent * self._character_s
        got = b""
        while (wanted := _answer_size(got)) is None or len(got) < wanted:
            left = until - time.monotonic()
            piece = self._read(max(min(left, max(self._silence_s, _GIVEN_UP_S)) if got else left, 0))
            if not piece and (got or left <= 0):
                break
            got += piece
            if len(got) > LARGEST_UNIT:
                break
        if not got:
            raise NoAnswerError(f"unit {unit} does not answer within {self.timeout_s:g} s.", where=str(self.address))
        size = _answer_size(got)
        unit_bytes = got[:size] if size is not None else got
        if not has_good_crc(unit_bytes):
            raise WrongAnswerError("the answer is damaged: its CRC does not agree.", where=str(self.address))
        if unit_bytes[0] != unit:
            raise WrongAnswerError(f"unit {unit_bytes[0]} answers for unit {unit}.", where=str(self.address))
        return unit_bytes[1:-2]

    def _read(self, timeout_s: float) -> bytes:
        assert self._port is not None
        if not select.select([self._port.fileno()], [], [], timeout_s)[0]:
            return b""
        data = os.read(self._port.fileno(), LARGEST_UNIT)
        if not data:
            raise OSError(None, "it was unplugged")
        return data


def _answer_size(got: bytes) -> int | None:
    """Return how many bytes an answer has of which these are the first; None if that is not known yet, or never."""
    if len(got) < 3:
        return None
    function = got[1]
    if function & 0x80:
        return 5
    if function in (1, 2, 3, 4, 23):
        return 5 + got[2]
    return {5: 8, 6: 8, 15: 8, 16: 8, 22: 10}.get(function)


def request_size(got: bytes) -> int | None:
    """Return how many bytes a request has of which these are the first; None if that is not known yet, or never."""
    if len(got) < 2:
        return None
    function = got[1]
    if function in (15, 16):
        return 9 + got[6] if len(got) > 6 else None
    if function == 23:
        return 13 + got[10] if len(got) > 10 else None
    return {1: 8, 2: 8, 3: 8, 4: 8, 5: 8, 6: 8, 22: 10}.get(function)
