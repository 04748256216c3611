"""Frames that came one by one, gathered into columns."""

from __future__ import annotations

import numpy as np

from ..frames.table import FrameTable


class Batch:
    """A few frames on their way into a table; a batch is what came within milliseconds, not a recording."""

    def __init__(self) -> None:
        self._facts: list[tuple[int, int, int, int, int]] = []
        self._payloads: list[bytes] = []

    def __len__(self) -> int:
        return len(self._facts)

    def add(self, time_ns: int, payload: bytes, address: int = 0, flags: int = 0, lane: int = 0) -> None:
        """Add a frame."""
        self._facts.append((time_ns, lane, address, flags, len(payload)))
        self._payloads.append(payload)

    def table(self) -> FrameTable:
        """Return the frames as they were added."""
        if not self._facts:
            return FrameTable.empty()
        facts = np.array(self._facts, np.int64)
        sizes = facts[:, 4]
        return FrameTable(
            time_ns=facts[:, 0].copy(),
            lane=facts[:, 1].astype(np.uint16),
            address=facts[:, 2].copy(),
            flags=facts[:, 3].astype(np.uint32),
            start=np.cumsum(sizes) - sizes,
            size=sizes.astype(np.uint32),
            payload=np.frombuffer(b"".join(self._payloads), np.uint8),
        )
