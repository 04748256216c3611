"""What a window sends on the lanes that are connected, and where it may."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from .doors import going

NOTHING_CONNECTED = "Connect an endpoint first."


class LiveSending(QObject):
    """Messages that go out once, or again and again.

    Nothing is sent on a lane before :meth:`allow` was called for it, anew for each connection.

    Attributes
    ----------
    outlets
        None while nothing is connected.
    listening
        Knows what is heard, for messages that pass it on; None likewise.

    Events
    ------
    changed
        Leaves or the schedule changed.
    stopping
        Everything that goes out has to end.
    told
        (tone, sentence) for the foot.
    """

    changed = pyqtSignal()
    stopping = pyqtSignal()
    told = pyqtSignal(str, str)

    def __init__(self, layouts: Callable[[], Iterable[Any]], watch: Callable[[str], Any]) -> None:
        """Make one that sends nothing; layouts and the watch of a condition are asked for when they are needed."""
        super().__init__()
        self._layouts, self._watch = layouts, watch
        self.outlets: going.Outlets | None = None
        self.listening: going.Listening | None = None
        self._schedule: going.Schedule | None = None

    def begin(self, receiving: going.Receiving) -> None:
        """Send on the lanes of what is connected from now on."""
        self.outlets = going.Outlets(receiving)
        self.listening = going.Listening(lambda: list(self._layouts()), self._watch)
        self._schedule = going.Schedule(self.outlets.send, self.listening)

    def end(self) -> None:
        """Send nothing, and nowhere."""
        self.stop_all()
        if self._schedule is not None:
            self._schedule.close()
        self.outlets = self.listening = self._schedule = None

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
            raise going.EndpointError("nothing is connected.", hint=NOTHING_CONNECTED)
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

    def hear(self, table: Any, lanes: Sequence[Any]) -> None:
        """Take note of frames that came; called on the thread that takes them."""
        schedule = self._schedule
        if schedule is not None:
            schedule.hear(table, lanes)

    def start(self, message: Any, lane: str, when: str) -> bool:
        """Send a message on an occasion, as it is typed; return whether it was begun. What is wrong is told."""
        try:
            name = self.lane_for(message.layout, lane)
            self.check_may_send(name)
            assert self._schedule is not None, "a lane is open"
            self._schedule.start(message.layout.name, message, name, going.parse_occasion(when))
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
        """What goes out by itself, by name."""
        return self._schedule.entries if self._schedule is not None else {}
