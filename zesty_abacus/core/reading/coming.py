"""What frames mean that come in batches: layouts are matched to a kind when it first comes, not with every batch."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from ..frames.capture import Capture, Lane
from ..frames.segment import Placed, Segment
from ..frames.table import FrameTable
from ..layouts.model import Layout
from .meaning import Meaning


class ComingMeaning:
    """Reads batch after batch of one source; kinds have the same numbers in all of them."""

    def __init__(self) -> None:
        self._stem = Capture.of_segments([], ())
        self._layouts: list[Layout] = []
        self._meaning: Meaning | None = None

    def of(self, table: FrameTable, lanes: Sequence[Lane], layouts: Iterable[Layout]) -> Meaning:
        """Return what a batch means, as a capture of its own; its rows are those of the table in order of time.

        Parameters
        ----------
        lanes
            Those before, and perhaps new ones behind.
        layouts
            If they are others than before, all kinds are matched anew.
        """
        before = self._meaning
        placed = Placed.as_recorded(Segment.of(table), len(lanes))
        capture = self._stem.grown([placed], lanes, before.capture if before is not None else None)
        # compared one by one, which costs nothing where they are the very same ones
        wanted = list(layouts)
        if before is None or wanted != self._layouts:
            self._layouts = wanted
            self._meaning = Meaning.of(capture, wanted)
        else:
            self._meaning = before.grown_to(capture)
        return self._meaning
