"""Which table decoded values become: a row a value, a row a frame, or rows on one clock."""

from __future__ import annotations

from collections.abc import Collection
from dataclasses import dataclass
from typing import Literal

import pyarrow as pa

from ..errors import MisuseError
from ..reading.meaning import Meaning
from .block import Blocks
from .chunks import Which
from .clock_table import Between, clock_schema, clock_table
from .long_table import LONG_SCHEMA, long_table
from .wide_table import wide_schema, wide_table

Shape = Literal["long", "wide", "clock"]
SHAPES: tuple[Shape, ...] = ("long", "wide", "clock")


@dataclass(frozen=True, slots=True)
class Shaped:
    """How decoded values stand in a table.

    Attributes
    ----------
    shape
        ``long``, a row a value; ``wide``, a row a frame; ``clock``, a row every so often.
    every_ns, between
        Of ``clock``: how far rows are apart, and what a value is between two frames.
    """

    shape: Shape = "long"
    every_ns: int = 100_000_000
    between: Between = "hold"


def decoded_table(
    meaning: Meaning, how: Shaped, which: Which = None, kinds: Collection[int] | None = None
) -> tuple[pa.Schema, Blocks]:
    """Return decoded values as a table.

    Raises
    ------
    MisuseError
        If there is no such shape, nobody reads any of the kinds, or the clock would have too many rows.
    """
    if how.shape == "long":
        return LONG_SCHEMA, long_table(meaning, which, kinds)
    if how.shape == "wide":
        return wide_schema(meaning, kinds), wide_table(meaning, which, kinds)
    if how.shape == "clock":
        return clock_schema(meaning, kinds), clock_table(meaning, how.every_ns, how.between, which, kinds)
    raise MisuseError(f"{how.shape!r} is no shape.", hint=f"There are {', '.join(SHAPES)}.")
