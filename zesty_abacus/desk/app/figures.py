"""Figures of the traces in view, worked out while somebody looks at them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ..widgets.parts import one_shot
from .clock import Clock
from .doors import seen
from .jobs import Jobs
from .kind_store import KindStore
from .reading import Reading
from .traces import Trace, Traces

_SETTLED_MS = 60


class Figures(QObject):
    """What the traces do in the visible time.

    Attributes
    ----------
    of
        By trace; only of those that are decoded.

    Events
    ------
    changed
    """

    changed = pyqtSignal()

    def __init__(self, jobs: Jobs, reading: Reading, store: KindStore, traces: Traces, clock: Clock) -> None:
        super().__init__()
        self._jobs, self._reading, self._store, self._traces, self._clock = jobs, reading, store, traces, clock
        self._is_wanted = False
        self.of: dict[Trace, seen.Statistics] = {}
        self._soon = one_shot(self, _SETTLED_MS, self._reckon)
        for event in (clock.view_changed, traces.changed, store.curve_ready, reading.changed):
            event.connect(self._on_change)

    def want(self, wanted: bool) -> None:
        """Say whether somebody looks at them."""
        self._is_wanted = wanted
        if wanted:
            self._reckon()

    def stop(self) -> None:
        """Reckon nothing any more."""
        self._is_wanted = False
        self._soon.stop()

    def _on_change(self) -> None:
        if self._is_wanted:
            self._soon.start()

    def curve(self, trace: Trace) -> Any:
        """Return a field with its values over time, None until they are decoded."""
        layout = self._reading.layout_with(*trace)
        return self._store.curve(trace[0], layout, trace[1]) if layout is not None else None

    def _reckon(self) -> None:
        if not self._is_wanted:
            return
        curves = {trace: found for trace in self._traces.shown if (found := self.curve(trace)) is not None}
        span = self._clock.view_first_ns, self._clock.view_last_ns

        def work(_progress: Any) -> Any:
            return {trace: seen.statistics(column, curve, *span) for trace, (column, curve) in curves.items()}

        def finish(found: Any) -> None:
            self.of = found
            self.changed.emit()

        self._jobs.start("figures", "reckoning figures", work, finish)
