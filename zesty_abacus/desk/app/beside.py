"""Streams set side by side in the open trial, compared on a thread."""

from __future__ import annotations

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import wrong
from .jobs import Jobs
from .kinds import Kinds, Origin
from .reading import Reading


class BesideHere(QObject):
    """What is compared with what: the first stream, and others beside it.

    Attributes
    ----------
    sides
        The streams as they compare, the first one first; empty until they are known, or while there is one alone.

    Events
    ------
    changed
        Others are compared, or it is known how they do.
    """

    changed = pyqtSignal()

    def __init__(self, jobs: Jobs, reading: Reading, kinds: Kinds) -> None:
        super().__init__()
        self._jobs, self._reading, self._kinds = jobs, reading, kinds
        self._chosen: list[Origin] = []
        self._is_wanted = False
        self._of: object = None
        self.sides: list[wrong.Side] = []
        reading.changed.connect(self._compare)

    @property
    def numbers(self) -> list[int]:
        """Numbers of the kinds that are compared, the first one first."""
        here = self._kinds.by_origin() if self._kinds.capture is not None else {}
        return [here[origin] for origin in self._chosen if origin in here]

    def want(self, wanted: bool, kind: int | None) -> None:
        """Say whether somebody looks; whoever begins to sees the message in hand, and what is like it."""
        self._is_wanted = wanted
        if wanted and not self.numbers and kind is not None:
            self.begin_with(kind)
        self._compare()

    def begin_with(self, kind: int) -> None:
        """Compare a message with all that carry the same one."""
        meaning = self._reading.meaning
        if meaning is not None:
            self._chosen = [self._kinds.origin(one) for one in wrong.kinds_like(meaning, kind)]
            self._compare()

    def add(self, kind: int) -> None:
        """Set one more beside them."""
        origin = self._kinds.origin(kind)
        if origin not in self._chosen:
            self._chosen.append(origin)
            self._compare()

    def leave_out(self, kind: int) -> None:
        """Leave one out; if it is the first, the next one takes its place."""
        self._chosen = [one for one in self._chosen if one != self._kinds.origin(kind)]
        self._compare()

    def forget(self) -> None:
        """Begin with another capture, in which the same streams may be."""
        self._of = None
        self.sides = []
        self.changed.emit()
        self._compare()

    def _compare(self) -> None:
        meaning, numbers = self._reading.meaning, self.numbers
        if not self._is_wanted or meaning is None:
            return
        if len(numbers) < 2:
            self.sides, self._of = [], None
            self.changed.emit()
            return
        wanted = meaning, tuple(numbers)
        if wanted == self._of:
            return

        def finish(sides: list[wrong.Side]) -> None:
            if self._reading.meaning is meaning:
                self._of, self.sides = wanted, sides
                self.changed.emit()

        self._jobs.start("beside", "comparing", lambda p: wrong.compare(meaning, numbers, p), finish)
        self.changed.emit()
