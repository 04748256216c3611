"""The frames that came out of the recipe in hand: when they are, where faults lie, and going through them."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from ...app.doors import engine, lines
from ...app.session import FrameInHand
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
        self._chosen: tuple[lines.Outcome, int] | None = None
        self._known_devices: tuple[lines.Outcome, np.ndarray] | None = None
        self._known_faults: tuple[tuple, tuple[np.ndarray, np.ndarray]] | None = None

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
        """Return the frame at or before the cursor, -1 before the first; of those of one moment the chosen one."""
        cursor, times = self._bench.session.clock.cursor_ns, self.times()
        place = int(np.searchsorted(times, cursor, side="right")) - 1
        chosen = self._chosen[1] if self._chosen is not None and self._chosen[0] is self._bench.outcome else place
        # what was chosen stays in hand until the cursor is at frames of another moment
        return chosen if 0 <= chosen < len(times) and times[chosen] == times[place] else place

    def device(self, row: int) -> int:
        """Return whom a frame addresses, apart from what more its address says."""
        outcome = self._bench.outcome
        assert outcome is not None, "only what came out has devices"
        key = engine.KindKey(0, int(outcome.result.frames.address[row]), 0)
        return engine.protocol_named(outcome.recipe.protocol).device_of(key)

    def _devices(self) -> np.ndarray:
        """Return whom each frame addresses, int64."""
        outcome = self._bench.outcome
        assert outcome is not None, "only what came out has devices"
        if self._known_devices is not None and self._known_devices[0] is outcome:
            return self._known_devices[1]
        spoken = engine.protocol_named(outcome.recipe.protocol)
        distinct, which = np.unique(outcome.result.frames.address, return_inverse=True)
        devices = [spoken.device_of(engine.KindKey(0, address, 0)) for address in distinct.tolist()]
        self._known_devices = outcome, np.array(devices, np.int64)[which.reshape(-1)]
        return self._known_devices[1]

    def row_of(self, frame: FrameInHand) -> int | None:
        """Return which of what came out a frame of the capture is, None if none."""
        outcome, times = self._bench.outcome, self.times()
        if outcome is None:
            return None
        at = np.arange(*np.searchsorted(times, (frame.time_ns, frame.time_ns + 1)))
        table = outcome.result.frames
        kinds = table.flags[at] & engine.TELLS_KINDS_APART
        same = at[(table.address[at] == frame.address) & (kinds == frame.flags)]
        return int(same[0]) if len(same) else None

    def go(self, row: int) -> None:
        """Put the cursor on a frame."""
        times = self.times()
        if len(times):
            row = min(max(row, 0), len(times) - 1)
            self._choose(row, int(times[row]))

    def _choose(self, row: int, time_ns: int) -> None:
        """Take a frame in hand, and put the cursor at a time in it."""
        assert self._bench.outcome is not None, "only what came out can be chosen"
        clock = self._bench.session.clock
        other = self.current() != row
        self._chosen = (self._bench.outcome, row)
        before = clock.cursor_ns
        clock.set_cursor(time_ns, follow=True)
        if other and clock.cursor_ns == before:
            # both lines of a bus have frames of one moment
            clock.cursor_changed.emit()

    def show_frame(self, row: int) -> None:
        """Bring a whole frame into view, with some air around it."""
        if self._bench.outcome is None or not 0 <= row < len(self._bench.outcome.result.frames):
            return
        first = int(self.times()[row])
        last = int(self._bench.outcome.result.ends_ns[row]) + self._bench.zero_ns
        air = max((last - first) // 12, 500)
        self._bench.session.clock.set_cursor(first)
        self._bench.session.clock.set_view(first - air, last + air)

    def go_to_device(self, step: int) -> bool:
        """Go to the next or the last frame of the same device, whatever of it is meant; say whether there is one."""
        at = self.current()
        if self._bench.outcome is None or at < 0:
            return False
        devices = self._devices()
        rows = np.flatnonzero(devices == devices[at])
        rows = rows[rows > at] if step > 0 else rows[rows < at][::-1]
        if len(rows):
            self.go(int(rows[0]))
        return bool(len(rows))

    def go_to_fault(self, step: int) -> bool:
        """Go to where the next or the last fault is: into its frame, at the mark that is wrong."""
        if self._bench.outcome is None:
            return False
        rows, times = self._faults()
        cursor = self._bench.session.clock.cursor_ns
        there = np.flatnonzero(times > cursor) if step > 0 else np.flatnonzero(times < cursor)[::-1]
        if len(there):
            self._choose(int(rows[there[0]]), int(times[there[0]]))
        return bool(len(there))

    def _faults(self) -> tuple[np.ndarray, np.ndarray]:
        """Return the frames with faults in order of time, and when each shows: at a wrong mark, else at its begin."""
        assert self._bench.outcome is not None, "faults are looked for only in what came out"
        key = (self._bench.outcome, self._bench.zero_ns)
        if self._known_faults is not None and self._known_faults[0] == key:
            return self._known_faults[1]
        result = self._bench.outcome.result
        marks = result.marks.rows[(result.marks.flags != 0) & (result.marks.frame >= 0)]
        wrong = np.flatnonzero(result.frames.flags & engine.WRONG > 0)
        whole = wrong[~np.isin(wrong, marks[:, 5])]
        rows = np.concatenate([marks[:, 5], whole])
        times = np.concatenate([marks[:, 0] + self._bench.zero_ns, self.times()[whole]])
        order = np.argsort(times, kind="stable")
        self._known_faults = key, (rows[order], times[order])
        return self._known_faults[1]
