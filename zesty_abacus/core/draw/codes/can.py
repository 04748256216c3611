"""CAN drawn (ISO 11898-1:2015): classic frames and those with flexible data rate; the line rests at 1."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from ...frames import flags as F
from ...lines.can_wave import CanLine
from ...protocols.can import CRC_15, CRC_17, CRC_21, DATA_SIZES, MOST_OF_CRC_17
from ..drawing import Drawing
from ..errors import DrawError
from ..parts import DrawnFrame
from ..registry import Draws

RATE = 500_000.0
_TIMES_FASTER, _SWITCH_POINT = 4, 0.8
_END_BITS, _PAUSE_BITS = 7, 3


def draw(settings: CanLine, frames: Sequence[DrawnFrame]) -> Drawing:
    """Return the line; error frames are refused, and lengths that long frames cannot have."""
    bit_ns = 1e9 / (settings.rate or RATE)
    fast_ns = 1e9 / settings.data_rate if settings.data_rate else bit_ns / _TIMES_FASTER
    turned = 1 if settings.inverted else 0
    line = Drawing(line=1 ^ turned)
    for frame in frames:
        _refuse(frame)
        line.begin_at(frame.time_ns, frame.words)
        for bit, slow in _bits_by_rate(frame, settings.switch_point or _SWITCH_POINT):
            line.set(line=bit ^ turned)
            line.wait(slow * bit_ns + (1 - slow) * fast_ns)
    line.wait(30 * bit_ns)
    return line


def _refuse(frame: DrawnFrame) -> None:
    if frame.has(F.ERROR):
        raise DrawError("only data and remote frames are drawn, no errors.", where=frame.words)
    if frame.has(F.LONG) and frame.has(F.REMOTE):
        raise DrawError("a long frame asks for no data.", where=frame.words)
    if len(frame.payload) not in (DATA_SIZES if frame.has(F.LONG) else range(9)):
        kind = (
            "long frame has 0 to 8, 12, 16, 20, 24, 32, 48 or 64" if frame.has(F.LONG) else "classic frame has 0 to 8"
        )
        raise DrawError(f"a {kind} bytes, not {len(frame.payload)}.", where=frame.words)


def _bits_by_rate(frame: DrawnFrame, switch_point: float) -> Iterator[tuple[int, float]]:
    """Yield each bit and the share of it that runs at the slow rate: all, none, or a part where the rate changes."""
    if not frame.has(F.LONG):
        yield from ((bit, 1) for bit in _classic(frame))
    else:
        slow, fast = _long(frame)
        switches = frame.has(F.RATE_SWITCH)
        yield from ((bit, 1) for bit in slow[:-1])
        yield slow[-1], switch_point if switches else 1
        yield from ((bit, 0 if switches else 1) for bit in fast)
        # the delimiter of the CRC is begun fast and ended slowly
        yield 1, 1 - switch_point if switches else 1
    yield int(frame.has(F.REFUSED)), 1
    yield from ((1, 1) for _ in range(1 + _END_BITS + _PAUSE_BITS))


def _named(frame: DrawnFrame, remote: int) -> list[int]:
    """Return start bit, identifier, and whether data are asked for."""
    if frame.has(F.EXTENDED):
        return [0, *_number(frame.address >> 18, 11), 1, 1, *_number(frame.address & 0x3FFFF, 18), remote]
    return [0, *_number(frame.address, 11), remote, 0]


def _content(frame: DrawnFrame) -> list[int]:
    return [bit for byte in frame.payload for bit in _number(byte, 8)]


def _classic(frame: DrawnFrame) -> list[int]:
    """Return a classic frame up to the delimiter of its CRC."""
    reserved = [0, 0] if frame.has(F.EXTENDED) else [0]
    bits = [*_named(frame, int(frame.has(F.REMOTE))), *reserved, *_number(len(frame.payload), 4), *_content(frame)]
    return [*_stuffed([*bits, *_check(frame, CRC_15, bits)]), 1]


def _long(frame: DrawnFrame) -> tuple[list[int], list[int]]:
    """Return a long frame up to the bit that changes the rate, and from there up to the delimiter of its CRC."""
    head = [*_named(frame, 0), 1, 0, int(frame.has(F.RATE_SWITCH))]
    rest = [int(frame.has(F.ERROR_PASSIVE)), *_number(DATA_SIZES.index(len(frame.payload)), 4), *_content(frame)]
    # of the last bit none follows: the check begins with a stuff bit of its own
    bits = _stuffed([*head, *rest], at_end=False)
    count = len(bits) - len(head) - len(rest) & 7
    gray = count ^ count >> 1
    counted = [*_number(gray, 3), gray.bit_count() & 1]
    form = CRC_17 if len(frame.payload) <= MOST_OF_CRC_17 else CRC_21
    check = [*counted, *_check(frame, form, [*bits, *counted])]
    slow = len(_stuffed(head, at_end=False))
    for place in range(0, len(check), 4):
        bits += [1 - bits[-1], *check[place : place + 4]]
    return bits[:slow], bits[slow:]


def _check(frame: DrawnFrame, form: tuple[int, int, int], bits: Sequence[int]) -> list[int]:
    """Return the CRC over bits; with its last bit turned round where it is to be bad."""
    width, polynomial, crc = form
    for bit in bits:
        top = crc >> (width - 1) & 1
        crc = (crc << 1 ^ (polynomial if bit ^ top else 0)) & ((1 << width) - 1)
    return _number(crc ^ (1 if frame.has(F.BAD_CHECK) else 0), width)


def _number(value: int, bits: int) -> list[int]:
    return [value >> (bits - 1 - n) & 1 for n in range(bits)]


def _stuffed(bits: Sequence[int], *, at_end: bool = True) -> list[int]:
    made: list[int] = []
    run, last = 0, -1
    for place, bit in enumerate(bits):
        run = run + 1 if bit == last else 1
        made.append(bit)
        last = bit
        if run == 5 and (at_end or place + 1 < len(bits)):
            last, run = 1 - bit, 1
            made.append(last)
    return made


DRAWS = Draws(CanLine, draw)
