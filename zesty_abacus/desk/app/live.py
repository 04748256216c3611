"""What is connected in a window, what comes from it, and where something may be sent."""

from __future__ import annotations

import shutil
import tempfile
import threading
import time
from collections.abc import Callable, Iterable, Mapping
from contextlib import suppress
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from ...core.files.writing import Target
from .doors import going
from .hearing import Hearing, LaneState
from .jobs import Jobs

_WAIT_S = 0.05
_NOTHING = "Connect an endpoint first."


class LiveHere(QObject):
    """Endpoints, what they say, and what is sent by them.

    Nothing is sent on a lane before :meth:`allow` was called for it, anew for each connection.

    Attributes
    ----------
    hearing
        Counts what comes and puts it into words.
    seers
        Told of every table of frames, on the thread that takes them.
    receiving, outlets
        None while nothing is connected.

    Events
    ------
    changed
        Endpoints, leaves or the schedule changed.
    came
        (rows of the log) frames were sent or heard.
    stopping
        Everything that goes out has to end.
    recorded
        (entries of a trial) a recording is over, and these files are to join the trial.
    told
        (tone, sentence) for the foot.
    """

    changed = pyqtSignal()
    came = pyqtSignal(object)
    stopping = pyqtSignal()
    recorded = pyqtSignal(object)
    told = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, layouts: Callable[[], Iterable[Any]], trial: Callable[[], Any]) -> None:
        """Make one that is connected to nothing; layouts and the trial are asked for when they are needed."""
        super().__init__()
        self._jobs, self.layouts, self._trial = jobs, layouts, trial
        self.hearing = Hearing(layouts)
        self.seers: list[Callable[[Any, Any], None]] = []
        self.receiving: going.Receiving | None = None
        self.outlets: going.Outlets | None = None
        self._schedule: going.Schedule | None = None
        self._thread: threading.Thread | None = None
        self._over = threading.Event()
        self._is_taken = threading.Event()
        self._folder: Path | None = None
        self._log: Any = None
        self._is_log_over = False
        self._files: Any = None

    # connecting

    @property
    def lanes(self) -> Mapping[str, LaneState]:
        """Every connected lane, by name."""
        return self.hearing.lanes

    @property
    def is_live(self) -> bool:
        """Whether anything is connected."""
        return self.receiving is not None and bool(self.lanes)

    def examples(self) -> list[str]:
        """Return an endpoint of each sort."""
        return [one.example for one in going.schemes().values()]

    def connect_to(self, text: str) -> None:
        """Connect an endpoint, on a thread; what is wrong is told."""

        def work(_progress: Any) -> Any:
            made = going.endpoint_of(text)
            if self.receiving is None:
                self._begin()
            assert self.receiving is not None, "it has just begun"
            self.receiving.add(made)
            return made

        def done(made: Any) -> None:
            if self.receiving is not None:
                self.hearing.know(self.receiving.endpoints)
            self.told.emit("good", f"{made.address} is connected; its lanes listen until you let them send.")
            self.changed.emit()

        self._jobs.start("connect", f"connecting {text}", work, done, lambda words: self.told.emit("wrong", words))

    def _begin(self) -> None:
        receiving = going.Receiving([])
        receiving.__enter__()
        self._folder = Path(tempfile.mkdtemp(prefix="zesty-abacus-live-"))
        self._log = going.Journal(self._folder / "log.csv")
        self._is_log_over = False
        self.receiving = receiving
        self.outlets = going.Outlets(receiving)
        self._schedule = going.Schedule(self.outlets.send)
        self._over.clear()
        self._thread = threading.Thread(target=self._pump, daemon=True, name="live window")
        self._thread.start()

    def let_go(self) -> None:
        """Stop sending, and let go of every endpoint."""
        self.stop_all()
        self._over.set()
        if self._schedule is not None:
            self._schedule.close()
        if self._thread is not None:
            self._thread.join()
        if self.receiving is not None:
            self.receiving.stop()
        self.keep_recording()
        if self._log is not None:
            self._log.close()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
        self.receiving = self.outlets = self._schedule = self._thread = self._log = self._folder = None
        self.hearing.forget()
        self.changed.emit()

    # sending

    def may_send(self, lane: str) -> bool:
        """Return whether something may be sent on a lane."""
        return self.outlets is not None and lane in self.outlets.allowed

    def check_may_send(self, lane: str) -> None:
        """Raise EndpointError where a lane only listens."""
        if not self.may_send(lane):
            raise going.EndpointError("it only listens.", where=lane, hint="Let it send first.")

    def allow(self, lane: str, may: bool) -> None:
        """Let a lane send, or let it listen only."""
        if self.outlets is not None:
            self.outlets.allow(lane, may)
            self.changed.emit()

    def stop_all(self) -> None:
        """Send nothing any more, on no lane."""
        if self._schedule is not None:
            self._schedule.stop_all()
        if self.outlets is not None:
            self.outlets.stop_all()
        self.stopping.emit()
        self.changed.emit()

    def lane_for(self, layout: Any, wanted: str = "") -> str:
        """Return the lane that a message goes out on; raises MisuseError or EndpointError if that is not clear."""
        if self.outlets is None:
            raise going.EndpointError("nothing is connected.", hint=_NOTHING)
        name: str = self.outlets.lane_for(layout, wanted)
        return name

    def send_once(self, message: Any, lane: str) -> bool:
        """Send a message once; return whether it went out. What is wrong is told."""
        try:
            name = self.lane_for(message.layout, lane)
            assert self.outlets is not None, "it has lanes"
            self.outlets.send(name, message.frame(0, 0.0))
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        return True

    def start(self, message: Any, lane: str, every: str) -> bool:
        """Send a message again and again; return whether it was begun. What is wrong is told."""
        try:
            name = self.lane_for(message.layout, lane)
            self.check_may_send(name)
            assert self._schedule is not None, "a lane is open"
            self._schedule.start(message.layout.name, message, name, going.duration_ns(every) / 1e9)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        self.changed.emit()
        return True

    def stop(self, name: str) -> None:
        """Send a message no more."""
        entry = self._schedule.stop(name) if self._schedule is not None else None
        if entry is not None:
            self.told.emit("", f"{name}: {entry.kept.words()}.")
        self.changed.emit()

    @property
    def entries(self) -> Mapping[str, Any]:
        """What goes out again and again, by name."""
        return self._schedule.entries if self._schedule is not None else {}

    # what comes

    def ask(self, condition: str) -> bool:
        """List frames where a condition holds as such from now on; empty asks nothing. What is wrong is told."""
        try:
            if condition and not self.is_live:
                raise going.EndpointError("nothing is connected.", hint=_NOTHING)
            self.hearing.ask(condition)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        return True

    def lend(self, is_lent: bool) -> None:
        """Let somebody else take what comes, who hands it to :meth:`take`; or take it here again."""
        (self._is_taken.set if is_lent else self._is_taken.clear)()

    def _pump(self) -> None:
        while not self._over.is_set():
            receiving = self.receiving
            if receiving is None or self._is_taken.is_set():
                time.sleep(_WAIT_S)
                continue
            self.take(receiving.take(_WAIT_S))
            for told in receiving.news():
                self.told.emit("wrong" if told.is_down else "good", told.sentence)

    def take(self, table: Any) -> None:
        """Write, count and put into words what came; called on the thread that takes it."""
        receiving = self.receiving
        if receiving is None or not len(table):
            return
        lanes = receiving.lanes
        # each for itself: a full folder for the list must not end a recording on another disk
        if not self._is_log_over and not self._put(self._log, table, lanes, "The list on disk"):
            self._is_log_over = True
        if (files := self._files) is not None and not self._put(files, table, lanes, "The recording"):
            self._files = None
            # what was written until then joins the trial all the same
            with suppress(AbacusError):
                files.close()
            self.recorded.emit(files.entries)
        for seen in list(self.seers):
            seen(table, lanes)
        self.came.emit(self.hearing.take(table, lanes, receiving.endpoints))

    def _put(self, sink: Any, table: Any, lanes: Any, what: str) -> bool:
        """Write frames; return whether that went well, and tell if not."""
        try:
            sink.append(table, lanes)
        except AbacusError as error:
            self.told.emit("wrong", f"{what} has ended: {error}")
            return False
        return True

    # recording

    @property
    def is_recording(self) -> bool:
        """Whether what comes is written into the trial."""
        return self._files is not None

    def record(self) -> None:
        """Write what comes into the open trial from now on."""
        trial = self._trial()
        if trial is None or self.receiving is None:
            self.told.emit("wrong", "Open a trial and connect something first.")
            return
        try:
            self._files = going.LaneFiles(trial.folder, self.receiving.lanes)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
        self.changed.emit()

    def keep_recording(self) -> None:
        """Stop writing; the recording joins the trial."""
        files, self._files = self._files, None
        if files is not None:
            files.close()
            self.recorded.emit(files.entries)
            self.changed.emit()

    def write_log(
        self, path: Path, form: str, origin: Any, done: Callable[[int], None], failed: Callable[[str], None]
    ) -> None:
        """Write everything that was sent and heard since the first connection as a table, on a thread."""
        log = self._log
        if log is None:
            failed(_NOTHING)
            return
        origin = msgspec.structs.replace(origin, sources=tuple(sorted({one.endpoint for one in self.lanes.values()})))
        target = Target(path, True)
        self._jobs.start(
            "log", f"writing {path.name}",
            lambda progress: going.export_tables(
                target, form, going.FRAME_SCHEMA, log.tables(), progress, log.count, origin
            ),
            done, failed,
        )  # fmt: skip
