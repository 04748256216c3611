"""What is recorded live, from the first frame until its files are part of the trial."""

from __future__ import annotations

from collections.abc import Callable
from datetime import datetime
from typing import Any

import msgspec

from .clock import FOLLOWED_NS, Clock
from .growing import Growing
from .live_writing import LiveWriting
from .settings import demo_folder
from .trials import Trials


class RecordingHere:
    """Puts a recording into the open trial: it grows there while it comes, and its files join it at the end.

    Attributes
    ----------
    growing
        What is recorded, as part of the capture while it comes.
    """

    def __init__(
        self, writing: LiveWriting, trials: Trials, growing: Growing, clock: Clock, capture: Callable[[], Any]
    ) -> None:  # fmt: skip
        """Follow what is written; the open capture is asked for when a recording begins."""
        self._trials, self._clock, self._capture = trials, clock, capture
        self.growing = growing
        writing.recording_begins.connect(self._begin)
        writing.trial_wanted.connect(self._begin_trial)
        writing.recorded.connect(self._keep)
        writing.marked.connect(self._mark)
        writing.recorders.append(growing.take)

    def _begin_trial(self, record: Callable[[], None]) -> None:
        """Whoever plugs in and records has no trial yet: one begins, named by the time."""
        folder = demo_folder().parent / f"live {datetime.now():%Y-%m-%d %H-%M-%S}"
        self._trials.begin(folder, record)

    def _begin(self) -> None:
        self.growing.begin(self._capture(), self._trials.trial.file, self._clock.stretches)
        self._clock.follow(FOLLOWED_NS)

    def _mark(self, time_ns: int, text: str) -> None:
        if self._trials.trial is not None:
            self._trials.add_moment(time_ns, text)

    def _keep(self, files: Any) -> None:
        """Let what was recorded join the trial; what is shown of it stays until then."""
        self.growing.end()
        self._clock.stay()
        trials = self._trials
        if trials.trial is not None and files.entries:
            file = trials.trial.file
            sources = (*file.sources, *files.entries)
            trials.change(msgspec.structs.replace(file, sources=sources), "a live recording kept")
        said = {entry.path for entry in trials.trial.file.sources} if trials.trial is not None else set()
        files.joined({entry.path for entry in files.entries} <= said)
