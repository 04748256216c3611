"""What is connected, what comes from it and what goes out: the live side of a window."""

from __future__ import annotations

import shutil
import tempfile
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Mapping
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from ...core.files.writing import Target
from .doors import engine, going
from .jobs import Jobs

_WAIT_S = 0.05
_SAID_A_BATCH = 24
"""Frames of a batch that are put into words: more than fit into a window between two of its pictures."""
_REMEMBERED_S = 12.0
_MOST_TICKS = 6000
_MOST_ASKED_S = 600.0


@dataclass(frozen=True, slots=True)
class LogRow:
    """A frame that was sent or heard, in words.

    Attributes
    ----------
    time_ns, lane, where, message, says
    is_sent
    payload
        In hex.
    """

    time_ns: int
    lane: str
    where: str
    message: str
    says: str
    is_sent: bool
    payload: str


@dataclass(slots=True)
class LaneState:
    """A lane as it is now: frames heard and sent since it was connected, those of the last second, those lost."""

    name: str
    note: str
    protocol: str
    endpoint: str
    heard: int = 0
    sent: int = 0
    rate: float = 0.0
    lost: int = 0


class LiveHere(QObject):
    """Endpoints, what they say, and what is sent by them.

    Nothing is sent on a lane before :meth:`allow` was called for it, anew for each connection.

    Attributes
    ----------
    lanes
        Every connected lane, by name.
    ticks
        Times and lanes of the last frames, as (nanoseconds, lane, is sent).
    outcome
        Of the rehearsal that runs or ran last, None before.

    Events
    ------
    changed
        Endpoints, leaves or the schedule changed.
    came
        (rows of the log) frames were sent or heard.
    stepped
        (step outcome) a step of a rehearsal began or is over.
    recorded
        (entries of a trial) a recording is over, and these files are to join the trial.
    asked
        (question, answer) a rehearsal asks the person; ``answer`` takes yes or no.
    told
        (tone, sentence) for the foot.
    """

    changed = pyqtSignal()
    came = pyqtSignal(object)
    stepped = pyqtSignal(object)
    recorded = pyqtSignal(object)
    asked = pyqtSignal(str, object)
    told = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, layouts: Callable[[], Iterable[Any]], trial: Callable[[], Any]) -> None:
        """Make one that is connected to nothing; layouts and the trial are asked for when they are needed."""
        super().__init__()
        self._jobs, self._layouts, self._trial = jobs, layouts, trial
        self._heard: dict[str, dict[tuple[int, bool], str]] = {}
        self.lanes: dict[str, LaneState] = {}
        self.ticks: deque[tuple[int, str, bool]] = deque(maxlen=_MOST_TICKS)
        self.outcome: Any = None
        self._receiving: going.Receiving | None = None
        self._outlets: going.Outlets | None = None
        self._schedule: going.Schedule | None = None
        self._thread: threading.Thread | None = None
        self._over = threading.Event()
        self._runs = threading.Event()
        self._stop_run = threading.Event()
        self._folder: Path | None = None
        self._log: Any = None
        self._files: Any = None
        self._lock = threading.Lock()

    # connecting

    @property
    def is_live(self) -> bool:
        """Whether anything is connected."""
        return self._receiving is not None and bool(self.lanes)

    @property
    def is_running(self) -> bool:
        """Whether a rehearsal runs."""
        return self._runs.is_set()

    @property
    def is_recording(self) -> bool:
        """Whether what comes is written into the trial."""
        return self._files is not None

    def examples(self) -> list[str]:
        """Return an endpoint of each sort."""
        return [one.example for one in going.schemes().values()]

    def connect_to(self, text: str) -> None:
        """Connect an endpoint, on a thread; what is wrong is told."""

        def work(_progress: Any) -> Any:
            made = going.endpoint_of(text)
            if self._receiving is None:
                receiving = going.Receiving([])
                receiving.__enter__()
                self._begin(receiving)
            assert self._receiving is not None, "it has just begun"
            self._receiving.add(made)
            return made

        def done(made: Any) -> None:
            self._know_lanes()
            self.told.emit("good", f"{made.address} is connected; its lanes listen until you let them send.")
            self.changed.emit()

        self._jobs.start("connect", f"connecting {text}", work, done, lambda words: self.told.emit("wrong", words))

    def _begin(self, receiving: Any) -> None:
        self._receiving = receiving
        self._outlets = going.Outlets(receiving)
        self._schedule = going.Schedule(self._outlets.send)
        self._folder = Path(tempfile.mkdtemp(prefix="zesty-abacus-live-"))
        self._log = going.TableSink(self._folder / "log.csv", "csv")
        self._over.clear()
        self._thread = threading.Thread(target=self._pump, daemon=True, name="live window")
        self._thread.start()

    def _know_lanes(self) -> None:
        receiving = self._receiving
        if receiving is None:
            return
        for endpoint in receiving.endpoints:
            for lane in endpoint.lanes:
                if lane.name not in self.lanes:
                    self.lanes[lane.name] = LaneState(lane.name, lane.note, lane.protocol, str(endpoint.address))

    def let_go(self) -> None:
        """Stop sending, and let go of every endpoint."""
        self.stop_all()
        self._over.set()
        self._stop_run.set()
        if self._schedule is not None:
            self._schedule.close()
        if self._thread is not None:
            self._thread.join()
        if self._receiving is not None:
            self._receiving.stop()
        self.keep_recording()
        if self._log is not None:
            self._log.close()
        if self._folder is not None:
            shutil.rmtree(self._folder, ignore_errors=True)
        self._receiving = self._outlets = self._schedule = self._thread = self._log = self._folder = None
        self.lanes.clear()
        self.ticks.clear()
        self.changed.emit()

    # sending

    def may_send(self, lane: str) -> bool:
        """Return whether something may be sent on a lane."""
        return self._outlets is not None and lane in self._outlets.allowed

    def allow(self, lane: str, may: bool) -> None:
        """Let a lane send, or let it listen only."""
        if self._outlets is not None:
            self._outlets.allow(lane, may)
            self.changed.emit()

    def stop_all(self) -> None:
        """Send nothing any more, on no lane."""
        if self._schedule is not None:
            self._schedule.stop_all()
        if self._outlets is not None:
            self._outlets.stop_all()
        if self.is_running:
            self._stop_run.set()
        self.changed.emit()

    def lane_for(self, layout: Any, wanted: str = "") -> str:
        """Return the lane that a message goes out on; raises MisuseError if that is not clear."""
        if self._outlets is None:
            raise going.EndpointError("nothing is connected.", hint="Connect an endpoint first.")
        name: str = self._outlets.lane_for(layout, wanted)
        return name

    def send_once(self, message: Any, lane: str) -> bool:
        """Send a message once; return whether it went out. What is wrong is told."""
        try:
            if self._outlets is None:
                raise going.EndpointError("nothing is connected.", hint="Connect an endpoint first.")
            self._outlets.send(self.lane_for(message.layout, lane), message.frame(0, 0.0))
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        return True

    def start(self, message: Any, lane: str, every: str) -> bool:
        """Send a message again and again; return whether it was begun. What is wrong is told."""
        try:
            name = self.lane_for(message.layout, lane)
            if not self.may_send(name):
                raise going.EndpointError("it only listens.", where=name, hint="Let it send first.")
            assert self._schedule is not None, "a lane is open"
            self._schedule.start(message.layout.name, message, name, going.duration_ns(every) / 1e9)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        self.changed.emit()
        return True

    def stop(self, name: str) -> None:
        """Send a message no more."""
        if self._schedule is not None:
            entry = self._schedule.stop(name)
            if entry is not None:
                self.told.emit("", f"{name}: {entry.kept.words()}.")
        self.changed.emit()

    @property
    def entries(self) -> Mapping[str, Any]:
        """What goes out again and again, by name."""
        return self._schedule.entries if self._schedule is not None else {}

    def heard_on(self, lane: str) -> dict[tuple[int, bool], str]:
        """Return identifiers that others send on a lane, as :func:`before_sending` asks for them."""
        with self._lock:
            return dict(self._heard.get(lane, {}))

    # what comes

    def _pump(self) -> None:
        while not self._over.is_set():
            receiving = self._receiving
            if receiving is None or self._runs.is_set():
                time.sleep(_WAIT_S)
                continue
            self._take(receiving.take(_WAIT_S))
            for told in receiving.news():
                self.told.emit("wrong" if told.is_down else "good", told.sentence)

    def _take(self, table: Any) -> None:
        """Write, count and put into words what came; called on the thread that takes it."""
        receiving = self._receiving
        if receiving is None or not len(table):
            return
        lanes = receiving.lanes
        try:
            self._log.append(table, lanes)
            files = self._files
            if files is not None:
                files.append(table, lanes)
        except AbacusError as error:
            self._files = None
            self.told.emit("wrong", f"The recording has ended: {error}")
        self._count(table, lanes)
        self.came.emit(self._rows(table, lanes))

    def _count(self, table: Any, lanes: Any) -> None:
        sent = table.flags & np.uint32(going.SENT) > 0
        names = [lane.name for lane in lanes]
        if any(name not in self.lanes for name in names):
            self._know_lanes()
        for number in np.unique(table.lane).tolist():
            state = self.lanes.get(names[number])
            if state is None:
                continue
            here = table.lane == number
            state.sent += int((here & sent).sum())
            state.heard += int((here & ~sent).sum())
        for row in range(max(len(table) - _MOST_TICKS // 10, 0), len(table)):
            self.ticks.append((int(table.time_ns[row]), names[int(table.lane[row])], bool(sent[row])))
        horizon = int(table.time_ns[-1]) - round(_REMEMBERED_S * 1e9)
        while self.ticks and self.ticks[0][0] < horizon:
            self.ticks.popleft()
        self._count_rates(int(table.time_ns[-1]))

    def _count_rates(self, now_ns: int) -> None:
        since = now_ns - 1_000_000_000
        counts: dict[str, int] = {}
        for time_ns, lane, _ in self.ticks:
            if time_ns > since:
                counts[lane] = counts.get(lane, 0) + 1
        for name, state in self.lanes.items():
            state.rate = float(counts.get(name, 0))
        if self._receiving is not None:
            lost = {str(one.address): one.lost for one in self._receiving.endpoints}
            for state in self.lanes.values():
                state.lost = lost.get(state.endpoint, 0)

    def _rows(self, table: Any, lanes: Any) -> list[LogRow]:
        capture = going.Capture.from_table(table, list(lanes))
        meaning = engine.Meaning.of(capture, list(self._layouts()))
        self._remember_heard(capture, meaning, table)
        sent = np.flatnonzero(table.flags & np.uint32(going.SENT))
        # everything that was sent is told, and of what was heard as much as anybody can read
        some = np.union1d(sent[-_SAID_A_BATCH:], np.arange(max(len(table) - _SAID_A_BATCH, 0), len(table)))
        rows = some.astype(np.uint32)
        messages, says = (column.to_pylist() for column in going.sayings(meaning, rows))
        made = []
        for row, message, words in zip(rows.tolist(), messages, says, strict=True):
            frame = capture.frames.at(row)
            key = capture.kinds.keys[capture.kind_of(row)]
            lane = capture.lanes[frame.lane]
            where = engine.protocol_named(lane.protocol).kind_text(key)
            made.append(LogRow(
                int(table.time_ns[row]), lane.name, where, message or "", words or "",
                bool(frame.flags & going.SENT), table.payload_of(row).hex(" ").upper(),
            ))  # fmt: skip
        return made

    def _remember_heard(self, capture: Any, meaning: Any, table: Any) -> None:
        sent = table.flags & np.uint32(going.SENT) > 0
        ours = set(zip(table.address[sent].tolist(), table.lane[sent].tolist(), strict=True))
        with self._lock:
            for kind, key in enumerate(capture.kinds.keys):
                if (key.address, key.lane) in ours:
                    continue
                layout = meaning.layout_of(kind)
                lane = capture.lanes[key.lane].name
                words = layout.sender or layout.name if layout is not None else "somebody"
                self._heard.setdefault(lane, {})[key.address, bool(key.flags & going.EXTENDED)] = words

    # recording

    def record(self) -> None:
        """Write what comes into the open trial from now on."""
        trial = self._trial()
        if trial is None or self._receiving is None:
            self.told.emit("wrong", "Open a trial and connect something first.")
            return
        self._files = going.LaneFiles(trial.folder, self._receiving.lanes)
        self.changed.emit()

    def keep_recording(self) -> None:
        """Stop writing; the recording joins the trial."""
        files, self._files = self._files, None
        if files is None:
            return
        files.close()
        self.recorded.emit(files.entries)
        self.changed.emit()

    def write_log(self, path: Path) -> None:
        """Write everything that was sent and heard since the first connection as a table, on a thread."""
        folder = self._folder
        if folder is None:
            self.told.emit("wrong", "Nothing was connected yet.")
            return
        source = folder / "log.csv"

        def work(_progress: Any) -> None:
            Target(path, True).check()
            shutil.copyfile(source, path)

        self._jobs.start(
            "log", f"writing {path.name}", work, lambda _none: self.told.emit("good", f"{path.name} is written."),
            lambda words: self.told.emit("wrong", words),
        )  # fmt: skip

    # rehearsals

    def run(self, rehearsal: Any, others: Callable[[str], Any]) -> None:
        """Run a rehearsal on the lanes that may send; its steps are told as they go."""
        receiving, outlets = self._receiving, self._outlets
        if receiving is None or outlets is None or self.is_running:
            self.told.emit("wrong", "Connect something first." if receiving is None else "A rehearsal runs already.")
            return
        try:
            prepared = going.Prepared(rehearsal, list(self._layouts()), outlets, others)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return
        self._stop_run.clear()
        runner = going.Runner(
            prepared, receiving, outlets, ask=self._ask, came=self._take, stepped=self.stepped.emit,
            stopped=self._stop_run,
        )  # fmt: skip
        self.outcome = runner.outcome
        self._runs.set()

        def work() -> None:
            try:
                outcome = runner.run()
                tone = "good" if outcome.is_passed else "wrong"
                words = "passed" if outcome.is_passed else "failed"
                self.told.emit(tone, f"{rehearsal.name} {words} in {outcome.seconds:.1f} s.")
            finally:
                self._runs.clear()
                self.changed.emit()

        threading.Thread(target=work, daemon=True, name="rehearsal").start()
        self.changed.emit()

    def _ask(self, text: str) -> bool:
        """Ask the person in the window; called on the rehearsal's own thread, which waits."""
        answered, said = threading.Event(), []

        def answer(yes: bool) -> None:
            said.append(yes)
            answered.set()

        self.asked.emit(text, answer)
        waited = 0.0
        while not answered.wait(0.1) and not self._stop_run.is_set() and waited < _MOST_ASKED_S:
            waited += 0.1
        return bool(said and said[0])
