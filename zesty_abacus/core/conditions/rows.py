"""Frames of a kind that one layout reads, or none, with the facts that conditions ask for, each worked out once."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from functools import cached_property
from typing import Any
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import ArrayColumns, CheckColumn, CheckState, Decoded, FieldColumn
from ..codec.kinds import decode_frames
from ..frames import flags as F
from ..frames.capture import Capture
from ..frames.kind_key import KindKey
from ..frames.segment_frames import KindFrames
from ..layouts.model import Field, Layout
from ..protocols.registry import protocol_named
from ..reading.meaning import Meaning
from ..reading.readers import Reader

GOOD, BAD, NONE = range(3)
"""How the checks of a frame come out."""


class KindFacts:
    """What is the same in all frames of a kind."""

    def __init__(self, meaning: Meaning, kind: int) -> None:
        self.meaning = meaning
        self.kind = kind

    @property
    def capture(self) -> Capture:
        """The capture."""
        return self.meaning.capture

    @cached_property
    def key(self) -> KindKey:
        """Lane, address and flags."""
        return self.capture.kinds.keys[self.kind]

    @property
    def lane(self) -> str:
        """The name of the lane."""
        return self.capture.lanes[self.key.lane].name

    @cached_property
    def device(self) -> int:
        """Who is addressed."""
        return protocol_named(self.capture.lanes[self.key.lane].protocol).device_of(self.key)

    @cached_property
    def ways(self) -> frozenset[str]:
        """Which ways the frames go, where the lane has ways."""
        keys = [key for key in self.capture.kinds.keys if key.lane == self.key.lane]
        own = protocol_named(self.capture.lanes[self.key.lane].protocol).ways
        found = set()
        if "read" in own or any(key.flags & F.READ for key in keys):
            found.add("read" if self.key.flags & F.READ else "write")
        if "answer" in own or any(key.flags & F.ANSWER for key in keys):
            found.add("answer" if self.key.flags & F.ANSWER else "request")
        return frozenset(found)

    @property
    def link_checks(self) -> bool:
        """Whether the link itself carries a check that whoever recorded it has looked at."""
        return protocol_named(self.capture.lanes[self.key.lane].protocol).has_check


class Chunk:
    """Some frames of a kind, in order of time, whoever reads them.

    Attributes
    ----------
    facts
    rows : uint32 (n,)
    row_before
        The frame of the kind before the first of them, None if there is none.
    """

    def __init__(self, facts: KindFacts, rows: NDArray[np.uint32], row_before: int | None) -> None:
        self.facts = facts
        self.rows = rows
        self.row_before = row_before

    @cached_property
    def times(self) -> NDArray[np.int64]:
        """Time of each frame."""
        return self.facts.capture.frames.times(self.rows)

    @cached_property
    def before_ns(self) -> NDArray[np.int64]:
        """Time of the frame before of the kind; of the very first one its own."""
        first = self.times[:1]
        if self.row_before is not None:
            first = self.facts.capture.frames.times(np.array([self.row_before], np.uint32))
        return np.concatenate([first, self.times[:-1]])

    @cached_property
    def frames(self) -> KindFrames:
        """The frames with their payload."""
        return self.facts.capture.frames.gather(self.rows)


class Rows:
    """Some frames of a kind, in order of time, all read by one layout or by none.

    Attributes
    ----------
    chunk
    reader
        Who reads them, None if nobody does or nobody asks.
    memory
        What terms keep from the rows before of the same kind and reader.
    """

    def __init__(
        self, chunk: Chunk, reader: Reader | None, places: NDArray[np.int64] | None, memory: dict[object, Any]
    ) -> None:
        """Take some of a chunk.

        Parameters
        ----------
        places : int64 (n,)
            Which of its frames; None is all.
        """
        self.chunk = chunk
        self.reader = reader
        self._places = places
        self.memory = memory
        self._decoded: dict[UUID, FieldColumn] = {}

    def __len__(self) -> int:
        return len(self.rows)

    @property
    def facts(self) -> KindFacts:
        """What all frames of the kind have in common."""
        return self.chunk.facts

    @cached_property
    def rows(self) -> NDArray[np.uint32]:
        """Their numbers in the capture."""
        return self._mine(self.chunk.rows)

    @cached_property
    def times(self) -> NDArray[np.int64]:
        """Their times."""
        return self._mine(self.chunk.times)

    @cached_property
    def before_ns(self) -> NDArray[np.int64]:
        """Time of the frame before of the kind; of the very first one its own."""
        return self._mine(self.chunk.before_ns)

    @cached_property
    def is_first(self) -> NDArray[np.bool_]:
        """Whether there is no frame before."""
        first = np.zeros(len(self.chunk.rows), np.bool_)
        first[:1] = self.chunk.row_before is None
        return self._mine(first)

    def _mine(self, of_chunk: NDArray) -> NDArray:
        return of_chunk if self._places is None else of_chunk[self._places]

    @property
    def capture(self) -> Capture:
        """The capture."""
        return self.facts.capture

    @property
    def layout(self) -> Layout | None:
        """What the frames are read by, as the kind shows it."""
        return self.reader.shown if self.reader is not None else None

    @cached_property
    def flags(self) -> NDArray[np.uint32]:
        """Flags of each frame."""
        return self.capture.frames.flags(self.rows)

    @cached_property
    def sizes(self) -> NDArray[np.uint32]:
        """Payload bytes of each frame."""
        return self.capture.frames.sizes(self.rows)

    @cached_property
    def frames(self) -> KindFrames:
        """The frames with their payload."""
        return self.chunk.frames if self._places is None else self.chunk.frames.take(self._places)

    def field(self, name: str, message: str | None) -> Field | None:
        """Return the field of this name that is there once a frame, if the layout is that message and has it."""
        if self.reader is None or (message is not None and self.reader.layout.name != message):
            return None
        assert self.layout is not None
        return next((field for field in self.layout.once_a_frame() if field.name == name), None)

    def column(self, field: Field) -> FieldColumn:
        """Return the values of a field."""
        if field.id not in self._decoded:
            self._decoded[field.id] = self._decode([field.id])[field.id]
        return self._decoded[field.id]

    def array_with(self, names: Sequence[str], message: str | None) -> ArrayColumns | None:
        """Return the items of the array that has all of some fields; None if the layout has none."""
        if self.reader is None or (message is not None and self.reader.layout.name != message):
            return None
        assert self.layout is not None
        wanted = [field.id for field in inside_arrays(self.layout) if field.name in names]
        for array in self._decode(wanted).arrays.values() if wanted else ():
            if {column.field.name for column in array.columns.values()}.issuperset(names):
                return array
        return None

    def items_of(self, array: ArrayColumns) -> ItemRows:
        """Return the items of an array as rows of their own, each with the facts of its frame."""
        return ItemRows(self, array, array.frame if self._places is None else self._places[array.frame])

    @cached_property
    def checks(self) -> NDArray[np.uint8]:
        """How the checks of each frame come out: of the link, and those of the layout that make values invalid."""
        spoiling = [check for check in self.layout.checks if check.spoils] if self.layout is not None else []
        states = np.full(len(self), GOOD if self.facts.link_checks else NONE, np.uint8)
        if spoiling:
            found = self._decode([]).checks
            for check in spoiling:
                _take_over(states, found[check.id])
        # a flag that says so is a check that has been made, whatever else is known of the link
        states[(self.flags & F.BAD_CHECK) > 0] = BAD
        return states

    def _decode(self, only: Sequence[UUID]) -> Decoded:
        assert self.reader is not None
        return decode_frames(self.capture, self.facts.meaning.plan(self.reader), self.frames, only)


class ItemRows(Rows):
    """Items of an array in place of frames: what is asked of a frame is asked of each of them."""

    def __init__(self, around: Rows, array: ArrayColumns, places: NDArray[np.int64]) -> None:
        super().__init__(around.chunk, around.reader, places, around.memory)
        self._around = around
        self._array = array

    def field(self, name: str, message: str | None) -> Field | None:
        """Return the field of this name in the array; else the one that is there once a frame."""
        assert self.reader is not None, "what has arrays is read by somebody"
        if message is not None and self.reader.layout.name != message:
            return None
        mine = (column.field for column in self._array.columns.values())
        return next((one for one in mine if one.name == name), None) or self._around.field(name, message)

    def column(self, field: Field) -> FieldColumn:
        """Return the values of a field, one an item."""
        mine = self._array.columns.get(field.id)
        return self._around.column(field).take(self._array.frame) if mine is None else mine


def inside_arrays(layout: Layout) -> Iterator[Field]:
    """Yield the fields of a layout that may be there several times in a frame."""
    once = {field.id for field in layout.once_a_frame()}
    return (field for field in layout.all_fields() if field.id not in once)


def _take_over(states: NDArray[np.uint8], column: CheckColumn) -> None:
    states[(column.state == CheckState.AGREES) & (states == NONE)] = GOOD
    states[column.state == CheckState.DISAGREES] = BAD
