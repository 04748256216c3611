"""What goes out by itself: several messages, each on its occasion, by one thread that keeps the times."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from ..errors import AbacusError
from ..frames.capture import Lane
from ..frames.table import FrameTable
from ..live.endpoint import Outgoing
from .course import Course, course_of
from .feeds import NotHeardError
from .kept import Kept
from .listening import Listening
from .message import Outward
from .occasion import Occasion, Planned

_AHEAD_S = 0.002
"""A frame is made this long before it goes out, so that making it does not make it late."""
_IDLE_S = 0.2


@dataclass(slots=True)
class Entry:
    """One message that goes out by itself.

    Attributes
    ----------
    message, lane, occasion
    begin_s
        When it began, by :func:`time.monotonic`.
    course
        Which frame is due next.
    kept
        How its times were kept.
    error
        Why the last frame did not go out, None if it did.
    """

    message: Outward
    lane: str
    occasion: Occasion
    begin_s: float
    course: Course
    kept: Kept = field(default_factory=Kept)
    error: AbacusError | None = None

    @property
    def trouble(self) -> str:
        """Why the last frame did not go out, in words; empty if it did."""
        return str(self.error or "")

    @property
    def is_over(self) -> bool:
        """Whether it was to go out a certain number of times, and did."""
        return isinstance(self.occasion, Planned) and self.course.due_s == math.inf


class Schedule:
    """Sends messages on their occasions until it is closed.

    Parameters
    ----------
    send
        Takes a lane and a frame; what it raises is the entry's trouble, and the next frame is tried at its time.
    listening
        Knows what is heard; None where nothing is.
    """

    def __init__(self, send: Callable[[str, Outgoing], None], listening: Listening | None = None) -> None:
        self._send, self._listening = send, listening
        self._entries: dict[str, Entry] = {}
        self._changed = threading.Condition()
        self._closed = False
        self._thread: threading.Thread | None = None

    @property
    def entries(self) -> dict[str, Entry]:
        """What goes out, by name."""
        with self._changed:
            return dict(self._entries)

    def start(self, name: str, message: Outward, lane: str, occasion: Occasion) -> Entry:
        """Send a message on an occasion from now on; one of the same name is replaced.

        Raises
        ------
        MisuseError
            If the first frame cannot be made, or the condition it answers to makes no sense.
        """
        waits: AbacusError | None = None
        try:
            message.frame(0, 0.0)
        except NotHeardError as error:
            # it goes out as soon as something has been heard
            waits = error
        begin_s = time.monotonic()
        watch = self._listening.watch if self._listening is not None else None
        entry = Entry(message, lane, occasion, begin_s, course_of(occasion, message, begin_s, watch), error=waits)
        with self._changed:
            self._entries[name] = entry
            self._changed.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, daemon=True, name="schedule")
            self._thread.start()
        return entry

    def hear(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Take note of frames that came, in order of time: some messages answer them, or pass on what they say."""
        if not len(table):
            return
        if self._listening is not None:
            self._listening.hear(table, lanes)
        # all of them hear it; of a flood that nobody answers the thread is not woken with every batch
        heard = [entry.course.hear(table, lanes) for entry in self.entries.values()]
        if any(heard):
            with self._changed:
                self._changed.notify()

    def stop(self, name: str) -> Entry | None:
        """Send a message no more; return what went out of it, None if there was none of this name."""
        with self._changed:
            return self._entries.pop(name, None)

    def stop_all(self) -> None:
        """Send nothing more."""
        with self._changed:
            self._entries.clear()

    def close(self) -> None:
        """End the thread."""
        with self._changed:
            self._entries.clear()
            self._closed = True
            self._changed.notify()
        if self._thread is not None:
            self._thread.join()

    def _run(self) -> None:
        while True:
            with self._changed:
                if self._closed:
                    return
                name, entry = min(
                    self._entries.items(), key=lambda item: item[1].course.due_s, default=("", None)
                )  # fmt: skip
                due_s = math.inf if entry is None else entry.course.due_s
                wait = due_s - time.monotonic() - _AHEAD_S
                if entry is None or wait > 0:
                    self._changed.wait(min(wait, _IDLE_S))
                    continue
            self._send_next(name, entry, due_s)

    def _send_next(self, name: str, entry: Entry, due_s: float) -> None:
        try:
            frame = entry.course.frame()
            if (left := due_s - time.monotonic()) > 0:
                time.sleep(left)
            with self._changed:
                if self._entries.get(name) is not entry:
                    return
            if frame is not None:
                self._send(entry.lane, frame)
                entry.kept.add(time.monotonic() - due_s)
                entry.error = None
        except NotHeardError as error:
            entry.error = error
            entry.course.put_off()
            return
        except AbacusError as error:
            entry.error = error
        entry.course.went(entry.error is not None)
