"""The registers of a device that is played: what it answers to each request (Modbus Application Protocol V1.1b3)."""

from __future__ import annotations

import struct
import threading
from collections.abc import Callable
from dataclasses import dataclass

from ...protocols.spaces import Space
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
_COIL_WORDS = {0x0000: 0, 0xFF00: 1}


class _RefusalError(Exception):
    """A request that is answered with an exception."""

    def __init__(self, code: int) -> None:
        super().__init__(code)
        self.code = code


@dataclass(frozen=True, slots=True)
class Access:
    """What somebody did to a device.

    Attributes
    ----------
    function
        Of the request.
    first, count
        Which registers; count 0 where the request could not be understood.
    refused
        The exception it was answered with, 0 for none.
    """

    function: int
    first: int
    count: int
    refused: int = 0


class RegisterBank:
    """A device of one space of registers.

    Parameters
    ----------
    space
        Holding and input registers, coils or discrete inputs.
    image
        All registers from number 0 on, as a map's places count them: two bytes each, high byte first, or eight bits a
        byte, lowest first.
    count
        How many there are.
    refresh
        Called before each request with the image, to bring values up to date that move by themselves.
    seen
        Told of every access.
    """

    def __init__(
        self, space: Space, image: bytes, count: int, *,
        refresh: Callable[[bytearray], None] | None = None, seen: Callable[[Access], None] | None = None,
    ) -> None:  # fmt: skip
        self.space = space
        self.count = count
        self._image = bytearray(image.ljust(-(-count * space.register_bits // 8), b"\0"))
        self._refresh = refresh
        self._seen = seen
        self._lock = threading.Lock()

    @property
    def image(self) -> bytes:
        """All registers as they are now."""
        with self._lock:
            return bytes(self._image)

    def answer(self, request: bytes) -> bytes:
        """Return the answer to a request, function code first; an exception where it is refused.

        What a refused request would have written is not written.
        """
        function = request[0] if request else 0
        first = int.from_bytes(request[1:3], "big")
        count = int.from_bytes(request[3:5], "big")
        refused = 0
        with self._lock:
            try:
                if self._refresh is not None:
                    self._refresh(self._image)
                made = self._done(function, request)
            except _RefusalError as error:
                refused = error.code
                made = bytes((function | REFUSAL, refused))
        if self._seen is not None:
            self._seen(Access(function, first, 1 if function in (5, 6, 22) else count, refused))
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
        self._check(first, count, most_read(self.space))
        data = self._taken(first, count)
        return bytes((request[0], len(data))) + data

    def _write_one(self, request: bytes) -> bytes:
        first, value = _numbers(request, ">HH", exact=True)
        if self.space is Space.COILS:
            if value not in _COIL_WORDS:
                raise _RefusalError(ILLEGAL_VALUE)
            data = bytes((_COIL_WORDS[value],))
        else:
            data = request[3:5]
        self._check(first, 1, 1)
        self._put(first, 1, data)
        return request

    def _write(self, request: bytes) -> bytes:
        first, count, size = _numbers(request, ">HHB")
        data = request[6:]
        wanted = -(-count // 8) if self.space is Space.COILS else 2 * count
        if size != wanted or len(data) != size:
            raise _RefusalError(ILLEGAL_VALUE)
        self._check(first, count, MOST_WRITTEN_BITS if self.space is Space.COILS else MOST_WRITTEN_REGISTERS)
        self._put(first, count, data)
        return request[:5]

    def _mask(self, request: bytes) -> bytes:
        first, and_mask, or_mask = _numbers(request, ">HHH", exact=True)
        self._check(first, 1, 1)
        now = int.from_bytes(self._taken(first, 1), "big")
        self._put(first, 1, ((now & and_mask) | (or_mask & ~and_mask & 0xFFFF)).to_bytes(2, "big"))
        return request

    def _read_and_write(self, request: bytes) -> bytes:
        first, count, put_first, put_count, size = _numbers(request, ">HHHHB")
        data = request[10:]
        if size != 2 * put_count or len(data) != size:
            raise _RefusalError(ILLEGAL_VALUE)
        self._check(first, count, MOST_REGISTERS)
        self._check(put_first, put_count, _MOST_WRITTEN_WITH_READ)
        # the write comes first (6.17)
        self._put(put_first, put_count, data)
        taken = self._taken(first, count)
        return bytes((request[0], len(taken))) + taken

    def _check(self, first: int, count: int, most: int) -> None:
        if not 1 <= count <= most:
            raise _RefusalError(ILLEGAL_VALUE)
        if first + count > self.count:
            raise _RefusalError(ILLEGAL_ADDRESS)

    def _taken(self, first: int, count: int) -> bytes:
        if self.space.register_bits == 16:
            return bytes(self._image[2 * first : 2 * (first + count)])
        number = int.from_bytes(self._image, "little") >> first & ((1 << count) - 1)
        return number.to_bytes(-(-count // 8), "little")

    def _put(self, first: int, count: int, data: bytes) -> None:
        if self.space.register_bits == 16:
            self._image[2 * first : 2 * (first + count)] = data
            return
        for number in range(count):
            at, bit = divmod(first + number, 8)
            one = data[number // 8] >> number % 8 & 1
            self._image[at] = self._image[at] & ~(1 << bit) | one << bit


def _numbers(request: bytes, form: str, *, exact: bool = False) -> tuple[int, ...]:
    """Return the numbers behind the function code; a request that is shorter, or longer than it may be, is refused."""
    size = struct.calcsize(form)
    body = request[1:]
    if len(body) < size or (exact and len(body) != size):
        raise _RefusalError(ILLEGAL_VALUE)
    return struct.unpack_from(form, body)
