"""Framings backwards: frames become the bytes, the bits or the transfers that a framing would make them of."""

from __future__ import annotations

import re
from collections.abc import Callable, Sequence
from typing import Any

import numpy as np

from ..frames import flags as F
from ..links.bursts import BurstFraming
from ..links.framing import Framing
from ..links.hdlc import HdlcFraming, fcs16
from ..links.lin import LinFraming
from ..links.modbus_rtu import ModbusRtuFraming, crc16
from ..links.registers import RegisterFraming
from ..links.telegrams import CodeFraming, GapFraming, LengthFraming, LineEndFraming, SentenceFraming
from ..protocols.byte_registers import NO_REGISTER
from ..protocols.modbus import address_parts
from .errors import DrawError
from .parts import Burst, Drawn, DrawnFrame, Telegram, bits_of, telegram_of

_VOTED_REPEATS = 3
_FLAG = (0, 1, 1, 1, 1, 1, 1, 0)
_FLAGS_BEFORE, _FLAGS_BEHIND = 8, 4
"""Scrambled, the last bits may be ones that no change shows: more flags stand behind a packet than the one it needs."""
_READS = (1, 2, 3, 4)
_WRITES_MANY = (15, 16)
_ECHOES = (5, 6, 15, 16)


def unframed(framing: Framing | None, gives: str, frames: Sequence[DrawnFrame]) -> Drawn:
    """Return what a line code has to draw so that a framing makes these frames of it.

    Parameters
    ----------
    gives
        What the line code gives: ``frames``, ``bytes`` or ``bits``.

    Raises
    ------
    DrawError
        If a framing cannot be gone backwards, or not with such a frame.
    """
    if framing is None:
        plain: dict[str, Callable[[Sequence[DrawnFrame]], Drawn]] = {
            "bytes": lambda some: [telegram_of(one) for one in some],
            "bits": lambda some: [_burst(BurstFraming(vote=False), one) for one in some],
        }
        return plain.get(gives, list)(frames)
    way = _WAYS.get(type(framing))
    if way is None:
        raise DrawError("frames that are put together in this way can be read, and not be written.")
    return way(framing, frames)


def _as_they_are(_framing: Framing, frames: Sequence[DrawnFrame]) -> Drawn:
    return [telegram_of(one) for one in frames]


def _lines(_framing: LineEndFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    return [telegram_of(one, one.payload + b"\r\n") for one in frames]


def _sentences(_framing: SentenceFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    # a sentence is kept with its check; the line end behind it belongs to none
    return [telegram_of(one, one.payload + b"\r\n") for one in frames]


def _burst(framing: BurstFraming, one: DrawnFrame) -> Burst:
    count = one.address or len(one.payload) * 8
    sync = tuple(int(bit) for bit in re.findall("[01]", framing.sync))
    repeats = _VOTED_REPEATS if one.has(F.VOTED) else 1
    return Burst(one.time_ns, (*sync, *bits_of(one.payload, count)), one.words, repeats)


def _bursts(framing: BurstFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    return [_burst(framing, one) for one in frames]


def _hdlc(_framing: HdlcFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    made: list[Burst] = []
    for one in frames:
        check = int(fcs16(np.frombuffer(one.payload, np.uint8), 0, len(one.payload)))
        check ^= 1 if one.has(F.BAD_CHECK) else 0
        bits: list[int] = []
        ones = 0
        for byte in (*one.payload, check & 0xFF, check >> 8):
            for place in range(8):
                bit = byte >> place & 1
                bits.append(bit)
                ones = ones + 1 if bit else 0
                if ones == 5:
                    bits.append(0)
                    ones = 0
        made.append(Burst(one.time_ns, (*_FLAG * _FLAGS_BEFORE, *bits, *_FLAG * _FLAGS_BEHIND), one.words))
    return made


def _lin(framing: LinFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    made = []
    for one in frames:
        bit = [one.address >> n & 1 for n in range(6)]
        first = bit[0] ^ bit[1] ^ bit[2] ^ bit[4]
        second = 1 ^ bit[1] ^ bit[3] ^ bit[4] ^ bit[5]
        head = (one.address & 0x3F | first << 6 | second << 7) ^ (0x40 if one.has(F.PARITY) else 0)
        data = [0, 0x55 if not one.has(F.FRAMING) else 0x54, head]
        if not one.has(F.UNANSWERED):
            classic = framing.checksum == "classic" or one.address >= 0x3C
            total = sum(one.payload) + (0 if classic else head)
            check = 0xFF - ((total - 1) % 0xFF + 1 if total else 0)
            data += [*one.payload, check ^ (1 if one.has(F.BAD_CHECK) else 0)]
        made.append(Telegram(one.time_ns, tuple(data), 0, one.words, has_break=True))
    return made


def _registers(framing: RegisterFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    """A write names the register it begins with; a read goes on from where the write before it said."""
    made = []
    for one in frames:
        device, register = one.address >> 16 & 0xFFFF, one.address & 0xFFFF
        data = one.payload
        if not one.has(F.READ) and not one.address & NO_REGISTER:
            data = register.to_bytes(framing.pointer_bytes, "big") + data
        made.append(DrawnFrame(one.time_ns, device, one.flags & ~F.PAST_END, data))
    return made


def _modbus(_framing: ModbusRtuFraming, frames: Sequence[DrawnFrame]) -> Drawn:
    made = []
    for place, one in enumerate(frames):
        unit = bytes((address_parts(one.address)[0],)) + _unit(frames, place)
        made.append(telegram_of(one, unit + _crc(unit, wrong=one.has(F.BAD_CHECK))))
    return made


def _unit(frames: Sequence[DrawnFrame], place: int) -> bytes:
    """Return a request or an answer, function code first."""
    one = frames[place]
    _, function, register = address_parts(one.address)
    head, at = bytes((function,)), register.to_bytes(2, "big")
    if one.has(F.EXCEPTION):
        return bytes((function | 0x80,)) + one.payload
    if one.has(F.ANSWER):
        if function in (*_READS, 23):
            return head + bytes((len(one.payload),)) + one.payload
        return head + at + one.payload
    if function in _WRITES_MANY:
        # how many there are is said by the answer; coils may be fewer than their bytes hold
        echo = next((later for later in frames[place + 1 :] if later.address == one.address), None)
        known = echo is not None and echo.has(F.ANSWER) and not echo.has(F.EXCEPTION) and len(echo.payload) == 2
        count = echo.payload if known and echo is not None else _count(function, one.payload)
        return head + at + count + bytes((len(one.payload),)) + one.payload
    if function in (*_READS, *_ECHOES, 22):
        return head + at + one.payload
    raise DrawError(f"function {function} is not written.", where=one.words)


def _count(function: int, data: bytes) -> bytes:
    return (len(data) // 2 if function == 16 else len(data) * 8).to_bytes(2, "big")


def _crc(unit: bytes, *, wrong: bool) -> bytes:
    crc = int(crc16(np.frombuffer(unit, np.uint8), 0, len(unit))) ^ (1 if wrong else 0)
    return bytes((crc & 0xFF, crc >> 8))


_WAYS: dict[type[Framing], Callable[[Any, Sequence[DrawnFrame]], Drawn]] = {
    GapFraming: _as_they_are, LengthFraming: _as_they_are, CodeFraming: _as_they_are, LineEndFraming: _lines,
    SentenceFraming: _sentences, BurstFraming: _bursts, HdlcFraming: _hdlc, LinFraming: _lin,
    RegisterFraming: _registers, ModbusRtuFraming: _modbus,
}  # fmt: skip
