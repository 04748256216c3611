"""What came out of the recipe in hand as frames that can be asked something."""

from __future__ import annotations

from typing import Any

from ...app.doors import asked, engine, lines
from .bench import Bench


class AskedOutcome:
    """The outcome on the capture's clock, read by the library's layouts."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench
        self._made: tuple[Any, engine.Meaning] | None = None
        self.changed = bench.outcome_changed

    @property
    def meaning(self) -> engine.Meaning | None:
        """Return what came out with what it means, None while nothing did."""
        bench = self._bench
        outcome = bench.outcome
        if outcome is None or not len(outcome.result.frames):
            return None
        layouts = bench.session.edits.layouts()
        key = outcome, bench.zero_ns, bench.lane_name, id(layouts)
        if self._made is None or self._made[0][:3] != key[:3]:
            capture = lines.capture_of_outcome(outcome, bench.lane_name, bench.zero_ns)
            self._made = key, engine.Meaning.of(capture, layouts)
        return self._made[1]

    @property
    def cursor_ns(self) -> int:
        """Return where the cursor is."""
        return self._bench.session.clock.cursor_ns

    def offers(self, row: int) -> list[tuple[str, str]]:
        """Return what may be asked of frames like one that came out."""
        meaning = self.meaning
        if meaning is None:
            return []
        reader = meaning.reader_of(meaning.capture.kind_of(row), row)
        return list(asked.of_frame(meaning.capture, row, reader.layout.name if reader is not None else ""))

    def go(self, time_ns: int) -> None:
        """Put the cursor on a frame, in the middle of the wave."""
        clock = self._bench.session.clock
        half = clock.view_span_ns // 2
        clock.set_view(time_ns - half, time_ns + half)
        clock.set_cursor(time_ns)
