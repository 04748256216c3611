"""The state that all desks share. Views read it, follow its events, and write by one call."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, NamedTuple
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.files.reading import resolved
from ..widgets.parts import one_shot
from ..widgets.words import counted, listed
from .asking import AskedCapture, Asking
from .beside import BesideHere
from .claims import Claims
from .clock import Clock
from .doors import engine, open_all
from .exchanges import ExchangesHere
from .figures import Figures
from .findings import Findings
from .forwarding import ForwardHere
from .growing import Growing, Grown
from .in_hand import InHand
from .jobs import Jobs
from .keeping import Keeping
from .kind_store import KindStore
from .kinds import Kinds
from .live import LiveHere
from .overlays import Overlays
from .owners import Owners
from .payload_form import PayloadForm
from .problems import Problems
from .questions import Questions
from .reading import Reading
from .recording_here import RecordingHere
from .registers import RegistersHere
from .rehearsing import Rehearsing
from .replaying import Replaying
from .settings import Settings, load_settings, save_settings, with_recent
from .shared import SharedLibrary
from .ties import Ties
from .traces import Traces
from .trials import Trials
from .undo import Undo


class FrameInHand(NamedTuple):
    """A frame by what tells it from others of its moment: lane, time on the capture's clock, address and flags."""

    lane: str
    time_ns: int
    address: int
    flags: int


