"""How the bits of each kind live, and how many of them are explained, counted on a thread."""

from __future__ import annotations

import contextlib
import operator
from collections.abc import Iterable, Mapping, Sequence
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from .doors import engine
from .jobs import Jobs, JobState
from .paced import Paced

_FILE = "explained.msgpack"


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
        self._trial: engine.Trial | None = None
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
        # what is recorded now is no recording of the trial yet: nothing that is kept beside it tells of that
        self._meaning, self._trial = meaning, None
        self._again.want()

    def count_all(self, trial: engine.Trial | None) -> None:
        """Count how bits live, then how many are explained; what is kept beside the trial is not counted again."""
        self._trial = trial
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

        known, of, trial = self.apart, self._apart_of, self._trial

        def work(progress: Progress) -> tuple[list[engine.KindExplained], Mapping[UUID, engine.Clash]]:
            kept = before or _kept_of(trial, meaning)
            explained = engine.explain(meaning, activities, kept, progress.check, borne_out)
            if trial is not None and not _are_same(explained, kept):
                _keep(trial, meaning, explained)
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


def _kept_of(trial: engine.Trial | None, meaning: engine.Meaning) -> list[engine.KindExplained]:
    """Return what was counted the last time that the trial was open; empty without one."""
    if trial is None:
        return []
    return list(engine.kept_explained(trial.folder / _FILE, meaning, engine.recorded_state(trial)))


def _keep(trial: engine.Trial, meaning: engine.Meaning, counted: Sequence[engine.KindExplained]) -> None:
    # a trial on a disk that cannot be written is counted each time
    with contextlib.suppress(OSError, engine.AbacusError):
        engine.keep_explained(trial.folder / _FILE, meaning, engine.recorded_state(trial), counted)


def _are_same(some: Sequence[engine.KindExplained], others: Sequence[engine.KindExplained]) -> bool:
    return len(some) == len(others) and all(map(operator.is_, some, others))
