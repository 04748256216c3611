"""The registers of a device that is played: what they hold, and what happens behind the last one."""

from __future__ import annotations

import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from dataclasses import dataclass

from ..layouts.registers import PastEnd
from ..protocols.spaces import Space


class PastEndError(Exception):
    """Somebody asked for registers behind the last one, and the device refuses that."""


@dataclass(frozen=True, slots=True)
class Access:
    """What somebody did to a device.

    Attributes
    ----------
    is_write
    first, count
        Which registers; count 0 where the request could not be understood.
    refused
        What it was refused with, in words; empty if it was not.
    """

    is_write: bool
    first: int
    count: int
    refused: str = ""

    @property
    def words(self) -> str:
        """The access as a list says it."""
        way = "write" if self.is_write else "read"
        return f"{way} {self.count} from {self.first}" + (f", {self.refused}" if self.refused else "")


class DeviceRegisters:
    """The registers of one space, from number 0 on.

    Attributes
    ----------
    space, count, advances

    Parameters
    ----------
    space
        Registers of 16 bits, coils and inputs of one, or registers of a byte.
    image
        All registers as a map's places count them: two bytes each, high byte first; a byte each; or eight bits a byte,
        lowest first.
    count
        How many there are.
    past_end
        What becomes of an access that goes beyond them.
    advances
        Whether the second byte of an access belongs to the next register, or to the same one again.
    refresh
        Called before each access with the image, to bring values up to date that move by themselves.
    """

    def __init__(
        self, space: Space, image: bytes, count: int, *, past_end: PastEnd = PastEnd.REFUSE, advances: bool = True,
        refresh: Callable[[bytearray], None] | None = None,
    ) -> None:  # fmt: skip
        self.space = space
        self.count = count
        self._image = bytearray(image.ljust(-(-count * space.register_bits // 8), b"\0"))
        self._past_end = past_end
        self.advances = advances
        self._refresh = refresh
        self._lock = threading.Lock()

    @property
    def image(self) -> bytes:
        """All registers as they are now."""
        with self._lock:
            return bytes(self._image)

    @contextmanager
    def held(self) -> Iterator[DeviceRegisters]:
        """Bring values up to date and let nobody else in; everything one request reads and writes is of one moment."""
        with self._lock:
            if self._refresh is not None:
                self._refresh(self._image)
            yield self

    def read(self, first: int, count: int) -> list[int]:
        """Return what registers hold; 0 behind the last one where that is ignored.

        Raises
        ------
        PastEndError
            If it goes beyond them and that is refused.
        """
        return [0 if number is None else self._get(number) for number in self.numbers(first, count)]

    def write(self, first: int, values: list[int]) -> None:
        """Put registers; raises PastEndError as :meth:`read`, and nothing is written then."""
        for number, value in zip(self.numbers(first, len(values)), values, strict=True):
            if number is not None:
                self._put(number, value)

    def numbers(self, first: int, count: int) -> list[int | None]:
        """Return which registers an access means, one after the other, None for those that are not there."""
        wanted = [first + place if self.advances else first for place in range(count)]
        if not self.goes_past(first, count):
            return list(wanted)
        if self._past_end is PastEnd.REFUSE or not self.count:
            raise PastEndError
        if self._past_end is PastEnd.WRAP:
            return [number % self.count for number in wanted]
        return [number if number < self.count else None for number in wanted]

    def goes_past(self, first: int, count: int) -> bool:
        """Whether an access goes beyond the last register."""
        return first + (count if self.advances else min(count, 1)) > self.count

    def _get(self, number: int) -> int:
        bits = self.space.register_bits
        if bits == 1:
            return self._image[number // 8] >> number % 8 & 1
        return int.from_bytes(self._image[number * bits // 8 : (number + 1) * bits // 8], "big")

    def _put(self, number: int, value: int) -> None:
        bits = self.space.register_bits
        if bits == 1:
            at, bit = divmod(number, 8)
            self._image[at] = self._image[at] & ~(1 << bit) | value << bit
        else:
            self._image[number * bits // 8 : (number + 1) * bits // 8] = value.to_bytes(bits // 8, "big")
