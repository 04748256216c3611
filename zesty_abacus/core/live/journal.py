"""Everything that was sent and heard, kept as frames while it comes, to be written out as whatever is wanted."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from pathlib import Path

from ..frames.capture import Capture, Lane
from ..frames.growing import GrowingFrames
from ..frames.segment import Placed
from ..frames.table import FrameTable


class Journal:
    """Frames of the program's own: one thread adds to them, others read what was there when they asked.

    They are put into words when somebody wants them as a table: to write lines all the time takes more than to receive.

    Attributes
    ----------
    count
        How many frames it has.

    Parameters
    ----------
    folder
        For what does not stay in memory.
    """

    def __init__(self, folder: Path) -> None:
        self._lock = threading.Lock()
        self._frames = GrowingFrames(folder)
        self._lanes: tuple[Lane, ...] = ()
        self.count = 0

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Add frames; ``lane`` counts in the lanes, of which there may be more each time.

        Raises
        ------
        DataError
            If the disk does not take them.
        """
        with self._lock:
            self._lanes = tuple(lanes)
            self._frames.add(table)
            self.count += len(table)

    def capture(self) -> Capture:
        """Return what is there now."""
        with self._lock:
            segments, lanes = self._frames.segments(), self._lanes
        return Capture.of_segments([Placed.as_recorded(segment, len(lanes)) for segment in segments], lanes)
