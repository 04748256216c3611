"""The source in hand on Intake: its recording, the recipe being worked on, and what came out of it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ...app.clock import Clock
from ...app.doors import engine, lines
from ...app.session import FrameInHand, Session
from ...app.undo import Undoable
from .found_frames import FoundFrames
from .lane_offset import LaneOffset
from .recipe_changes import RecipeChanges

if TYPE_CHECKING:
    from ....core.progress import Progress

_WHOLE_AT_ONCE = 400_000
"""Samples or edges of a recording that is small enough to be decoded whole at each change."""


class Bench(QObject):
    """What Intake works on. Views read it, follow its events and write by one call.

    Attributes
    ----------
    frames, offset, change
        The frames that came out; the lane's offset; one setting of the recipe at a time.
    number
        The chosen source of the trial.
    opened
        Its recording, None while it is being opened or if it holds whole frames.
    recipe
        The recipe as it stands, None if nobody chose one.
    outcome
        What it made, of the part in view or of all.
    is_whole
        Whether the outcome is of all.
    before
        Counts before the last change, None if there was no change.
    problem
        Why the recipe gives nothing, in a sentence.

    Events
    ------
    source_changed
        Another source is in hand, or it was opened.
    recipe_changed
        The recipe is another one.
    outcome_changed
        Something else came out.
    """

    source_changed = pyqtSignal()
    recipe_changed = pyqtSignal()
    outcome_changed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self.session = session
        self.frames = FoundFrames(self)
        self.offset = LaneOffset(self)
        self.change = RecipeChanges(self)
        self.number = 0
        self.opened: lines.OpenedSource | None = None
        self.recipe: lines.Recipe | None = None
        self.outcome: lines.Outcome | None = None
        self.is_whole = False
        self.before: dict[str, int] | None = None
        self.problem = ""
        self._recipe_to_come: lines.Recipe | None = None
        self._wanted: tuple[int, object] | None = None
        self._frame_to_come: FrameInHand | None = None
        session.opened.connect(self._on_trial)

    # the source

    def want(self, frame: FrameInHand) -> None:
        """Bring a frame of the source that is chosen next into view, as soon as it came out."""
        self._frame_to_come = frame

    def choose(self, number: int) -> None:
        """Take a source in hand and open it for a look."""
        self.number = number
        self._open()

    def _on_trial(self) -> None:
        count = len(self.session.trial.file.sources)
        self.number = min(self.number, max(count - 1, 0))
        if self._wanted is None:
            return
        # the trial was brought in again: the recording at hand goes on if nothing of it changed
        if self._wanted == self._key():
            self.source_changed.emit()
        else:
            self._open()

    def _key(self) -> tuple[int, object] | None:
        sources = self.session.trial.file.sources if self.session.trial is not None else ()
        return (self.number, sources[self.number]) if self.number < len(sources) else None

    def _open(self) -> None:
        session = self.session
        self.opened, self.recipe, self.outcome, self.before = None, None, None, None
        self.problem = ""
        self._wanted = self._key()
        outcomes = session.outcomes
        if self._wanted is None or self.number >= len(outcomes) or outcomes[self.number].error:
            self.source_changed.emit()
            return
        trial, number, zero, library = session.trial, self.number, outcomes[self.number].zero_ns, session.library

        def work(progress: Progress) -> lines.OpenedSource | None:
            return lines.open_source(trial, number, zero, library, progress)

        name = outcomes[number].path.name
        session.jobs.start("source", f"looking at {name}", work, self._on_source, self._on_problem)
        self.source_changed.emit()

    def _on_source(self, opened: lines.OpenedSource | None) -> None:
        self.opened = opened
        if opened is not None:
            _bring_into_view(self.session.clock, self.span_ns)
            if opened.offers:
                self.recipe = opened.offers[0].recipe
            if self._recipe_to_come is not None:
                self.recipe, self._recipe_to_come = self._recipe_to_come, None
        self.source_changed.emit()
        self.recipe_changed.emit()
        self._run_part()

    def _on_problem(self, sentence: str) -> None:
        self.problem = sentence
        self.source_changed.emit()

    @property
    def zero_ns(self) -> int:
        """Where the recording's own zero lies on the capture's clock, with the lane's offset."""
        if self.opened is None:
            return 0
        lane = self.lane_name
        offset = self.session.trial.file.lane_entry(lane).offset_ns if lane else 0
        return self.opened.zero_ns + offset

    @property
    def lane_name(self) -> str:
        """The lane the frames go to."""
        if self.opened is None:
            return ""
        named = self.opened.request.lanes.get("")
        return named or (self.recipe.lane if self.recipe is not None else "")

    @property
    def span_ns(self) -> tuple[int, int]:
        """The time that was recorded, on the capture's clock."""
        if self.opened is None:
            return self.session.clock.first_ns, self.session.clock.last_ns
        first, last = self.opened.span_ns
        return first + self.zero_ns, last + self.zero_ns

    # the recipe

    def take(self, recipe: lines.Recipe | None) -> None:
        """Work with another recipe; the one before can be had back by undo."""
        before, place = self.recipe, self._key()
        if recipe == before or place is None:
            return
        number, path = place[0], self.session.trial.file.sources[place[0]].path
        self.session.undo.did(Undoable(
            f"recipe of {Path(path).name} changed", ("recipe", path),
            lambda: self._go_back_to(number, path, before), lambda: self._go_back_to(number, path, recipe),
        ))  # fmt: skip
        self._set(recipe)

    def _go_back_to(self, number: int, path: str, recipe: lines.Recipe | None) -> bool:
        """Work with a recipe once more, on the recording that it was for."""
        sources = self.session.trial.file.sources
        places = [place for place, entry in enumerate(sources) if entry.path == path]
        if not places:
            self.session.told.emit("wrong", f"{Path(path).name} is not in this trial any more.")
            return True
        place = number if number in places else places[0]
        if place == self.number and self.opened is not None:
            self._set(recipe)
        else:
            self._recipe_to_come = recipe
            self.choose(place)
        return True

    def _set(self, recipe: lines.Recipe | None) -> None:
        columns = self.recipe.columns if self.recipe is not None else None
        self.recipe = recipe
        if self.outcome is not None and self.is_whole:
            self.before = self.outcome.counts()
        self.recipe_changed.emit()
        if recipe is not None and recipe.columns != columns and self.opened is not None:
            self._read_again()
        else:
            self._run_part()

    def _read_again(self) -> None:
        """Read the file again, since other columns mean other channels."""
        session, recipe = self.session, self.recipe
        entry = msgspec.structs.replace(session.trial.file.sources[self.number], recipe=recipe)
        file = session.trial.file.with_source(self.number, entry)
        trial = engine.Trial(session.trial.folder, file)
        number, zero, library = self.number, self.zero_ns, session.library

        def work(progress: Progress) -> lines.OpenedSource | None:
            return lines.open_source(trial, number, zero, library, progress)

        def done(opened: lines.OpenedSource | None) -> None:
            self.opened = opened
            self.source_changed.emit()
            self._run_part()

        session.jobs.start("source", "reading with other columns", work, done, self._on_problem)

    # what comes out

    def _run_part(self) -> None:
        """Try the recipe on the part in view first, then on all."""
        opened, recipe = self.opened, self.recipe
        if opened is None or recipe is None or (opened.recording is not None and recipe.line is None):
            self.outcome = None
            self.outcome_changed.emit()
            return
        clock, zero = self.session.clock, self.zero_ns
        first, last = opened.span_ns
        view = max(clock.view_first_ns - zero, first), min(clock.view_last_ns - zero, last)
        large = opened.recording is not None and sum(c.count for c in opened.recording.channels) > _WHOLE_AT_ONCE
        if large and view[0] < view[1] and (view[1] - view[0]) * 3 < last - first:
            self._start(view, then_whole=True)
        else:
            self._start(None)

    def _start(self, span: tuple[int, int] | None, *, then_whole: bool = False) -> None:
        opened, recipe = self.opened, self.recipe
        assert opened is not None and recipe is not None
        prepared = self.outcome.lines if self.outcome is not None and self.is_whole and span is None else None

        def work(progress: Progress) -> lines.Outcome:
            return lines.try_recipe(opened, recipe, span, prepared, progress)

        def done(outcome: lines.Outcome) -> None:
            if opened is not self.opened or recipe is not self.recipe:
                return
            self.outcome, self.is_whole, self.problem = outcome, span is None, ""
            self.outcome_changed.emit()
            self._show_frame_to_come()
            if then_whole:
                self._start(None)

        def failed(sentence: str) -> None:
            if recipe is self.recipe:
                self.outcome, self.problem = None, sentence
                self.outcome_changed.emit()

        words = "trying the recipe on what is in view" if span else "trying the recipe"
        self.session.jobs.start("recipe", words, work, done, failed)

    def _show_frame_to_come(self) -> None:
        frame = self._frame_to_come
        row = self.frames.row_of(frame) if frame is not None else None
        if row is not None:
            self._frame_to_come = None
            self.frames.go(row)
            self.frames.show_frame(row)

    # keeping

    def use(self) -> None:
        """Put the recipe to use: its frames become a lane of the capture."""
        if self.recipe is None:
            return
        file = self.session.trial.file
        entry = msgspec.structs.replace(file.sources[self.number], recipe=self.recipe)
        # the recording at hand stays open while the trial is brought in again
        self._wanted = (self.number, entry)
        self.session.trials.change(file.with_source(self.number, entry), f"recipe {self.recipe.name} put to use")


def _bring_into_view(clock: Clock, span_ns: tuple[int, int]) -> None:
    """Bring a recording into view, unless the view lies inside it already."""
    first, last = span_ns
    if not (first <= clock.view_first_ns and clock.view_last_ns <= last):
        clock.set_view(first, last)
    if not first <= clock.cursor_ns <= last:
        clock.set_cursor(first)
