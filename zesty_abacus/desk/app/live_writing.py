"""What comes while a window is connected, as it is written to disk: the whole of it as a log, and into the trial."""

from __future__ import annotations

import shutil
import tempfile
import threading
from collections.abc import Callable, Sequence
from contextlib import suppress
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from ...core.files.writing import Target
from .doors import going
from .jobs import Jobs
from .live_sending import NOTHING_CONNECTED


class LiveWriting(QObject):
    """A log from the first connection on, and a recording while one is made.

    Attributes
    ----------
    recorders
        Told of every table that is recorded, once it is on disk, on the thread that takes it.

    Events
    ------
    changed
        A recording began or ended.
    recording_begins
        What comes from now on is recorded.
    trial_wanted
        None is open, and somebody wants to record.
    recorded
        (the sink of its files) a recording is over, and they are to join the trial.
    told
        (tone, sentence) for the foot.
    """

    changed = pyqtSignal()
    recording_begins = pyqtSignal()
    trial_wanted = pyqtSignal()
    recorded = pyqtSignal(object)
    told = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, trial: Callable[[], Any]) -> None:
        """Make one that writes nothing; the trial is asked for when something is recorded."""
        super().__init__()
        self._jobs, self._trial = jobs, trial
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
            files = self._files
            if files is None:
                return
            if self._put(files, table, lanes, "The recording"):
                for recorder in self.recorders:
                    recorder(table, lanes)
                return
            self._files = None
        # what was written until then joins the trial all the same
        with suppress(AbacusError):
            files.close()
        self.recorded.emit(files)

    def _taken_away(self) -> Any:
        """Write no more from here on, and return where it was written; None if nothing was."""
        # not while the thread that takes what comes is in the middle of it
        with self._writing:
            files, self._files = self._files, None
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

    def record(self) -> None:
        """Write what comes into the open trial from now on."""
        trial = self._trial()
        if self._receiving is None:
            self.told.emit("wrong", NOTHING_CONNECTED)
            self.changed.emit()
            return
        if trial is None:
            self.trial_wanted.emit()
            return
        try:
            files = going.JoiningFiles(trial.folder)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            self.changed.emit()
            return
        self.recording_begins.emit()
        self._files = files
        self.changed.emit()

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
        self, path: Path, form: str, origin: Any, done: Callable[[int], None], failed: Callable[[str], None]
    ) -> None:
        """Write everything that was sent and heard since the first connection as a table, on a thread."""
        log = self._log
        if log is None:
            failed(NOTHING_CONNECTED)
            return
        named = sorted({str(one.address) for one in self._receiving.endpoints}) if self._receiving is not None else []
        origin = msgspec.structs.replace(origin, sources=tuple(named))
        target = Target(path, True)
        self._jobs.start(
            "log", f"writing {path.name}",
            lambda progress: going.export_tables(
                target, form, going.FRAME_SCHEMA, going.frame_table(log.capture()), progress, log.count, origin
            ),
            done, failed,
        )  # fmt: skip
