"""Writes fields of a register map, and reads them back."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

import msgspec

from ...codec.encode import Value, put_bits, raw_of
from ...errors import MisuseError
from ...layouts.model import Field, Layout
from ...layouts.places import Places
from ...protocols.spaces import Space
from ..errors import EndpointError
from .blocks import end_of, space_of
from .endpoint import ModbusEndpoint
from .requests import read_request, write_request

_WRITTEN = (Space.HOLDING, Space.COILS)


@dataclass(frozen=True, slots=True)
class Written:
    """Registers that were written: the first, how many, and the bytes."""

    first: int
    count: int
    data: bytes


def write_fields(endpoint: ModbusEndpoint, layout: Layout, values: Mapping[str, Value]) -> list[Written]:
    """Write fields, each in one request, and read each back.

    Registers that a field shares with others are read first, so that the others stay as they are.

    Raises
    ------
    MisuseError
        If the map takes no writes, has no such field, or a value does not fit; nothing is written then.
    EndpointError
        If the device refuses, does not answer, or holds something else afterwards.
    """
    space = space_of(layout)
    if layout.registers is None or space not in _WRITTEN:
        raise MisuseError(f"{space.words} cannot be written.", where=layout.name)
    fields = {field.name: field for field in layout.fields}
    unknown = next((name for name in values if name not in fields), None)
    if unknown is not None:
        raise MisuseError(f"there is no field {unknown!r}.", where=layout.name, hint=f"It has {', '.join(fields)}.")
    raws = [(fields[name], raw_of(fields[name], value)[0]) for name, value in values.items()]
    return [_write(endpoint, space, field, raw, end_of(layout)) for field, raw in raws]


def _write(endpoint: ModbusEndpoint, space: Space, field: Field, raw: int, end: int) -> Written:
    bits = space.register_bits
    places = field.places.bits
    first, last = min(places) // bits, max(places) // bits + 1
    if last > end:
        raise MisuseError(f"it goes past the end of the {end} registers.", where=field.name)
    count = last - first
    size = -(-count * bits // 8)
    shift = first * bits
    data = bytearray(size)
    if len(set(places)) < count * bits:
        data = bytearray(endpoint.ask(read_request(space, first, count)))
    moved = _moved(field, shift)
    put_bits(data, moved, raw)
    wanted = bytes(data)
    endpoint.ask(write_request(space, first, count, wanted))
    back = endpoint.ask(read_request(space, first, count))
    if back != wanted:
        raise EndpointError(
            f"{field.name} was written as {wanted.hex(' ').upper()}, and the device holds {back.hex(' ').upper()}.",
            where=str(endpoint.address),
        )
    return Written(first, count, wanted)


def _moved(field: Field, shift: int) -> Field:
    """Return a field with its places counted from the first register that is written."""
    return msgspec.structs.replace(field, places=Places(bit - shift for bit in field.places.bits))
