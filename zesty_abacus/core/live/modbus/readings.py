"""What a poll brings as decoded values."""

from __future__ import annotations

import msgspec

from ...frames import flags as F
from ...frames.capture import Capture, Lane
from ...frames.table import FrameTable
from ...handover.block import AnyBlock
from ...handover.long_table import LONG_SCHEMA, long_table
from ...layouts.model import Layout
from ...protocols.modbus import NAME, address_of, address_parts
from ...reading.meaning import Meaning
from ..batch import Batch
from .blocks import space_of
from .requests import READS

SCHEMA = LONG_SCHEMA


class Readings:
    """Decodes the answers to a poll with the map that was polled.

    Parameters
    ----------
    layout
        It reads whatever unit and lane are polled: who polls a device with a map means that it is this device.
    """

    def __init__(self, layout: Layout, unit: int, lane: str) -> None:
        applies = msgspec.structs.replace(layout.applies, lanes=())
        registers = layout.registers
        if registers is not None:
            registers = msgspec.structs.replace(registers, device=unit)
        elif applies.address is not None:
            _, function, first = address_parts(applies.address)
            applies = msgspec.structs.replace(applies, address=address_of(unit, function, first))
        self._layout = msgspec.structs.replace(layout, applies=applies, registers=registers)
        self.lane, self._unit = lane, unit
        self._lanes = [Lane(lane, NAME, "Modbus")]

    def warm(self, first: int, count: int) -> None:
        """Decode an answer of zeros, so that the first real one does not wait for what is loaded once."""
        space = space_of(self._layout)
        address = address_of(self._unit, READS[space], first)
        batch = Batch()
        batch.add(0, bytes(-(-count * space.register_bits // 8)), address, F.ANSWER)
        self.of(batch.table())

    def of(self, table: FrameTable) -> list[AnyBlock]:
        """Return the rows of some exchanges; none where nothing was answered."""
        capture = Capture.from_table(table, self._lanes)
        meaning = Meaning.of(capture, [self._layout])
        if not any(kind.readers for kind in meaning.kinds):
            return []
        return list(long_table(meaning))