class Session(QObject):
    """An open trial and what is being looked at.

    Attributes
    ----------
    clock, reading, store, jobs
        Time and cursor; what frames mean; worked-out facts about kinds; work on threads.
    trials
        The open trial: opening, and every change of it.
    asking, second
        The condition in hand, and where it holds; another one that is set against it.
    problems, exchanges, beside
        What is wrong in the recordings; requests with what came back; streams set side by side.
    overlays, figures
        What is laid over the traces; what they do in view.
    live, rehearsing, registers, replaying
        What is connected and what goes out; rehearsals that run; devices asked and played; recordings sent again.
    findings, questions
        What the program finds out about bits; what a person asks of them.
    kinds, owners, traces, ties
        What messages are called; whose their bits are; the fields drawn over time; layouts tied by hand.
    shared, claims, edits, undo
        The library and what others do in it; what people hold to be true; layouts; the one way back.
    capture, library, trial
        None until a trial is open.
    growing, recording
        What is recorded live, as part of the capture while it comes, and what puts it into the trial.
    outcomes, density
        What each of its recordings gave; frames a lane and column of the strip, in the stretch in hand.
    in_hand, form
        The message or layout that is looked at, with bits of it; how payloads are shown.

    Events
    ------
    opened
        Another trial is open; everything is another one.
    grown
        The capture has more frames, and perhaps kinds and lanes, than before; those it had keep their numbers.
    trial_changed
        Moments, lanes or sources changed.
    layouts_changed
        Layouts changed, so what frames mean did.
    desk_wanted
        (name) some view asks for another desk.
    source_wanted
        (number) somebody has to say how this recording is read.
    told
        (tone, sentence) something worth a line in the foot; tone is ``good``, ``wrong`` or empty.
    """

    opened = pyqtSignal()
    grown = pyqtSignal()
    trial_changed = pyqtSignal()
    layouts_changed = pyqtSignal()
    desk_wanted = pyqtSignal(str)
    source_wanted = pyqtSignal(int)
    told = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.settings: Settings = load_settings()
        self.jobs = Jobs()
        self._behind = one_shot(self, 0, self._work_behind)
        self._are_desks_ready = False
        self.clock = Clock()
        self.reading = Reading(self.jobs)
        self.store = KindStore(self.jobs)
        self.undo = Undo()
        self.trials = Trials(self.jobs, self.undo, lambda: self.edits.known())
        self.shared = SharedLibrary(self.jobs, self.undo)
        self.claims = Claims(self.shared)
        self.edits = self.shared.edits
        self.kinds = Kinds(self.reading, self.clock)
        self.owners = Owners(self.reading)
        self.in_hand = InHand(self.reading, self.edits)
        self.form = PayloadForm()
        self.traces = Traces(self.reading, self.kinds)
        asked_of = AskedCapture(self.reading, self.clock)
        self.asking = Asking(self.jobs, asked_of, self.trials, lambda time: self.clock.set_cursor(time, follow=True))
        self.second = Asking(self.jobs, asked_of, self.trials, lambda time: self.clock.set_cursor(time, follow=True))
        self.problems = Problems(self.jobs, self.reading, self.trials, self.clock)
        self.exchanges = ExchangesHere(self.jobs, self.reading)
        self.beside = BesideHere(self.jobs, self.reading, self.kinds)
        self.overlays = Overlays(self.jobs, self.reading, self.trials, self.traces)
        self.figures = Figures(self.jobs, self.reading, self.store, self.traces, self.clock)
        self.findings = Findings(self.jobs, self.reading, self.trials, self.overlays, lambda: self.in_hand.kind)
        self.keeping = Keeping(self.findings, self.reading, self.kinds, self.overlays)
        self.questions = Questions(self.jobs, self.reading, self.trials, self.clock, self.findings)
        self.ties = Ties(self.trials, self.edits, self.kinds)
        self.live = LiveHere(self.jobs, self.edits.layouts, lambda: self.trial)
        self.live.told.connect(self.told)
        self.growing = Growing(self.reading)
        self.recording = RecordingHere(
            self.live.writing, self.trials, self.growing, self.clock, lambda: self.capture
        )  # fmt: skip
        self.growing.told.connect(self.told)
        self.growing.grown.connect(self._on_grown)
        self.rehearsing = Rehearsing(self.live)
        self.forwarding = ForwardHere(self.live)
        self.registers = RegistersHere(self.live, self.jobs)
        self.replaying = Replaying(self.live)
        self.capture: Any = None
        self.outcomes: list[engine.SourceOutcome] = []
        self.density: Any = None
        self.clock.stretch_changed.connect(self._count_density)
        self.opened.connect(self.asking.ask_again)
        self.opened.connect(self.second.ask_again)
        self.opened.connect(self.problems.start)
        self.opened.connect(self.exchanges.forget)
        self.opened.connect(self.beside.forget)
        self.opened.connect(self.findings.start)
        self.findings.told.connect(self.told)
        self.opened.connect(self.questions.start)
        self.questions.told.connect(lambda sentence: self.told.emit("wrong", sentence))
        self.opened.connect(lambda: self.overlays.begin(self.outcomes))
        self.overlays.told.connect(lambda sentence: self.told.emit("wrong", sentence))
        self.edits.changed.connect(self._on_layouts_changed)
        self.reading.changed.connect(self._on_meaning_changed)
        self.shared.told.connect(self.told)
        self.trials.told.connect(self.told)
        self.store.failed.connect(lambda sentence: self.told.emit("wrong", sentence))
        self.trials.opened.connect(self._on_trial)
        self.trials.brought_again.connect(self._on_brought_again)
        self.trials.changed.connect(self._on_trial_changed)
        self.in_hand.changed.connect(self._tell_in_hand)
        self.jobs.failed.connect(lambda title, sentence: self.told.emit("wrong", f"{title}: {sentence}"))

    @property
    def trial(self) -> Any:
        """The open trial, None until one is open."""
        return self.trials.trial

    @property
    def library(self) -> Any:
        """The library in use, None until a trial is open."""
        return self.shared.library

    def origin(self) -> engine.Origin:
        """Return what a file says that is written from this window now."""
        return self.shared.origin()

    def _tell_in_hand(self) -> None:
        layout = self.in_hand.layout
        self.shared.hold(layout.id if layout is not None else None)

    # the trial

    def on_opened(self, call: Callable[[], object]) -> None:
        """Call something for every trial that is opened from now on, and for the one that is open.

        For desks, which are made when they are first needed.
        """
        self.opened.connect(call)
        if self.capture is not None:
            call()

    def _on_trial(self, made: engine.OpenedTrial) -> None:
        """Show another trial."""
        author = self.settings.author or engine.default_author()
        self.shared.use(made.library, made.heads, author)
        self.claims.take(None)
        self.claims.read()
        self.edits.pin(made.trial.file.release, made.released)
        if made.recovered:
            self.told.emit(
                "good", f"A recording that was broken off has joined the trial: {', '.join(made.recovered)}."
            )
        for note in made.notes:
            self.told.emit("wrong", note)
        self.growing.end()
        self.live.writing.leave_recording()
        self._take_capture(made.brought)
        self.in_hand.start()
        self.traces.shown = []
        self.clock.start(made.brought.stretches, made.brought.digits)
        # which are worth a look depends on how often they come in the stretch in hand
        self.traces.begin()
        outside = made.trial.outside()
        is_new = str(resolved(made.trial.folder)) not in self.settings.recent
        if outside and is_new and not made.is_begun:
            self.told.emit("", f"This trial reads files outside its folder: {', '.join(map(str, outside[:3]))}.")
        self.settings = with_recent(self.settings, made.trial.folder)
        save_settings(self.settings)
        self.opened.emit()
        self._behind.start()
        self._tell_problems()
        if made.is_begun or not self.capture.kinds.keys:
            undecided = _first_undecided(self.outcomes, 0)
            if undecided is not None:
                self.source_wanted.emit(undecided)
        if made.trial.file.release and made.released is None:
            self.told.emit("wrong", f"The library has no release {made.trial.file.release}; the newest state is used.")

    def _work_behind(self) -> None:
        """Begin what nobody waits for, behind the first picture: beside it each would wait for the other."""
        # what is recorded now is no recording of the trial yet: nothing that is kept beside it tells of that
        self.reading.counts.count_all(self.trial if not self.growing.is_on else None)
        if not self._are_desks_ready:
            self._are_desks_ready = True
            self.jobs.start("doors", "getting the desks ready", lambda _progress: open_all(), lambda _nothing: None)

    def _on_brought_again(self, brought: engine.Brought) -> None:
        """Show the open trial with other recordings, or lanes elsewhere; what is looked at stays in hand."""
        kind = self.in_hand.kind
        chosen = self.kinds.origin(kind) if kind is not None else None
        traced = self.traces.by_origin()
        place = (self.clock.view_first_ns, self.clock.view_last_ns, self.clock.cursor_ns)
        pin, is_following = self.clock.pin_ns, self.clock.is_following
        known, lanes = len(self.outcomes), [lane.name for lane in self.capture.lanes]
        is_counted = self._take_capture(brought)
        self.growing.stand_on(brought.capture, self.trial.file, brought.stretches)
        self.in_hand.stay(self.kinds.by_origin().get(chosen) if chosen is not None else None)
        self.traces.shown = []
        self.clock.start(brought.stretches, brought.digits)
        self.traces.find_again(traced)
        # the same trial with another recipe or offset: nobody wants to lose the place
        self.clock.set_view(*place[:2])
        self.clock.set_cursor(place[2])
        self.clock.pin_ns = pin
        if is_following and self.growing.is_on:
            self.clock.follow()
        self.opened.emit()
        self.in_hand.find_message()
        if not is_counted:
            self._behind.start()
        self._tell_problems()
        self._tell_renamed(lanes)
        undecided = _first_undecided(self.outcomes, known)
        if undecided is not None:
            self.source_wanted.emit(undecided)

    # what is recorded live

    def _on_grown(self, grown: Grown) -> None:
        """Show more of what comes."""
        before, meaning = self.reading.meaning, grown.meaning
        assert before is not None, "what grows was there before"
        if not meaning.has_grown_from(before):
            # a layout was changed while this was made
            meaning = before.grown_to(grown.capture)
        is_new = not self.capture.kinds.keys
        self.capture = self.kinds.capture = grown.capture
        if self.clock.is_following or self.clock.first_ns == grown.stretches[-1][0]:
            self.density = grown.density
        self.reading.grow(meaning)
        self.store.grow(meaning)
        if is_new or not self.traces.shown:
            self.traces.begin()
        self.clock.grow(grown.stretches)
        for part in (self.asking, self.second, self.problems, self.exchanges, self.findings):
            part.grow()
        self.grown.emit()
        self.in_hand.find_message()

    def _count_density(self) -> None:
        """Count the strip's frames anew: another stretch is in hand."""
        if self.capture is not None:
            span = self.clock.first_ns, self.clock.last_ns
            self.density = engine.lane_density(self.capture, engine.STRIP_COLUMNS, span)

    # what frames mean

    def _take_capture(self, brought: engine.Brought) -> bool:
        """Take what recordings gave; return whether all that was counted of it holds."""
        self.capture, self.outcomes, self.density = brought.capture, brought.outcomes, brought.density
        self.kinds.capture = brought.capture
        before = self.reading.meaning
        # what has grown live has more kinds, and numbers of its own for them
        is_same = brought.has_moved and before is not None and len(before.kinds) == len(brought.capture.kinds.keys)
        if is_same:
            self.reading.move_to(brought.capture)
        else:
            meaning, ties, known = brought.meaning, self.trial.file.ties, self.edits.known()
            if meaning is None or not meaning.is_of(known.layouts, ties, known.release):
                # edits that the library has not taken yet are in no head of it, and some may have come meanwhile
                meaning = known.meaning(brought.capture, ties)
            self.reading.start(meaning)
        assert self.reading.meaning is not None, "a capture that is shown has a meaning"
        self.store.start(brought.capture)
        self.store.use(self.reading.meaning)
        return is_same

    def _on_trial_changed(self) -> None:
        self.reading.take_ties(self.trial.file.ties)
        self.trial_changed.emit()

    def _tell_problems(self) -> None:
        problems = sum(outcome.report.problem_count + bool(outcome.error) for outcome in self.outcomes)
        if problems:
            self.told.emit("wrong", f"{counted(problems, 'problem')} while reading; see Intake.")

    def _tell_renamed(self, before: list[str]) -> None:
        """Say how many layouts name a lane as it was called before, whatever called it otherwise."""
        now = [lane.name for lane in self.capture.lanes]
        gone, new = [one for one in before if one not in now], [one for one in now if one not in before]
        # a recording that was taken out leaves no lane in the place of its own
        if not new:
            return
        asking = [set(one.applies.lanes) for one in self.edits.layouts()]
        lost = sum(not lanes.isdisjoint(gone) and lanes.isdisjoint(new) for lanes in asking)
        if lost:
            said = f"{counted(lost, 'layout', 'is', 'are')} for the lane {listed(gone)} and not for {listed(new)}."
            self.told.emit("wrong", f"{said} Ctrl Z takes the name back.")

    def source_of(self, lane: str, time_ns: int) -> int | None:
        """Return which recording a frame of a lane came from: of several the one that was running, else the first."""
        made = [number for number, outcome in enumerate(self.outcomes) if lane in outcome.lanes and not outcome.error]
        running = (n for n in made if self.outcomes[n].first_ns <= time_ns <= self.outcomes[n].last_ns)
        return next(running, made[0] if made else None)

    def match_again(self) -> None:
        """Find again which layout reads which kind: the library is another one, or in another state."""
        self.reading.take_all(self.edits.known())

    def _on_layouts_changed(self, ids: set[UUID]) -> None:
        # while a release is shown, what is edited or told of is not
        if not self.edits.release:
            self.reading.take({key: self.edits.layout(key) for key in ids})

    def _on_meaning_changed(self) -> None:
        assert self.reading.meaning is not None, "a meaning that has changed is there"
        self.store.use(self.reading.meaning)
        self.traces.drop_gone()
        self.in_hand.find_message()
        self.layouts_changed.emit()

    def set_author(self, name: str) -> None:
        """Keep changes under another name from now on; an empty one means the user's login."""
        self.settings.author = name.strip()
        save_settings(self.settings)
        self.shared.set_author(self.settings.author or engine.default_author())

    def close(self) -> None:
        """Finish edits, stop work and let go of files."""
        self.registers.close()
        self.forwarding.close()
        self.live.let_go()
        self.growing.end()
        self._behind.stop()
        for part in (self.reading.counts, self.asking, self.second, self.problems, self.exchanges, self.figures,
                     self.findings, self.shared):  # fmt: skip
            part.stop()
        self.jobs.close()
        # nobody is left to hear of what was refused meanwhile: it is written down, and comes up the next time
        self.edits.line.keep_unheard()
        self.shared.close()


def _first_undecided(outcomes: list[Any], first: int) -> int | None:
    """Return the first recording, of those from one on, that somebody should say how to read."""
    for number, outcome in enumerate(outcomes[first:], first):
        if outcome.needs_recipe or outcome.error or outcome.looks_like:
            return number
    return None
