"""How the bits of each kind live, and how many of them are explained, counted on a thread."""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from .doors import engine
from .jobs import Jobs, JobState
from .paced import Paced


class Counts(QObject):
    """What is counted of the bits of a capture, a kind each; empty until it is.

    Attributes
    ----------
    activities
        How the bits of each kind live.
    counted
        How many are explained, with what owns them.
    apart
        By the id of a layout: others of the same identifier that say other numbers.

    Events
    ------
    changed
        Explained bits were counted again.
    """

    changed = pyqtSignal()

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._again = Paced(self, self._count_on)
        self._meaning: engine.Meaning | None = None
        self._borne_out: frozenset[UUID] = frozenset()
        self.activities: list[engine.KindActivity] = []
        self.counted: list[engine.KindExplained] = []
        self.apart: Mapping[UUID, engine.Clash] = {}
        self._apart_of: object = None

    def forget(self) -> None:
        """Begin with another capture: nothing of it is counted."""
        self.activities, self.counted, self.apart, self._apart_of = [], [], {}, None
        self._borne_out = frozenset()
        self._again.stop()

    def stop(self) -> None:
        """Count nothing any more."""
        self._again.stop()

    def bear_out(self, fields: frozenset[UUID]) -> None:
        """Let fields count as proved that agree with a reference."""
        if fields != self._borne_out:
            self._borne_out = fields
            self.count_explained()

    def mean(self, meaning: engine.Meaning) -> None:
        """Count by another meaning from now on; what runs by the one before is let go when it is done."""
        self._meaning = meaning

    def grow(self, meaning: engine.Meaning) -> None:
        """Count on what has come since; what is counted of the rest holds."""
        self._meaning = meaning
        self._again.want()

    def count_all(self) -> None:
        """Count how bits live, then how many are explained."""
        self._count(())

    def _count_on(self) -> None:
        self._count(self.activities)

    def _count(self, before: Sequence[engine.KindActivity]) -> None:
        if self._meaning is None:
            return
        capture = self._meaning.capture

        def finish(activities: list[engine.KindActivity]) -> None:
            if self._meaning is not None and self._meaning.capture.has_grown_from(capture):
                self.activities = activities
                self.count_explained()

        job = self._jobs.start(
            "activity", "counting bits", lambda p: engine.capture_activity(capture, p, before), finish
        )  # fmt: skip
        # one that is done goes on with what is explained
        job.finished.connect(lambda: None if job.state is JobState.DONE else self._again.done())

    def count_explained(self) -> None:
        """Count explained bits of the kinds that mean something else now."""
        meaning, activities, before, borne_out = self._meaning, self.activities, self.counted, self._borne_out
        if meaning is None or not activities:
            return

        known, of = self.apart, self._apart_of

        def work(progress: Progress) -> tuple[list[engine.KindExplained], Mapping[UUID, engine.Clash]]:
            explained = engine.explain(meaning, activities, before, progress.check, borne_out)
            # what only grows has the same layouts
            return explained, known if meaning.layouts is of else engine.apart_by_layout(meaning.layouts.values())

        def finish(found: tuple[list[engine.KindExplained], Mapping[UUID, engine.Clash]]) -> None:
            if self._meaning is not None and self._meaning.has_grown_from(meaning):
                self.counted, self.apart = found
                self._apart_of = meaning.layouts
                self.changed.emit()

        self._jobs.start("explained", "counting explained bits", work, finish).finished.connect(self._again.done)

    @property
    def explained(self) -> list[engine.Explained]:
        """How much of each kind is explained, empty before it is counted."""
        return [one.explained for one in self.counted]

    def activity_of(self, kind: int | None) -> engine.KindActivity | None:
        """Return how the bits of a kind live, None before it is counted."""
        return self.activities[kind] if kind is not None and kind < len(self.activities) else None

    def explained_of(self, kind: int) -> engine.Explained | None:
        """Return how much of a kind is explained, None before it is counted."""
        return self.counted[kind].explained if kind < len(self.counted) else None

    def explained_of_all(self, kinds: Iterable[int] | None = None) -> engine.Explained | None:
        """Return how much of some kinds, or of the whole capture, is explained; None before it is counted."""
        if not self.counted:
            return None
        chosen = range(len(self.counted)) if kinds is None else kinds
        return sum((self.counted[kind].explained for kind in chosen), engine.Explained())
