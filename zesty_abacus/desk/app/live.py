"""What is connected in a window, and what comes from it."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable, Mapping
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from .doors import going
from .hearing import Hearing, LaneState
from .jobs import Jobs
from .live_sending import NOTHING_CONNECTED, LiveSending
from .live_writing import LiveWriting

_WAIT_S = 0.05


class LiveHere(QObject):
    """Endpoints, and what they say.

    Attributes
    ----------
    sending
        What is sent by them.
    writing
        What is written of what comes.
    hearing
        Counts what comes and puts it into words.
    seers
        Told of every table of frames, on the thread that takes them.
    receiving
        None while nothing is connected.

    Events
    ------
    changed
        Endpoints, leaves, the schedule or the recording changed.
    came
        (rows of the log) frames were sent or heard.
    told
        (tone, sentence) for the foot.
    """

    changed = pyqtSignal()
    came = pyqtSignal(object)
    told = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, layouts: Callable[[], Iterable[Any]], trial: Callable[[], Any]) -> None:
        """Make one that is connected to nothing; layouts and the trial are asked for when they are needed."""
        super().__init__()
        self._jobs, self.layouts = jobs, layouts
        self.hearing = Hearing(layouts)
        self.sending = LiveSending(layouts, self.watch)
        self.writing = LiveWriting(jobs, trial, self.watch)
        for part in (self.sending, self.writing):
            part.changed.connect(self.changed)
            part.told.connect(self.told)
        self.seers: list[Callable[[Any, Any], None]] = []
        self.receiving: going.Receiving | None = None
        self._thread: threading.Thread | None = None
        self._over = threading.Event()
        self._is_taken = threading.Event()

    @property
    def lanes(self) -> Mapping[str, LaneState]:
        """Every connected lane, by name."""
        return self.hearing.lanes

    @property
    def is_live(self) -> bool:
        """Whether anything is connected."""
        return self.receiving is not None and bool(self.lanes)

    @property
    def now_ns(self) -> int:
        """Now, on the clock that frames are stamped by."""
        receiving = self.receiving
        return receiving.now_ns if receiving is not None else time.time_ns()

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
        self.writing.begin(receiving)
        self.sending.begin(receiving)
        self.receiving = receiving
        self._over.clear()
        self._thread = threading.Thread(target=self._pump, daemon=True, name="live window")
        self._thread.start()

    def let_go(self) -> None:
        """Stop sending, and let go of every endpoint."""
        self.sending.stop_all()
        self._over.set()
        self.sending.end()
        if self._thread is not None:
            self._thread.join()
        if self.receiving is not None:
            self.receiving.stop()
        self.writing.end()
        self.receiving = self._thread = None
        self.hearing.forget()
        self.changed.emit()

    def ask(self, condition: str) -> bool:
        """List frames where a condition holds as such from now on; empty asks nothing. What is wrong is told."""
        try:
            if condition and not self.is_live:
                raise going.EndpointError("nothing is connected.", hint=NOTHING_CONNECTED)
            self.hearing.ask(condition)
        except AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        return True

    def watch(self, condition: str) -> Any:
        """Return the watch of a condition on what comes; raises MisuseError if it makes no sense."""
        lanes = self.receiving.lanes if self.receiving is not None else ()
        return going.Watch(condition, [lane.name for lane in lanes], list(self.layouts()))

    def lend(self, is_lent: bool) -> None:
        """Let somebody else take what comes, who hands it to :meth:`take`; or take it here again."""
        (self._is_taken.set if is_lent else self._is_taken.clear)()

    def _pump(self) -> None:
        while not self._over.is_set():
            receiving = self.receiving
            if receiving is not None:
                self.writing.look(receiving.now_ns)
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
        # who answers somebody answers before anything else is done
        self.sending.hear(table, lanes)
        self.writing.take(table, lanes)
        for seen in list(self.seers):
            seen(table, lanes)
        self.came.emit(self.hearing.take(table, lanes, receiving.endpoints))
