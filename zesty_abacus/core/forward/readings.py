"""Good values of frames as readings: one a frame, in order of time."""

from __future__ import annotations

import json
import math
from collections.abc import Iterator
from dataclasses import dataclass, field

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded, FieldColumn, Validity
from ..handover.decoded_parts import decoded_parts
from ..reading.meaning import Meaning
from .wanted import Wanted

Value = float | int | str


@dataclass(frozen=True, slots=True)
class Reading:
    """What one frame says.

    Attributes
    ----------
    time_ns
        Of the frame, on the clock of the capture.
    lane, message
    values
        By key; numbers and texts.
    """

    time_ns: int
    lane: str
    message: str
    values: dict[str, Value] = field(default_factory=dict)

    def body(self) -> bytes:
        """Return the values as one JSON object."""
        return json.dumps(self.values, ensure_ascii=False, allow_nan=False).encode()


def readings_of(meaning: Meaning, rows: NDArray[np.uint32], wanted: Wanted) -> Iterator[Reading]:
    """Yield the readings of frames, in order of time.

    A value that is not good is left out: of a frame whose check does not agree, outside its limits, not available.
    A frame without any gives none.
    """
    capture = meaning.capture
    times = capture.frames.times(rows)
    found: dict[tuple[int, str], Reading] = {}
    for kind, reader, places, decoded in decoded_parts(meaning, rows, range(len(meaning.kinds))):
        message = reader.layout.name
        if not wanted.takes(message):
            continue
        lane = capture.lanes[capture.kinds.keys[kind].lane].name
        for key, column, frames in _columns(message, decoded, wanted):
            good = np.flatnonzero(column.validity == Validity.GOOD)
            for place, value in zip(places[frames[good]].tolist(), _values(column, good), strict=True):
                if value is not None:
                    one = found.setdefault((place, message), Reading(int(times[place]), lane, message))
                    one.values[key] = value
    yield from (found[key] for key in sorted(found))


def _columns(message: str, decoded: Decoded, wanted: Wanted) -> Iterator[tuple[str, FieldColumn, NDArray[np.int64]]]:
    """Yield what is forwarded: key, column, and the frame of each of its rows."""
    for column in decoded.columns.values():
        key = wanted.key_of(message, column.field.name)
        if key is not None:
            yield key, column, np.arange(len(column))
    for array in decoded.arrays.values():
        for column in array.columns.values():
            # item by item, since each has a key of its own
            names = ["".join([array.name, *(f"[{n}]" for n in numbers)]) for numbers in array.index.tolist()]
            for name in dict.fromkeys(names):
                key = wanted.key_of(message, f"{name}.{column.field.name}")
                rows = np.array([row for row, one in enumerate(names) if one == name])
                if key is not None:
                    yield key, column.take(rows), array.frame[rows]


def _values(column: FieldColumn, rows: NDArray[np.int64]) -> list[Value | None]:
    """Return numbers as JSON has them, and texts; None for a number that JSON has not."""
    if column.value is None:
        return [column.text_of(int(row)) for row in rows]
    return [one if not isinstance(one, float) or math.isfinite(one) else None for one in column.value[rows].tolist()]
