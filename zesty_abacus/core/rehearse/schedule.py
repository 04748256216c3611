"""What goes out again and again: several messages, each at its own period, by one thread that keeps the times."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from dataclasses import dataclass, field

from ..errors import AbacusError, MisuseError
from ..live.endpoint import Outgoing
from .cyclic import Kept
from .message import OutgoingMessage

_AHEAD_S = 0.002
"""A frame is made this long before it goes out, so that making it does not make it late."""
_IDLE_S = 0.2


@dataclass(slots=True)
class Entry:
    """One message that goes out again and again.

    Attributes
    ----------
    message, lane
    every_s
    kept
        How the period was kept.
    number
        Of the next frame.
    trouble
        Why the last frame did not go out, empty if it did.
    """

    message: OutgoingMessage
    lane: str
    every_s: float
    begin_s: float
    number: int = 0
    kept: Kept = field(default_factory=Kept)
    trouble: str = ""

    @property
    def due_s(self) -> float:
        """When its next frame goes out, by :func:`time.monotonic`."""
        return self.begin_s + self.number * self.every_s


class Schedule:
    """Sends messages at their periods until it is closed.

    Parameters
    ----------
    send
        Takes a lane and a frame; what it raises is the entry's trouble, and the next frame is tried at its time.
    """

    def __init__(self, send: Callable[[str, Outgoing], None]) -> None:
        self._send = send
        self._entries: dict[str, Entry] = {}
        self._changed = threading.Condition()
        self._closed = False
        self._thread: threading.Thread | None = None

    @property
    def entries(self) -> dict[str, Entry]:
        """What goes out, by name."""
        with self._changed:
            return dict(self._entries)

    def start(self, name: str, message: OutgoingMessage, lane: str, every_s: float) -> Entry:
        """Send a message at a period from now on; one of the same name is replaced.

        Raises
        ------
        MisuseError
            If the period is not above 0, or the first frame cannot be made.
        """
        if not every_s > 0:
            raise MisuseError("a period is above 0.", where=name)
        message.frame(0, 0.0)
        entry = Entry(message, lane, every_s, time.monotonic())
        with self._changed:
            self._entries[name] = entry
            self._changed.notify()
        if self._thread is None:
            self._thread = threading.Thread(target=self._run, daemon=True, name="schedule")
            self._thread.start()
        return entry

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
                name, entry = min(self._entries.items(), key=lambda item: item[1].due_s, default=("", None))
                wait = _IDLE_S if entry is None else entry.due_s - time.monotonic() - _AHEAD_S
                if entry is None or wait > 0:
                    self._changed.wait(min(wait, _IDLE_S))
                    continue
            self._send_next(name, entry)

    def _send_next(self, name: str, entry: Entry) -> None:
        due = entry.due_s
        try:
            frame = entry.message.frame(entry.number, entry.number * entry.every_s)
            if (left := due - time.monotonic()) > 0:
                time.sleep(left)
            with self._changed:
                if self._entries.get(name) is not entry:
                    return
            self._send(entry.lane, frame)
            entry.kept.add(time.monotonic() - due)
            entry.trouble = ""
        except AbacusError as error:
            entry.trouble = str(error)
        entry.number += 1
        # what was missed while nothing could be sent is not caught up with in a rush
        behind = int((time.monotonic() - entry.due_s) / entry.every_s)
        if behind > 1 and entry.trouble:
            entry.number += behind
