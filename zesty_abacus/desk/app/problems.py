"""What is wrong in the open trial, gathered while it is read, and what was said of it."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from ..widgets.parts import one_shot
from .clock import Clock
from .doors import wrong
from .jobs import Jobs
from .paced import Paced
from .reading import Reading
from .trials import Trials

_SETTLED_MS = 300
"""Edits come one after another; nobody reads a list of problems between two of them."""
_COLUMNS = 2048


class Problems(QObject):
    """The problems of the open trial, those set aside apart.

    They are looked for on a thread whenever frames mean something else; only kinds that do are looked through again.

    Attributes
    ----------
    told
        In the order in which to read them; None until they are known.
    aside
        Those that somebody looked at and set aside, with the reason.
    notches
        Where on the strip something is wrong; bool (lanes, columns), None until it is known.
    in_hand
        The one that is looked at, None if none is.
    place
        Which of its places.

    Events
    ------
    changed
        Others are known, or some were set aside.
    hand_changed
        Another one, or another place of it, is looked at.
    list_wanted
        Somebody wants to read them.
    """

    changed = pyqtSignal()
    hand_changed = pyqtSignal()
    list_wanted = pyqtSignal()

    def __init__(self, jobs: Jobs, reading: Reading, trials: Trials, clock: Clock) -> None:
        super().__init__()
        self._jobs, self._reading, self._trials, self._clock = jobs, reading, trials, clock
        self._found: wrong.Found | None = None
        self.told: list[wrong.Problem] | None = None
        self.aside: list[tuple[wrong.Problem, str]] = []
        self.notches: Any = None
        self.in_hand: wrong.Problem | None = None
        self.place = 0
        self._soon = one_shot(self, _SETTLED_MS, self.look)
        self._again = Paced(self, self.look)
        reading.changed.connect(self._soon.start)
        trials.changed.connect(self._on_trial_changed)
        clock.stretch_changed.connect(self._on_stretch)

    def start(self) -> None:
        """Begin with another capture."""
        self.told, self.aside, self.notches = None, [], None
        self._again.stop()
        self.take(None)
        self.changed.emit()
        self._soon.start()

    def grow(self) -> None:
        """Look also at what has come since."""
        if self.told is not None:
            self._again.want()

    def stop(self) -> None:
        """Look for nothing any more."""
        self._soon.stop()
        self._again.stop()

    def _on_trial_changed(self) -> None:
        if self._found is not None:
            # what is set aside is known at once; limits and notches are looked up anew
            self._sort()
            self._soon.start()

    def _on_stretch(self) -> None:
        # the strip shows another time
        if self._found is not None:
            self.notches = None
            self._soon.start()

    def look(self) -> None:
        """Look for problems of what is open as it stands."""
        meaning = self._reading.meaning
        if meaning is None:
            return
        file, before = self._trials.trial.file, self._found
        aside = {one.key for one in file.set_aside}
        stretch = self._clock.first_ns, self._clock.last_ns

        def work(progress: Progress) -> tuple[wrong.Found, Any]:
            found = wrong.look_for_problems(meaning, wrong.Limits(file.limits), progress, before)
            # there may be a place in every frame of a long recording
            told = (one for one in found.problems if one.key not in aside)
            return found, wrong.notches(found.capture, told, _COLUMNS, stretch)

        def finish(made: tuple[wrong.Found, Any]) -> None:
            if self._reading.meaning is not None and self._reading.meaning.has_grown_from(meaning):
                self._found, self.notches = made
                self._sort()

        self._jobs.start("problems", "looking for problems", work, finish).finished.connect(self._again.done)

    def _sort(self) -> None:
        assert self._found is not None
        reasons = {one.key: one.reason for one in self._trials.trial.file.set_aside}
        self.told = [problem for problem in self._found.problems if problem.key not in reasons]
        self.aside = [(one, reasons[one.key]) for one in self._found.problems if one.key in reasons]
        if self.in_hand is not None:
            key = self.in_hand.key
            self.in_hand = next((one for one in self._found.problems if one.key == key), None)
            self.place = min(self.place, self.in_hand.count - 1) if self.in_hand is not None else 0
        self.changed.emit()
        self.hand_changed.emit()

    # looking at one

    def take(self, problem: wrong.Problem | None, place: int = 0) -> None:
        """Look at a problem, at one of its places, and go there."""
        self.in_hand, self.place = problem, place
        if problem is not None:
            self._clock.set_cursor(int(problem.time_ns[place]), follow=True)
        self.hand_changed.emit()

    def step(self, by: int) -> None:
        """Go to the next place of the problem in hand, or with -1 to the one before."""
        if self.in_hand is not None:
            self.take(self.in_hand, (self.place + by) % self.in_hand.count)

    def step_to_worst(self) -> None:
        """Go to the worst place of the problem in hand."""
        if self.in_hand is not None:
            self.take(self.in_hand, self.in_hand.worst_place)

    def reason(self, problem: wrong.Problem) -> str:
        """Return why a problem was set aside, empty if it was not."""
        return next((reason for one, reason in self.aside if one is problem), "")

    # saying something of it

    def set_aside(self, problem: wrong.Problem, reason: str) -> None:
        """Set a problem aside for a reason; an empty one takes it up again."""
        words = f"{problem.kind.words} {'set aside' if reason else 'taken up again'}"
        self._trials.change(self._trials.trial.file.with_set_aside(problem.key, reason), words)

    def limit(self, problem: wrong.Problem) -> float | None:
        """Return the limit that the trial sets for such a problem here, None if it sets none."""
        return next((one.value for one in self._trials.trial.file.limits if one.key == problem.key), None)

    def set_limit(self, problem: wrong.Problem, text: str) -> str:
        """Set a limit as typed, or with nothing none; return what is wrong with it, empty if nothing is."""
        try:
            value = wrong.limit_of(problem.kind, text) if text.strip() else None
        except wrong.MisuseError as error:
            return str(error)
        words = f"limit of {problem.kind.words} {text.strip() or 'taken away'}"
        self._trials.change(self._trials.trial.file.with_limit(problem.key, value), words)
        return ""

    def write(
        self, path: Path, form: str, origin: Any, done: Callable[[int], None], failed: Callable[[str], None]
    ) -> None:
        """Write the problems to a file as a table; ``done`` is told how many, ``failed`` why not."""
        told = list(self.told or ())
        target = wrong.Target(path, True, tuple(self._trials.trial.files()))
        self._jobs.start(
            "problem table", f"writing {path.name}",
            lambda progress: wrong.export_tables(
                target, form, wrong.PROBLEM_SCHEMA, [wrong.problem_table(told)], progress, 0, origin
            ),
            done, failed,
        )  # fmt: skip
