"""Pieces of serial bytes as frames: for nobody, on one lane."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames.table import FrameTable


def pieces_table(
    time_ns: NDArray[np.int64], start: NDArray[np.int64], size: NDArray[np.uint32], payload: NDArray[np.uint8],
    flags: NDArray[np.uint32] | None = None,
) -> FrameTable:  # fmt: skip
    """Return pieces as frames of address 0; columns are those of a frame table, ``flags`` of directions."""
    count = len(time_ns)
    return FrameTable(
        time_ns=time_ns, lane=np.zeros(count, np.uint16), address=np.zeros(count, np.int64),
        flags=np.zeros(count, np.uint32) if flags is None else flags, start=start, size=size, payload=payload,
    )  # fmt: skip
