"""Requests of the open trial with what came back, worked out while somebody looks at them."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import wrong
from .jobs import Jobs
from .paced import Paced
from .reading import Reading


class ExchangesHere(QObject):
    """The exchanges of the open capture.

    Attributes
    ----------
    found
        None until they are known.
    order
        Their numbers as they are listed; int64 (n,).
    states
        How each went, as numbers of ``STATES``; int8 (n,).
    times
        When each was asked; int64 (n,).

    Events
    ------
    changed
        Others are known, or they are listed in another order.
    """

    changed = pyqtSignal()

    def __init__(self, jobs: Jobs, reading: Reading) -> None:
        super().__init__()
        self._jobs, self._reading = jobs, reading
        self._of: Any = None
        self._is_wanted = False
        self._first = False
        self.found: wrong.Exchanges | None = None
        self.order: Any = None
        self.states: Any = None
        self.times: Any = None
        self._again = Paced(self, self.look_again)
        reading.changed.connect(self.look_again)

    def want(self, wanted: bool) -> None:
        """Say whether somebody looks at them."""
        self._is_wanted = wanted
        self.look_again()

    def show_unanswered_first(self, first: bool) -> None:
        """List those that went wrong first, or all in order of time."""
        self._first = first
        self._list()

    def look_again(self) -> None:
        """Find them anew, if frames mean something else and somebody looks."""
        meaning = self._reading.meaning
        if not self._is_wanted or meaning is None or meaning is self._of:
            return

        def work(progress: Any) -> Any:
            found = wrong.exchanges_of(meaning, progress)
            return found, found.states(), meaning.capture.frames.times(found.request)

        def finish(made: Any) -> None:
            if self._reading.meaning is not None and self._reading.meaning.has_grown_from(meaning):
                self._of, (self.found, self.states, self.times) = meaning, made
                self._list()

        job = self._jobs.start("exchanges", "putting answers to requests", work, finish)
        job.finished.connect(self._again.done)

    def stop(self) -> None:
        """Look for nothing any more."""
        self._again.stop()

    def grow(self) -> None:
        """Find also those that have come since, if somebody looks."""
        if self._is_wanted:
            self._again.want()

    def forget(self) -> None:
        """Begin with another capture."""
        self._of = self.found = self.order = self.states = self.times = None
        self._again.stop()
        self.changed.emit()
        self.look_again()

    def _list(self) -> None:
        if self.found is not None:
            self.order = self.found.in_order(unanswered_first=self._first)
        self.changed.emit()
