"""What is asked of the frames of the open trial, and where it holds."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import Any, Protocol

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.progress import Progress
from .clock import Clock
from .doors import asked, engine
from .jobs import Jobs
from .paced import Paced
from .reading import Reading
from .trials import Trials


class AskedOf(Protocol):
    """Frames that can be asked something."""

    @property
    def meaning(self) -> engine.Meaning | None:
        """Return the frames with what they mean, None while there are none."""
        ...

    @property
    def changed(self) -> Any:
        """Return the event that they are others, or mean something else."""
        ...

    @property
    def cursor_ns(self) -> int:
        """Return the time from which on the next hit is looked for."""
        ...


class AskedCapture:
    """The open capture as what is asked."""

    def __init__(self, reading: Reading, clock: Clock) -> None:
        self._reading, self._clock = reading, clock
        self.changed = reading.changed

    @property
    def meaning(self) -> engine.Meaning | None:
        """Return what the open capture means, None until a trial is open."""
        return self._reading.meaning

    @property
    def cursor_ns(self) -> int:
        """Return where the cursor is."""
        return self._clock.cursor_ns


class Asking(QObject):
    """The condition in hand.

    It is bound to what is there on the spot, so that a mistake is told while typing; the frames are looked through on
    a thread, and again whenever they mean something else.

    Attributes
    ----------
    text
        As it is written; empty where nothing is asked.
    words
        What it asks, said back; empty where it makes no sense.
    trouble
        Why it makes none.
    hits
        Where it holds; None until that is known.
    so_far
        How many hits there are while it is still looked for.

    Events
    ------
    changed
        Another condition, or hits of it.
    """

    changed = pyqtSignal()
    _early = pyqtSignal(int, int)

    def __init__(self, jobs: Jobs, of: AskedOf, trials: Trials, go: Callable[[int], object]) -> None:
        """Begin with nothing that is asked.

        Parameters
        ----------
        of
            The frames that are asked, with what they mean.
        go
            Shows a time; called with each hit that is gone to.
        """
        super().__init__()
        self._jobs = jobs
        self._of = of
        self._trials = trials
        self._go = go
        self._term: asked.Term | None = None
        self._turn = 0
        self._step_when_known = 0
        self._mask: Any = None
        self._here: tuple[object, list[str]] | None = None
        self._known: tuple[tuple[object, ...], asked.Known] | None = None
        self.text = ""
        self.words = ""
        self.trouble = ""
        self.hits: asked.Hits | None = None
        self.so_far = 0
        self._again = Paced(self, self._look_on)
        self._early.connect(self._on_early)
        of.changed.connect(self.ask_again)

    @property
    def has_frames(self) -> bool:
        """Whether there is anything that can be asked."""
        return self._of.meaning is not None

    def known(self) -> asked.Known:
        """Return what a condition may name here."""
        meaning = self._of.meaning
        assert meaning is not None, "nothing is asked while no trial is open"
        noted = self._trials.trial.file.moments
        lanes = [lane.name for lane in meaning.capture.lanes]
        of = id(meaning.layouts), lanes, noted
        if self._known is None or self._known[0] != of:
            # with thousands of layouts it takes longer than a key may
            self._known = of, asked.Known(lanes, meaning.layouts.values(), noted)
        return self._known[1]

    def offers(self, before: str) -> asked.Offer:
        """Return what may come next behind a part of a condition; fields that frames here have go first."""
        meaning = self._of.meaning
        assert meaning is not None, "nothing is asked while no trial is open"
        if self._here is None or self._here[0] is not meaning:
            # asked at every key, and there may be thousands of messages
            readers = (reader for kind in meaning.kinds for reader in kind.readers)
            names = {field.name for reader in readers for field in reader.shown.once_a_frame()}
            self._here = meaning, sorted(names)
        return asked.offers(before, self.known(), self._here[1])

    def ask(self, text: str) -> None:
        """Ask something else; an empty text asks nothing."""
        if text != self.text:
            self.text = text
            self.ask_again()

    def ask_again(self) -> None:
        """Ask the same of frames that mean something else."""
        self._turn += 1
        self._again.stop()
        self._term, self.hits, self.words, self.trouble, self.so_far = None, None, "", "", 0
        self._step_when_known = 0
        if self.text.strip() and self._of.meaning is not None:
            try:
                self._term = asked.bind(self.text, self.known())
            except asked.ConditionError as error:
                self.trouble = str(error)
            else:
                self.words = self._term.words()
                self._look()
        self.changed.emit()

    def stop(self) -> None:
        """Look for nothing any more."""
        self._again.stop()

    def grow(self) -> None:
        """Ask it also of what has come since; hits that are known stay until then."""
        if self._term is not None and self.hits is not None:
            self._again.want()

    def _look_on(self) -> None:
        if self._term is not None:
            self._look()

    def _look(self) -> None:
        term, meaning, turn = self._term, self._of.meaning, self._turn
        assert term is not None and meaning is not None

        def work(progress: Progress) -> tuple[asked.Hits, Any]:
            hits = asked.find(meaning, term, progress, lambda count: self._early.emit(turn, count))
            return hits, hits.mask()

        def finish(found: tuple[asked.Hits, Any]) -> None:
            if turn == self._turn:
                self.hits, self._mask = found
                self.changed.emit()
                if self._step_when_known:
                    self.step(self._step_when_known)
                    self._step_when_known = 0

        def fail(sentence: str) -> None:
            if turn == self._turn:
                self.trouble = sentence
                self.changed.emit()

        job = self._jobs.start(f"condition {id(self)}", "looking for frames", work, finish, fail)
        job.finished.connect(self._again.done)

    def _on_early(self, turn: int, count: int) -> None:
        if turn == self._turn and self.hits is None and count != self.so_far:
            self.so_far = count
            self.changed.emit()

    def step(self, by: int) -> bool:
        """Go to the next hit, or with -1 the one before; say whether there is one.

        While it is not yet known where the condition holds, it goes there as soon as it is.
        """
        if self.hits is None and self._term is not None:
            self._step_when_known = by
            return False
        place = self.hits.place_at(self._of.cursor_ns, by) if self.hits is not None else None
        if place is None or self.hits is None:
            return False
        self._go(int(self.hits.time_ns[place]))
        return True

    def holds(self, row: int) -> bool:
        """Return whether the condition is known to hold in a frame of the capture."""
        return self.hits is not None and row < len(self._mask) and bool(self._mask[row])

    def place(self) -> int:
        """Return how many hits there are up to the cursor."""
        return self.hits.in_order().count_until(self._of.cursor_ns) if self.hits is not None else 0

    def write(
        self, path: Path, form: str, origin: Any, done: Callable[[int, str], None], failed: Callable[[str], None]
    ) -> None:
        """Write the hits to a file as a table, or as a recording; ``done`` is told how many, ``failed`` why not."""
        hits, meaning = self.hits, self._of.meaning
        assert hits is not None and meaning is not None, "there are hits to write"
        schema = asked.FOUND_SCHEMA if hits.since_ns is None else asked.SINCE_SCHEMA
        blocks = asked.found_table(meaning, hits.rows, hits.since_ns)
        target = asked.Target(path, True, tuple(self._trials.trial.files()))
        leaving: asked.Leaving = asked.Leaving(meaning.capture, hits.rows)
        self._jobs.start(
            "hits", f"writing {path.name}",
            lambda progress: leaving.write(target, form, schema, blocks, progress, origin),
            lambda left: done(left.rows, left.without), failed,
        )  # fmt: skip
