"""The offset of the lane that the recording in hand gives, set by hand or estimated."""

from __future__ import annotations

from typing import TYPE_CHECKING

import msgspec
import numpy as np

from ...app.doors import engine, lines

if TYPE_CHECKING:
    from ....core.progress import Progress
    from .bench import Bench


class LaneOffset:
    """Moves the lane of the source in hand against the others; undo takes it back."""

    def __init__(self, bench: Bench) -> None:
        self._bench = bench

    def set(self, offset_ns: int) -> None:
        """Move the lane against the others: its frames move, nothing is read again."""
        file = self._bench.session.trial.file
        entry = file.lane_entry(self._bench.lane_name)
        if self._bench.lane_name and entry.offset_ns != offset_ns:
            self._bench.session.trials.change(
                file.with_lane(msgspec.structs.replace(entry, offset_ns=offset_ns)), f"offset of {entry.name}"
            )

    def shift(self, by_ns: int) -> None:
        """Move the lane by some time more."""
        if self._bench.lane_name and by_ns:
            self.set(self._bench.session.trial.file.lane_entry(self._bench.lane_name).offset_ns + by_ns)

    def _aligned_traces(self) -> tuple[tuple, tuple] | None:
        """Return a traced field of another lane and one of this lane."""
        session = self._bench.session
        names = [lane.name for lane in session.capture.lanes]
        own = [
            trace for trace in session.traces.shown if names[session.kinds.key(trace[0]).lane] == self._bench.lane_name
        ]
        others = [trace for trace in session.traces.shown if trace not in own]
        return (others[0], own[0]) if own and others else None

    def can_estimate(self) -> bool:
        """Whether two traced fields could tell the lane's offset."""
        return self._bench.session.capture is not None and self._aligned_traces() is not None

    def estimate(self) -> None:
        """Estimate the lane's offset from a field of it and one of another lane, both traced on Read."""
        traces = self._aligned_traces()
        if traces is None:
            return
        session = self._bench.session
        meaning = session.reading.meaning
        assert meaning is not None, "fields are traced only while a trial is open"

        def work(progress: Progress) -> lines.OffsetEstimate:
            signals = []
            for kind, field_id in traces:
                progress.check()
                frames, column = engine.field_column(meaning, kind, field_id)
                signals.append((frames.time_ns, column.plot_values().astype(np.float64)))
            return lines.estimate_offset(signals[0], signals[1])

        def done(found: lines.OffsetEstimate) -> None:
            way = "later" if found.offset_ns > 0 else "earlier"
            agree = f"the two fields then agree by {found.agreement:.0%}"
            words = f"The lane fits {abs(found.offset_ns) / 1e6:.3f} ms {way}: {agree}."
            if found.agreement < 0.5 or found.margin < 0.05:
                session.told.emit(
                    "wrong", f"The two fields do not tell an offset; at best they agree by {found.agreement:.0%}."
                )
                return
            session.told.emit("good", words)
            self.shift(found.offset_ns)

        session.jobs.start("align", "estimating the offset", work, done)
