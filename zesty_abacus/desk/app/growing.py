"""What is recorded live, as part of the open capture while it comes."""

from __future__ import annotations

import threading
import time
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from ...core.errors import AbacusError
from .doors import engine
from .reading import Reading

_LEAST_S = 0.04
"""Between two pictures; a screen shows no more, and nobody sees more."""
_TIMES_AS_LONG = 1
"""How many times as long as the last picture took the next one is waited for: the window is there for its user."""


@dataclass(frozen=True, slots=True, eq=False)
class Grown:
    """The open capture with what has come until now.

    Attributes
    ----------
    capture, meaning
    stretches
        As the clock takes them; what comes live is in the last one.
    density : int64 (lanes, columns)
        Of the last stretch.
    """

    capture: Any
    meaning: Any
    stretches: list[tuple[int, int]]
    density: Any


class Growing(QObject):
    """Puts frames behind the open capture while they are recorded; the window gets it as often as it can show it.

    Events
    ------
    grown
        (Grown) more has come.
    told
        (tone, sentence) for the foot.
    """

    grown = pyqtSignal(object)
    told = pyqtSignal(str, str)
    _made = pyqtSignal(object)

    def __init__(self, reading: Reading) -> None:
        super().__init__()
        self._reading = reading
        self._frames: Any = None
        self._base: list[tuple[int, int]] = []
        self._scratch: Any = None
        self._density: Any = None
        self._counted: Any = None
        self._came, self._shown, self._over = threading.Event(), threading.Event(), threading.Event()
        self._thread: threading.Thread | None = None
        self._made.connect(self._on_made)

    @property
    def is_on(self) -> bool:
        """Whether something is recorded."""
        return self._thread is not None

    def begin(self, capture: Any, trial_file: Any, stretches: Sequence[tuple[int, int]]) -> None:
        """Let what is taken from now on be part of a trial's capture."""
        self.end()
        self._scratch = engine.ScratchFolder("zesty-abacus-growing-")
        self._frames = engine.GrowingCapture(capture, _lane_entries(trial_file), self._scratch.path)
        self._base, self._density = list(stretches), None
        for event in (self._came, self._shown, self._over):
            event.clear()
        self._thread = threading.Thread(target=self._run, daemon=True, name="growing")
        self._thread.start()

    def stand_on(self, capture: Any, trial_file: Any, stretches: Sequence[tuple[int, int]]) -> None:
        """Go on behind another capture of the trial: a recording came in meanwhile, or a lane was moved."""
        if self._frames is not None and self.is_on:
            self._frames.stand_on(capture, _lane_entries(trial_file))
            self._base = list(stretches)
            self._came.set()

    def end(self) -> None:
        """Take no more; what has been shown stays."""
        self._over.set()
        self._came.set()
        self._shown.set()
        if self._thread is not None:
            self._thread.join()
        self._thread = self._frames = None

    def take(self, table: Any, lanes: Any) -> None:
        """Take what was recorded; called on the thread that records."""
        frames = self._frames
        if frames is not None and len(table):
            frames.add(table, lanes)
            self._came.set()

    # on a thread of its own

    def _run(self) -> None:
        while True:
            self._came.wait()
            self._came.clear()
            if self._over.is_set():
                return
            began = time.monotonic()
            try:
                made = self._grow()
            except AbacusError as error:
                self.told.emit("wrong", f"What comes is recorded, and shown once that is stopped: {error}")
                return
            if made is not None:
                self._shown.clear()
                # whoever ends this says so first, and then sets what was just cleared: it must not be waited for
                if self._over.is_set():
                    return
                self._made.emit(made)
                self._shown.wait()
            if self._over.wait(max(_LEAST_S, _TIMES_AS_LONG * (time.monotonic() - began))):
                return

    def _grow(self) -> Grown | None:
        frames, meaning = self._frames, self._reading.meaning
        assert meaning is not None, "a trial is open while something is recorded into it"
        capture = frames.capture()
        span = frames.live_span()
        if span is None or not capture.has_grown_from(meaning.capture):
            # the trial's recordings are others by now: the window says so presently
            return None
        stretches = engine.stretches_of([*self._base, span])
        return Grown(capture, meaning.grown_to(capture), stretches, self._count(capture, stretches[-1][0]))

    def _count(self, capture: Any, first_ns: int) -> Any:
        """Count how dense frames are from the beginning of the last stretch on; only new ones are looked at."""
        counted = self._counted
        if self._density is None or self._density.first_ns != first_ns or not capture.has_grown_from(counted):
            self._density, counted = engine.GrowingDensity(first_ns, engine.STRIP_COLUMNS), None
        rows = np.arange(0 if counted is None else len(counted), len(capture), dtype=np.uint32)
        lanes, times = capture.frames.lanes(rows), capture.frames.times(rows)
        self._density.add(lanes[times >= first_ns], times[times >= first_ns])
        self._counted = capture
        return self._density.counts(len(capture.lanes))

    # on the thread of the window

    def _on_made(self, made: Grown) -> None:
        now = self._reading.meaning
        if self.is_on and now is not None and made.capture.has_grown_from(now.capture):
            self.grown.emit(made)
        # behind what is painted of it: a window that is slow gets less
        QTimer.singleShot(0, self._shown.set)


def _lane_entries(trial_file: Any) -> dict[str, Any]:
    return {lane.name: lane for lane in trial_file.lanes}
