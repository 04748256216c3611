"""What comes while a window is connected, as it is written to disk: the whole of it as a log, and into the trial."""

from __future__ import annotations

import shutil
import tempfile
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from ...core.files.writing import Target
from .doors import going
from .jobs import Jobs
from .live_sending import NOTHING_CONNECTED

_MARKS_APART_NS = 1_000_000_000
"""A condition that holds again so soon after is the same moment still."""
_MOST_MARKS = 500


@dataclass(frozen=True, slots=True)
class Arming:
    """What a recording waits for.

    Attributes
    ----------
    condition
    before_ns, after_ns
        How much is kept on either side of where it holds.
    then
        What follows, by its word: ``stop``, ``again``, ``mark``.
    """

    condition: str
    before_ns: int
    after_ns: int
    then: str


class LiveWriting(QObject):
    """A log from the first connection on, and a recording while one is made.

    Attributes
    ----------
    recorders
        Told of every table that is recorded, once it is on disk, on the thread that takes it.
    armed
        Which of what comes is recorded; None while nothing is.
    arming
        What it waits for; None if for nothing.

    Events
    ------
    changed
        A recording began or ended.
    recording_begins
        What comes from now on is recorded.
    trial_wanted
        (then) none is open, and somebody wants to record, which ``then`` does.
    marked
        (time in nanoseconds, condition) a condition that only marks held.
    recorded
        (the sink of its files) a recording is over, and they are to join the trial.
    told
        (tone, sentence) for the foot.
    """

    changed = pyqtSignal()
    recording_begins = pyqtSignal()
    trial_wanted = pyqtSignal(object)
    marked = pyqtSignal(object, str)
    recorded = pyqtSignal(object)
    told = pyqtSignal(str, str)
    _is_over = pyqtSignal()

    def __init__(self, jobs: Jobs, trial: Callable[[], Any], watch: Callable[[str], Any]) -> None:
        """Make one that writes nothing; the trial and the watch of a condition are asked for when they are needed."""
        super().__init__()
        self._jobs, self._trial, self._watch = jobs, trial, watch
        self.armed: Any = None
        self.arming: Arming | None = None
        self._marks, self._held_ns = 0, 0
        self._told_of: Any = None
        self._is_over.connect(self._on_over)
        self._receiving: going.Receiving | None = None
        self._folder: Path | None = None
        self._log: Any = None
        self._is_log_over = False
        self._files: Any = None
        self._writing = threading.Lock()
        self.recorders: list[Callable[[Any, Sequence[Any]], None]] = []

    def begin(self, receiving: going.Receiving) -> None:
        """Write a log of what comes from now on."""
        self._receiving = receiving
        self._folder = Path(tempfile.mkdtemp(prefix="zesty-abacus-live-"))
        self._log = going.Journal(self._folder)
        self._is_log_over = False

    def end(self) -> None:
        """Keep the recording, and forget the log."""
        self.keep_recording()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
        self._receiving = self._folder = self._log = None

    def take(self, table: Any, lanes: Sequence[Any]) -> None:
        """Write what came; called on the thread that takes it."""
        # each for itself: a full folder for the list must not end a recording on another disk
        if not self._is_log_over and not self._put(self._log, table, lanes, "The list on disk"):
            self._is_log_over = True
        with self._writing:
            files, armed = self._files, self.armed
            if files is None:
                return
            kept, times = armed.take(table, lanes)
            self._mark(times)
            if self._keep(files, kept, lanes):
                return
            self._files = None
        # what was written until then joins the trial all the same
        with suppress(AbacusError):
            files.close()
        self.recorded.emit(files)

    def look(self, now_ns: int) -> None:
        """Tell if a recording has what it waited for, also where nothing comes any more; called on the same thread."""
        armed = self.armed
        if armed is not None and armed is not self._told_of and armed.is_over(now_ns):
            self._told_of = armed
            self._is_over.emit()

    def _keep(self, files: Any, tables: Sequence[Any], lanes: Sequence[Any]) -> bool:
        """Write what is kept, and tell of it; return whether that went well."""
        for table in tables:
            if not self._put(files, table, lanes, "The recording"):
                return False
            for recorder in self.recorders:
                recorder(table, lanes)
        return True

    def _mark(self, times: Sequence[int]) -> None:
        if self.arming is None or self.arming.then != going.Then.MARK:
            return
        for time_ns in times:
            # as long as it goes on holding it is one moment
            if time_ns > self._held_ns + _MARKS_APART_NS and self._marks < _MOST_MARKS:
                self._marks += 1
                self.marked.emit(time_ns, self.arming.condition)
            self._held_ns = time_ns

    def _on_over(self) -> None:
        """End a recording that has what it waited for."""
        if self.armed is not None:
            self.told.emit("good", f"{self.arming.condition if self.arming else ''} held; what is around it is kept.")
            self.keep_recording()

    def trigger(self) -> None:
        """Keep what is held back now, as if the condition held."""
        with self._writing:
            if self._files is not None and self._receiving is not None:
                lanes = self._receiving.lanes
                self._keep(self._files, self.armed.trigger(self._receiving.now_ns), lanes)
        self.changed.emit()

    def _taken_away(self) -> Any:
        """Write no more from here on, and return where it was written; None if nothing was."""
        # not while the thread that takes what comes is in the middle of it
        with self._writing:
            files, self._files = self._files, None
            self.armed = self.arming = None
        return files

    def _put(self, sink: Any, table: Any, lanes: Any, what: str) -> bool:
        """Write frames; return whether that went well, and tell if not."""
        try:
            sink.append(table, lanes)
        except AbacusError as error:
            self.told.emit("wrong", f"{what} has ended: {error}")
            return False
        return True

    @property
    def is_recording(self) -> bool:
        """Whether what comes is written into the trial."""
        return self._files is not None

    @property
    def waits(self) -> bool:
        """Whether what comes is held back until a condition holds."""
        return self.armed is not None and bool(self.armed.waits)

    def record(self, arming: Arming | None = None) -> None:
        """Write what comes into the open trial from now on, or what is around the moments that somebody waits for."""
        trial = self._trial()
        if self._receiving is None:
            self.told.emit("wrong", NOTHING_CONNECTED)
            self.changed.emit()
            return
        if trial is None:
            self.trial_wanted.emit(lambda: self.record(arming))
            return
        try:
            armed = self._armed(arming)
            files = going.JoiningFiles(trial.folder)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            self.changed.emit()
            return
        self.recording_begins.emit()
        self._marks, self._held_ns = 0, 0
        self.armed, self.arming, self._files = armed, arming, files
        self.changed.emit()

    def _armed(self, arming: Arming | None) -> Any:
        if arming is None:
            return going.Armed()
        return going.Armed(self._watch(arming.condition), arming.before_ns, arming.after_ns, going.Then(arming.then))

    def keep_recording(self) -> None:
        """Stop writing; the recording joins the trial."""
        files = self._taken_away()
        if files is not None:
            files.close()
            self.recorded.emit(files)
            self.changed.emit()

    def leave_recording(self) -> None:
        """Stop writing, since another trial is open: the recording joins its own one when that is opened again."""
        files = self._taken_away()
        if files is not None:
            files.close()
            files.joined(is_in_trial=False)
            self.told.emit("", "The recording has ended; it joins its trial when that is opened again.")
            self.changed.emit()

    def write_log(
        self, path: Path, form: str, origin: Any, done: Callable[[int, str], None], failed: Callable[[str], None]
    ) -> None:
        """Write everything that was sent and heard since the first connection, a table or a recording, on a thread."""
        log = self._log
        if log is None:
            failed(NOTHING_CONNECTED)
            return
        named = sorted({str(one.address) for one in self._receiving.endpoints}) if self._receiving is not None else []
        origin = msgspec.structs.replace(origin, sources=tuple(named))
        target = Target(path, True)

        def work(progress: Any) -> Any:
            # put together here: a long log is not on the interface's thread
            capture = log.capture()
            return going.Leaving(capture).write(
                target, form, going.FRAME_SCHEMA, going.frame_table(capture), progress, origin
            )

        self._jobs.start(
            "log", f"writing {path.name}", work, lambda left: done(left.rows, left.without), failed
        )  # fmt: skip
