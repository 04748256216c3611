"""The registers of a device that is played: what it answers to each request (Modbus Application Protocol V1.1b3)."""

from __future__ import annotations

import struct
from collections.abc import Callable

from ...protocols.spaces import Space
from ..device_registers import Access, DeviceRegisters, PastEndError
from .errors import ILLEGAL_ADDRESS, ILLEGAL_FUNCTION, ILLEGAL_VALUE
from .requests import (
    MOST_REGISTERS,
    MOST_WRITTEN_BITS,
    MOST_WRITTEN_REGISTERS,
    READS,
    REFUSAL,
    most_read,
)

_MOST_WRITTEN_WITH_READ = 121
_OF_ONE = (5, 6, 22)
"""Functions that name one register, not how many."""
_COIL_WORDS = {0x0000: 0, 0xFF00: 1}


class _RefusalError(Exception):
    """A request that is answered with an exception."""

    def __init__(self, code: int) -> None:
        super().__init__(code)
        self.code = code


class RegisterBank:
    """What a Modbus device answers: registers of one space.

    Parameters
    ----------
    registers
    seen
        Told of every access.
    """

    def __init__(self, registers: DeviceRegisters, *, seen: Callable[[Access], None] | None = None) -> None:
        self.registers = registers
        self._seen = seen

    @property
    def space(self) -> Space:
        """Which registers they are."""
        return self.registers.space

    def answer(self, request: bytes) -> bytes:
        """Return the answer to a request, function code first; an exception where it is refused.

        What a refused request would have written is not written.
        """
        function = request[0] if request else 0
        refused = 0
        with self.registers.held():
            try:
                made = self._done(function, request)
            except PastEndError:
                refused = ILLEGAL_ADDRESS
            except _RefusalError as error:
                refused = error.code
        if refused:
            made = bytes((function | REFUSAL, refused))
        if self._seen is not None:
            self._seen(_access_of(function, request, refused))
        return made

    def _done(self, function: int, request: bytes) -> bytes:
        if function == READS[self.space]:
            return self._read(request)
        doing = {
            Space.HOLDING: {6: self._write_one, 16: self._write, 22: self._mask, 23: self._read_and_write},
            Space.COILS: {5: self._write_one, 15: self._write},
        }.get(self.space, {})  # fmt: skip
        if function not in doing:
            raise _RefusalError(ILLEGAL_FUNCTION)
        return doing[function](request)

    def _read(self, request: bytes) -> bytes:
        first, count = _numbers(request, ">HH", exact=True)
        _check_count(count, most_read(self.space))
        data = self._taken(first, count)
        return bytes((request[0], len(data))) + data

    def _write_one(self, request: bytes) -> bytes:
        first, value = _numbers(request, ">HH", exact=True)
        if self.space is Space.COILS:
            if value not in _COIL_WORDS:
                raise _RefusalError(ILLEGAL_VALUE)
            value = _COIL_WORDS[value]
        self.registers.write(first, [value])
        return request

    def _write(self, request: bytes) -> bytes:
        first, count, size = _numbers(request, ">HHB")
        data = request[6:]
        wanted = -(-count // 8) if self.space is Space.COILS else 2 * count
        if size != wanted or len(data) != size:
            raise _RefusalError(ILLEGAL_VALUE)
        _check_count(count, MOST_WRITTEN_BITS if self.space is Space.COILS else MOST_WRITTEN_REGISTERS)
        self._put(first, count, data)
        return request[:5]

    def _mask(self, request: bytes) -> bytes:
        first, and_mask, or_mask = _numbers(request, ">HHH", exact=True)
        [now] = self.registers.read(first, 1)
        self.registers.write(first, [(now & and_mask) | (or_mask & ~and_mask & 0xFFFF)])
        return request

    def _read_and_write(self, request: bytes) -> bytes:
        first, count, put_first, put_count, size = _numbers(request, ">HHHHB")
        data = request[10:]
        if size != 2 * put_count or len(data) != size:
            raise _RefusalError(ILLEGAL_VALUE)
        _check_count(count, MOST_REGISTERS)
        _check_count(put_count, _MOST_WRITTEN_WITH_READ)
        # what cannot be read must not have written anything
        self.registers.numbers(first, count)
        # the write comes first (6.17)
        self._put(put_first, put_count, data)
        taken = self._taken(first, count)
        return bytes((request[0], len(taken))) + taken

    def _taken(self, first: int, count: int) -> bytes:
        values = self.registers.read(first, count)
        if self.space.register_bits == 16:
            return struct.pack(f">{count}H", *values)
        return sum(value << place for place, value in enumerate(values)).to_bytes(-(-count // 8), "little")

    def _put(self, first: int, count: int, data: bytes) -> None:
        if self.space.register_bits == 16:
            self.registers.write(first, list(struct.unpack(f">{count}H", data)))
        else:
            self.registers.write(first, [data[place // 8] >> place % 8 & 1 for place in range(count)])


def _check_count(count: int, most: int) -> None:
    if not 1 <= count <= most:
        raise _RefusalError(ILLEGAL_VALUE)


def _access_of(function: int, request: bytes, refused: int) -> Access:
    first, count = int.from_bytes(request[1:3], "big"), int.from_bytes(request[3:5], "big")
    if function in _OF_ONE:
        count = 1
    return Access(function not in READS.values(), first, count, f"refused with {refused}" if refused else "")


def _numbers(request: bytes, form: str, *, exact: bool = False) -> tuple[int, ...]:
    """Return the numbers behind the function code; a request that is shorter, or longer than it may be, is refused."""
    size = struct.calcsize(form)
    body = request[1:]
    if len(body) < size or (exact and len(body) != size):
        raise _RefusalError(ILLEGAL_VALUE)
    return struct.unpack_from(form, body)
