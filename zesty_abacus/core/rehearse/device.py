"""A device that is played: the registers of a map, each field fed, and what others write kept."""

from __future__ import annotations

import time
from collections.abc import Callable, Mapping, Sequence
from fractions import Fraction

import msgspec

from ..codec.encode import put_bits, raw_of
from ..codec.messages import encode_message
from ..errors import MisuseError
from ..layouts.model import Field, Layout
from ..layouts.registers import RegisterMap
from ..live.device_registers import Access, DeviceRegisters
from ..live.device_server import DeviceServer
from ..live.endpoint import Endpoint
from ..live.hosting import HostedDevice, host_lane
from ..live.modbus.bank import RegisterBank
from ..live.modbus.blocks import end_of, first_of, space_of
from ..live.modbus.opening import server_of
from ..live.registry import lane_and_address
from ..protocols.spaces import Space
from .feeds import Feed

_USUAL_UNIT = 1


def registers_of(
    layout: Layout, feeds: Mapping[str, Feed], *, clock: Callable[[], float] = time.monotonic
) -> DeviceRegisters:
    """Return the registers of a map, with values that move by themselves where a feed does.

    Fields that are not fed are 0, and stay what somebody writes. A field whose feed moves is what it gives at the
    moment of a request, whatever was written.

    Parameters
    ----------
    clock
        Seconds; feeds begin when the registers are made.

    Raises
    ------
    MisuseError
        If the layout is no map of registers, has no such field, or a value does not fit.
    """
    space = Space.BYTES if is_of_bytes(layout) else space_of(layout)
    count, first = end_of(layout), first_of(layout)
    if not count:
        raise MisuseError("it has no registers.", where=layout.name)
    fields = {field.name: field for field in layout.fields}
    unknown = next((name for name in feeds if name not in fields), None)
    if unknown is not None:
        raise MisuseError(f"there is no field {unknown!r}.", where=layout.name, hint=f"It has {', '.join(fields)}.")
    begin = clock()
    shift = first * space.register_bits // 8
    still = {name: feed for name, feed in feeds.items() if not feed.moves}
    moving = {name: feed for name, feed in feeds.items() if feed.moves}
    plain = msgspec.structs.replace(layout, size=max(layout.size, -(-count * space.register_bits // 8) - shift))
    given = {name: feed.value(0.0, 0, {}) for name, feed in still.items()}
    image = bytes(shift) + encode_message(plain, given).payload
    order = [(fields[name], feed) for name, feed in moving.items()]
    asked = 0

    def refresh(data: bytearray) -> None:
        nonlocal asked
        _put_values(data, order, clock() - begin, asked, shift, _numbers(given))
        asked += 1

    if order:
        refresh(bytearray(image))  # a value that does not fit is told before anybody asks
    asked_for = layout.registers or RegisterMap()
    return DeviceRegisters(
        space, image, count, past_end=asked_for.past_end, advances=asked_for.advances,
        refresh=refresh if order else None,
    )  # fmt: skip


def is_of_bytes(layout: Layout) -> bool:
    """Whether a map is of registers of a byte, as devices on I2C and SPI have them."""
    return layout.registers is not None and layout.registers.space is Space.BYTES


def device_of(
    layout: Layout, feeds: Mapping[str, Feed], text: str, *, seen: Callable[[Access], None] | None = None,
    connected: Sequence[Endpoint] = (),
) -> DeviceServer:  # fmt: skip
    """Return the device of a map, ready to be opened at an endpoint.

    Parameters
    ----------
    text
        An endpoint of Modbus; for registers of a byte a lane of a connected endpoint, or ``[LANE=]bench:yuzu``.
    seen
        Told of every access.
    connected
        Endpoints that are open already.

    Raises
    ------
    MisuseError
        As :func:`registers_of`, or if no such device can be played there.
    """
    registers = registers_of(layout, feeds)
    number = layout.registers.device if layout.registers is not None else None
    if is_of_bytes(layout):
        host, lane, is_ours = host_lane(text, layout.applies.lanes, connected)
        return HostedDevice(host, lane, number or 0, registers, seen=seen, is_ours=is_ours)
    unit = _USUAL_UNIT if number is None else number
    return server_of(lane_and_address(text)[1], unit, RegisterBank(registers, seen=seen))


def _put_values(
    data: bytearray, order: list[tuple[Field, Feed]], time_s: float, number: int, shift: int,
    known: dict[str, Fraction],
) -> None:  # fmt: skip
    for field, feed in order:
        value = feed.value(time_s, number, known)
        raw, _ = raw_of(field, value)
        part = bytearray(data[shift:])
        put_bits(part, field, raw)
        data[shift:] = part
        known |= _numbers({field.name: value})


def _numbers(values: Mapping[str, object]) -> dict[str, Fraction]:
    made = {}
    for name, value in values.items():
        try:
            made[name] = Fraction(str(value))
        except (ValueError, TypeError):
            continue  # a name of a value or a text
    return made
