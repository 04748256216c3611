"""A layout to begin with, for a kind of message that nobody has laid out."""

from __future__ import annotations

from dataclasses import replace

from ..frames.capture import Capture
from ..frames.flags import ANSWER
from ..layouts.model import Applies, Layout, RegisterMap, new_layout
from ..layouts.windows import window_of
from ..protocols.protocol import Exchange
from ..protocols.registry import protocol_named


def name_to_begin(capture: Capture, kind: int) -> str:
    """Return what a layout of a kind is called until somebody knows better: by its address, or by the device."""
    key = capture.kinds.keys[kind]
    lane = capture.lanes[key.lane]
    protocol = protocol_named(lane.protocol)
    exchange = protocol.exchange_of(key)
    if exchange is None:
        return f"Message {protocol.kind_text(key)}"
    called = f"{protocol.device_text(key) or lane.name} {exchange.space.words}"
    return called[:1].upper() + called[1:]


def layout_to_begin(capture: Capture, kind: int, name: str = "") -> Layout:
    """Return an empty layout that reads just this kind; of registers, a map of all that its device has in their space.

    Parameters
    ----------
    name
        Empty takes :func:`name_to_begin`.
    """
    key = capture.kinds.keys[kind]
    lane = capture.lanes[key.lane]
    size, exchange = capture.kind_size(kind), protocol_named(lane.protocol).exchange_of(key)
    name = name or name_to_begin(capture, kind)
    if exchange is None:
        applies = Applies(address=key.address, protocol=lane.protocol, extended=key.extended, lanes=(lane.name,))
        return new_layout(name, applies, size)
    registers = RegisterMap(device=exchange.device, space=exchange.space)
    applies = Applies(protocol=lane.protocol, lanes=(lane.name,))
    begun = new_layout(name, applies, _first_byte(exchange) + size, registers=registers)
    return window_of(begun, exchange.first, size)


def _first_byte(exchange: Exchange) -> int:
    return exchange.first * exchange.space.register_bits // 8


def kind_with_registers(capture: Capture, kind: int) -> int:
    """Return the other message of an exchange where registers are in that one: the answer of a request that asks.

    What carries registers itself, and what was never answered, is returned as it is.
    """
    key = capture.kinds.keys[kind]
    protocol = protocol_named(capture.lanes[key.lane].protocol)
    other = replace(key, flags=key.flags ^ ANSWER)
    if protocol.exchange_of(key) is not None or protocol.exchange_of(other) is None:
        return kind
    return next((number for number, one in enumerate(capture.kinds.keys) if one == other), kind)
