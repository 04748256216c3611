"""Hears of what others keep in the library, and tells them who is here; on a thread of its own."""

from __future__ import annotations

import threading
import time
import traceback
from dataclasses import dataclass, field
from typing import Any
from uuid import UUID, uuid4

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from .doors import laid

_BEAT_S = 0.25
"""So long a wait may be before the thread looks whether it is still wanted."""
_LOOK_S = 5.0
"""Without being told anything, the library is asked so often: news may be lost with a connection."""
_LEAST_S = 0.1
_EVERYTHING = frozenset(["everything"])
_PAUSE_S = 1.0
"""Between two tries at a library that does not answer."""


@dataclass(frozen=True, slots=True)
class Heard:
    """What came from the library: changes, who else is there, and the tables that it told of."""

    seen: laid.Seen
    people: list[laid.Somebody]
    told: frozenset[str] = frozenset()


@dataclass(slots=True)
class _Turn:
    """One library that is listened to, until it is another one's turn."""

    library: Any
    follower: Any
    over: threading.Event = field(default_factory=threading.Event)
    watch: Any = None
    looked: float = 0.0
    said: float = 0.0
    told_of: tuple[str, UUID | None] | None = None
    may_say: bool = True


class News(QObject):
    """Listens to a library.

    Attributes
    ----------
    author, in_hand
        Who is here, and with which layout; told to the others.
    is_paused
        Whether news are left for later.

    Events
    ------
    came
        (heard) what is new.
    answers
        (yes) whether the library answered the last time.
    """

    came = pyqtSignal(object)
    answers = pyqtSignal(bool)
    _heard = pyqtSignal(object, object)

    def __init__(self) -> None:
        super().__init__()
        self.window_id = uuid4()
        self.author = ""
        self.in_hand: UUID | None = None
        self.is_paused = False
        self._turn: _Turn | None = None
        self._threads: list[threading.Thread] = []
        self._heard.connect(self._on_heard)

    def start(self, library: Any, known: int) -> None:
        """Begin with another library, of which the window knows all up to a change."""
        self.stop()
        turn = _Turn(library, laid.Follower(library, known))
        self._turn = turn
        thread = threading.Thread(target=self._run, args=(turn,), name="news", daemon=True)
        self._threads = [*(one for one in self._threads if one.is_alive()), thread]
        thread.start()

    def stop(self, patience_s: float = 0.0) -> None:
        """Listen no more; wait a little for the good-bye to be said."""
        if self._turn is not None:
            self._turn.over.set()
            self._turn = None
        end = time.monotonic() + patience_s
        for thread in self._threads:
            # a server that does not answer must not keep the window from closing
            thread.join(max(end - time.monotonic(), 0.0))

    def _run(self, turn: _Turn) -> None:
        told = _EVERYTHING
        while not turn.over.is_set():
            try:
                told = self._beat(turn, told)
            except Exception as error:  # whatever it is, the next try will tell
                if not isinstance(error, AbacusError):
                    # a fault of the program: the trace goes to the terminal for whoever reports it
                    traceback.print_exception(error)
                self._tell(turn, error)
                self._let_go(turn)
                told = _EVERYTHING
                turn.over.wait(_PAUSE_S)
        self._leave(turn)

    def _beat(self, turn: _Turn, told: frozenset[str]) -> frozenset[str]:
        """Say that one is here, look if there is reason to, and wait for the next reason."""
        if turn.watch is None:
            turn.watch = laid.watch(turn.library)
        self._say(turn)
        if self.is_paused:
            turn.over.wait(_BEAT_S)
            return told
        if told or time.monotonic() - turn.looked >= _LOOK_S:
            seen = turn.follower.look()
            people = turn.library.presence.others(self.window_id)
            turn.looked = time.monotonic()
            self._tell(turn, Heard(seen, people, told))
            # where many write at once, a look serves many of them
            turn.over.wait(_LEAST_S)
        return frozenset(turn.watch.wait(_BEAT_S, turn.over))

    def _say(self, turn: _Turn) -> None:
        here = self.author, self.in_hand
        is_due = time.monotonic() - turn.said >= laid.SAID_EVERY_S
        if not turn.may_say or not (is_due or here != turn.told_of):
            return
        try:
            turn.library.presence.say(self.window_id, *here)
        except laid.RefusedError:
            # who may not even say that they are here can look all the same
            turn.may_say = False
        turn.said, turn.told_of = time.monotonic(), here

    def _leave(self, turn: _Turn) -> None:
        try:
            if turn.told_of is not None and turn.may_say:
                turn.library.presence.leave(self.window_id)
        except Exception:
            pass
        self._let_go(turn)

    def _let_go(self, turn: _Turn) -> None:
        if turn.watch is not None:
            turn.watch.close()
            turn.watch = None

    def _tell(self, turn: _Turn, what: Any) -> None:
        if not turn.over.is_set():
            self._heard.emit(turn, what)

    def _on_heard(self, turn: _Turn, what: Any) -> None:
        if turn is not self._turn:
            return
        self.answers.emit(not isinstance(what, Exception))
        if not isinstance(what, Exception):
            self.came.emit(what)
