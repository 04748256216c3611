"""The source in hand on Intake: its recording, the recipe being worked on, and what came out of it."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING, Any

import msgspec
import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ...app.doors import engine, lines
from ...app.session import Session
from ...app.undo import Undoable
from .marks import MarkIndex

if TYPE_CHECKING:
    from ....core.progress import Progress

_WHOLE_AT_ONCE = 400_000
"""Samples or edges of a recording that is small enough to be decoded whole at each change."""


class Bench(QObject):
    """What Intake works on. Views read it, follow its events and write by one call.

    Attributes
    ----------
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
        self.number = 0
        self.opened: lines.OpenedSource | None = None
        self.recipe: lines.Recipe | None = None
        self.outcome: lines.Outcome | None = None
        self.is_whole = False
        self.before: dict[str, int] | None = None
        self.problem = ""
        self._recipe_to_come: lines.Recipe | None = None
        self._times: tuple[tuple, np.ndarray] | None = None
        self._marks: tuple[lines.Outcome, MarkIndex] | None = None
        self._overview: tuple[tuple, tuple[np.ndarray, np.ndarray]] | None = None
        self._wanted: tuple[int, object] | None = None
        session.opened.connect(self._on_trial)

    # the source

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
        self._drop()
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

    def _drop(self) -> None:
        self.opened, self.recipe, self.outcome, self.before = None, None, None, None
        self.problem = ""

    def _on_source(self, opened: lines.OpenedSource | None) -> None:
        self.opened = opened
        if opened is not None:
            self._show_span()
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

    def _show_span(self) -> None:
        """Bring the recording into view, unless the view lies inside it already."""
        clock = self.session.clock
        first, last = self.span_ns
        if not (first <= clock.view_first_ns and clock.view_last_ns <= last):
            clock.set_view(first, last)
        if not first <= clock.cursor_ns <= last:
            clock.set_cursor(first)

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

    def set_line(self, **changes: Any) -> None:
        """Change settings of the line code."""
        if self.recipe is not None and self.recipe.line is not None:
            line = msgspec.structs.replace(self.recipe.line, **changes)
            self.take(msgspec.structs.replace(self.recipe, line=line))

    def set_framing(self, **changes: Any) -> None:
        """Change settings of the framing."""
        if self.recipe is not None and self.recipe.framing is not None:
            framing = msgspec.structs.replace(self.recipe.framing, **changes)
            self.take(msgspec.structs.replace(self.recipe, framing=framing))

    def set_level(self, channel: str, **changes: Any) -> None:
        """Change how a channel becomes edges."""
        if self.recipe is not None:
            setting = msgspec.structs.replace(self.recipe.level(channel), **changes)
            self.take(self.recipe.with_level(setting))

    def set_recipe(self, **changes: Any) -> None:
        """Change anything else of the recipe."""
        if self.recipe is not None:
            self.take(msgspec.structs.replace(self.recipe, **changes))

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
            if then_whole:
                self._start(None)

        def failed(sentence: str) -> None:
            if recipe is self.recipe:
                self.outcome, self.problem = None, sentence
                self.outcome_changed.emit()

        words = "trying the recipe on what is in view" if span else "trying the recipe"
        self.session.jobs.start("recipe", words, work, done, failed)

    def changes(self) -> dict[str, int]:
        """Return how each count differs from before the last change; nothing before there was one."""
        if self.before is None or self.outcome is None or not self.is_whole:
            return {}
        now = self.outcome.counts()
        names = dict.fromkeys([*now, *self.before])
        return {name: now.get(name, 0) - self.before.get(name, 0) for name in names}

    # frames

    def frame_times(self) -> np.ndarray:
        """Return the time of each frame that came out, on the capture's clock; in order."""
        key = (self.outcome, self.zero_ns)
        if self._times is None or self._times[0] != key:
            times = np.empty(0, np.int64) if key[0] is None else key[0].result.frames.time_ns + key[1]
            self._times = (key, times)
        return self._times[1]

    def mark_index(self) -> MarkIndex | None:
        """Return the marks that came out, ready to be found by time; None while nothing came out."""
        if self.outcome is None:
            return None
        if self._marks is None or self._marks[0] is not self.outcome:
            self._marks = (self.outcome, MarkIndex(self.outcome.result.marks.rows))
        return self._marks[1]

    def overview(self, columns: int) -> tuple[np.ndarray, np.ndarray]:
        """Return which of equal parts of the whole recording hold frames, and which hold a fault: their numbers."""
        key = (self.outcome, columns)
        if self._overview is None or self._overview[0] != key:
            self._overview = (key, self._make_overview(columns))
        return self._overview[1]

    def _make_overview(self, columns: int) -> tuple[np.ndarray, np.ndarray]:
        none = np.empty(0, np.int64)
        if self.outcome is None or self.opened is None or not len(self.outcome.result.frames):
            return none, none
        result = self.outcome.result
        first, last = self.opened.span_ns
        scale = columns / max(last - first, 1)
        ends = result.ends_ns if len(result.ends_ns) else result.frames.time_ns
        begins, stops = (
            np.clip(((times - first) * scale).astype(np.int64), 0, columns - 1)
            for times in (result.frames.time_ns, ends)
        )
        cover = (
            np.bincount(begins, minlength=columns + 1) - np.bincount(stops + 1, minlength=columns + 2)[: columns + 1]
        )
        wrong = result.frames.flags & engine.WRONG > 0
        return np.flatnonzero(np.cumsum(cover)[:columns] + np.bincount(stops, minlength=columns) > 0), np.unique(
            begins[wrong]
        )

    def current(self) -> int:
        """Return the frame at or before the cursor, -1 before the first."""
        return int(np.searchsorted(self.frame_times(), self.session.clock.cursor_ns, side="right")) - 1

    def go(self, row: int) -> None:
        """Put the cursor on a frame."""
        times = self.frame_times()
        if len(times):
            row = min(max(row, 0), len(times) - 1)
            self.session.clock.set_cursor(int(times[row]), follow=True)

    def show_frame(self, row: int) -> None:
        """Bring a whole frame into view, with some air around it."""
        if self.outcome is None or not 0 <= row < len(self.outcome.result.frames):
            return
        first = int(self.frame_times()[row])
        last = int(self.outcome.result.ends_ns[row]) + self.zero_ns
        air = max((last - first) // 12, 500)
        self.session.clock.set_cursor(first)
        self.session.clock.set_view(first - air, last + air)

    def go_next(self, step: int, *, wrong: bool = False, same_address: bool = False) -> bool:
        """Go to the next or the last frame with a fault, or of the same address; say whether there is one."""
        if self.outcome is None:
            return False
        table, at = self.outcome.result.frames, self.current()
        fits = np.ones(len(table), np.bool_)
        if wrong:
            fits &= table.flags & engine.WRONG > 0
        if same_address and at >= 0:
            fits &= table.address == table.address[at]
        rows = np.flatnonzero(fits)
        rows = rows[rows > at] if step > 0 else rows[rows < at][::-1]
        if not len(rows):
            return False
        self.go(int(rows[0]))
        return True

    # the lane's clock

    def set_offset(self, offset_ns: int) -> None:
        """Move the lane against the others; the capture is put together anew."""
        file = self.session.trial.file
        entry = file.lane_entry(self.lane_name)
        if self.lane_name and entry.offset_ns != offset_ns:
            self.session.trials.change(
                file.with_lane(msgspec.structs.replace(entry, offset_ns=offset_ns)), f"offset of {entry.name}"
            )

    def shift(self, by_ns: int) -> None:
        """Move the lane by some time more."""
        if self.lane_name and by_ns:
            self.set_offset(self.session.trial.file.lane_entry(self.lane_name).offset_ns + by_ns)

    def _aligned_traces(self) -> tuple[tuple, tuple] | None:
        """Return a traced field of another lane and one of this lane."""
        session = self.session
        names = [lane.name for lane in session.capture.lanes]
        own = [trace for trace in session.traces if names[session.kind_key(trace[0]).lane] == self.lane_name]
        others = [trace for trace in session.traces if trace not in own]
        return (others[0], own[0]) if own and others else None

    def can_align(self) -> bool:
        """Whether two traced fields could tell the lane's offset."""
        return self.session.capture is not None and self._aligned_traces() is not None

    def align(self) -> None:
        """Estimate the lane's offset from a field of it and one of another lane, both traced on Read."""
        traces = self._aligned_traces()
        if traces is None:
            return
        session = self.session
        meaning = session.reading.meaning
        assert meaning is not None, "fields are traced only while a trial is open"

        def work(progress: Progress) -> lines.OffsetEstimate:
            signals = []
            for kind, field_id in traces:
                progress.check()
                frames, column = meaning.column(kind, field_id)
                signals.append((frames.time_ns, column.plot_values().astype(np.float64)))
            return lines.estimate_offset(signals[0], signals[1])

        def done(found: lines.OffsetEstimate) -> None:
            way = "later" if found.offset_ns > 0 else "earlier"
            agree = f"the two fields then agree by {found.agreement:.0%}"
            words = f"The lane fits {abs(found.offset_ns) / 1e6:.3f} ms {way}: {agree}."
            if found.agreement < 0.5 or found.margin < 0.05:
                session.told.emit(
                    "wrong", f"The two fields do not tell an offset; at best they agree by {found.agreement:.0%}."
                )
                return
            session.told.emit("good", words)
            self.shift(found.offset_ns)

        session.jobs.start("align", "estimating the offset", work, done)

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

    def save(self, name: str) -> None:
        """Keep the recipe in the library under a name."""
        session = self.session
        if self.recipe is None or session.library is None:
            return
        recipe = msgspec.structs.replace(self.recipe, name=name)
        self.recipe = recipe
        shelf, author = session.library.recipes, session.edits.line.author

        def work(progress: Progress) -> str:
            progress.step(0.1, "keeping the recipe")
            head = shelf.head_of(recipe.id)
            if head is not None and head.state == recipe:
                return f"{name} is in the library as it stands."
            parent = head.revision.id if head is not None else None
            shelf.commit(recipe, parent=parent, author=author, reason=f"tried on {session.trial.file.name}")
            return f"Recipe {name} is kept in the library."

        session.jobs.start("recipe kept", "keeping the recipe", work, lambda words: session.told.emit("good", words))
        self.recipe_changed.emit()
