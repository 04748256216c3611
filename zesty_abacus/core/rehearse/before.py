"""What is worth a sentence before something is sent."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping
from itertools import combinations

from ..codec.encode import Value
from ..codec.messages import encode_message
from ..errors import MisuseError
from ..frames import flags as F
from ..layouts.model import Layout
from ..layouts.numbers import format_exact
from ..protocols import can
from ..words import counted
from .message import OutgoingMessage

_CAN_OVERHEAD, _CAN_LONG_OVERHEAD = 47, 67
_STUFFED = 1.2
"""Bits of a frame besides its data, and how many more stuffing makes of them at the most usual."""
_FULL = 0.7
"""Above this load frames of low priority wait long."""


def before_sending(
    message: OutgoingMessage, *, heard: Mapping[tuple[int, bool], str] | None = None, every_s: float | None = None,
    load: float = 0.0, bit_rate: int | None = None,
) -> Iterator[str]:  # fmt: skip
    """Say what may go wrong when a message is sent.

    Parameters
    ----------
    heard
        Identifiers that others send on the lane, as (address, is extended), with what they are called; empty where
        nobody knows.
    every_s
        Its period, if it goes out again and again.
    load
        What is on the line already, as a part of what it carries.
    bit_rate
        Of the line, in bit/s.
    """
    layout = message.layout
    yield from _overlaps(layout)
    try:
        values = message.values(0.0, 0)
        # what moves passes over steps all the time, and nobody typed the value of this moment
        typed = {name for name in values if not message.feeds[name].moves}
        yield from _losses(layout, values, typed)
        frame = message.frame(0, 0.0)
    except MisuseError as error:
        yield str(error)
        return
    sender = (heard or {}).get((frame.address, bool(frame.flags & F.EXTENDED)))
    if sender is not None and layout.applies.protocol == can.NAME:
        yield f"{sender or 'somebody else'} sends {layout.applies.address_text()}, too; two senders collide."
    if layout.size and len(frame.payload) < layout.size:
        yield f"it has {counted(len(frame.payload), 'byte')}, and {layout.size} are meant."
    if every_s and bit_rate and layout.applies.protocol == can.NAME:
        overhead = _CAN_LONG_OVERHEAD if frame.flags & (F.EXTENDED | F.LONG) else _CAN_OVERHEAD
        more = (overhead + 8 * len(frame.payload)) * _STUFFED / every_s / bit_rate
        if load + more > _FULL:
            yield f"the line would be {load + more:.0%} full, {more:.0%} of it by this message."


def _overlaps(layout: Layout) -> Iterator[str]:
    for one, other in combinations(layout.fields, 2):
        if one.selected is None and other.selected is None and set(one.places.bits) & set(other.places.bits):
            yield f"{one.name} and {other.name} share bits; the later one is written over the other."


def _losses(layout: Layout, values: Mapping[str, Value], typed: Collection[str]) -> Iterator[str]:
    encoded = encode_message(layout, values)
    for name, loss in encoded.losses.items():
        if name not in typed:
            continue
        field = next((field for field in layout.fields if field.name == name), None)
        unit = f" {field.unit}" if field is not None and field.unit else ""
        step = f": a step is {format_exact(field.ratio)}{unit}" if field is not None and not field.is_curved else ""
        yield f"{name} is off by {format_exact(abs(loss))}{unit}{step}."
    for field in layout.fields:
        value = values.get(field.name)
        if value is None or not isinstance(value, int | float | str) or field.names:
            continue
        try:
            number = float(value)
        except ValueError:
            continue
        if (field.low is not None and number < field.low) or (field.high is not None and number > field.high):
            yield f"{field.name} is outside its limits."
