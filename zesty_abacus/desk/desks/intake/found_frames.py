"""The frames that came out of the recipe in hand: when they are, where faults lie, and going through them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...app.doors import engine, lines
from .marks import MarkIndex

if TYPE_CHECKING:
    from .bench import Bench


class FoundFrames:
    """What views ask about the outcome again and again; each answer is kept until another one came out."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._times: tuple[tuple, np.ndarray] | None = None
        self._marks: tuple[lines.Outcome, MarkIndex] | None = None
        self._overview: tuple[tuple, tuple[np.ndarray, np.ndarray]] | None = None

    def times(self) -> np.ndarray:
        """Return the time of each frame that came out, on the capture's clock; in order."""
        key = (self._bench.outcome, self._bench.zero_ns)
        if self._times is None or self._times[0] != key:
            times = np.empty(0, np.int64) if key[0] is None else key[0].result.frames.time_ns + key[1]
            self._times = (key, times)
        return self._times[1]

    def marks(self) -> MarkIndex | None:
        """Return the marks that came out, ready to be found by time; None while nothing came out."""
        if self._bench.outcome is None:
            return None
        if self._marks is None or self._marks[0] is not self._bench.outcome:
            self._marks = (self._bench.outcome, MarkIndex(self._bench.outcome.result.marks.rows))
        return self._marks[1]

    def overview(self, columns: int) -> tuple[np.ndarray, np.ndarray]:
        """Return which of equal parts of the whole recording hold frames, and which hold a fault: their numbers."""
        key = (self._bench.outcome, columns)
        if self._overview is None or self._overview[0] != key:
            self._overview = (key, self._make_overview(columns))
        return self._overview[1]

    def _make_overview(self, columns: int) -> tuple[np.ndarray, np.ndarray]:
        none = np.empty(0, np.int64)
        if self._bench.outcome is None or self._bench.opened is None or not len(self._bench.outcome.result.frames):
            return none, none
        result = self._bench.outcome.result
        first, last = self._bench.opened.span_ns
        scale = columns / max(last - first, 1)
        ends = result.ends_ns if len(result.ends_ns) else result.frames.time_ns
        begins, stops = (
            np.clip(((times - first) * scale).astype(np.int64), 0, columns - 1)
            for times in (result.frames.time_ns, ends)
        )
        cover = (
            np.bincount(begins, minlength=columns + 1) - np.bincount(stops + 1, minlength=columns + 2)[: columns + 1]
        )
        wrong = result.frames.flags & engine.WRONG > 0
        return np.flatnonzero(np.cumsum(cover)[:columns] + np.bincount(stops, minlength=columns) > 0), np.unique(
            begins[wrong]
        )

    def current(self) -> int:
        """Return the frame at or before the cursor, -1 before the first."""
        return int(np.searchsorted(self.times(), self._bench.session.clock.cursor_ns, side="right")) - 1

    def go(self, row: int) -> None:
        """Put the cursor on a frame."""
        times = self.times()
        if len(times):
            row = min(max(row, 0), len(times) - 1)
            self._bench.session.clock.set_cursor(int(times[row]), follow=True)

    def show_frame(self, row: int) -> None:
        """Bring a whole frame into view, with some air around it."""
        if self._bench.outcome is None or not 0 <= row < len(self._bench.outcome.result.frames):
            return
        first = int(self.times()[row])
        last = int(self._bench.outcome.result.ends_ns[row]) + self._bench.zero_ns
        air = max((last - first) // 12, 500)
        self._bench.session.clock.set_cursor(first)
        self._bench.session.clock.set_view(first - air, last + air)

    def go_next(self, step: int, *, wrong: bool = False, same_address: bool = False) -> bool:
        """Go to the next or the last frame with a fault, or of the same address; say whether there is one."""
        if self._bench.outcome is None:
            return False
        table, at = self._bench.outcome.result.frames, self.current()
        fits = np.ones(len(table), np.bool_)
        if wrong:
            fits &= table.flags & engine.WRONG > 0
        if same_address and at >= 0:
            fits &= table.address == table.address[at]
        rows = np.flatnonzero(fits)
        rows = rows[rows > at] if step > 0 else rows[rows < at][::-1]
        if not len(rows):
            return False
        self.go(int(rows[0]))
        return True
