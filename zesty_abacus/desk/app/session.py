"""The state that all desks share. Views read it, follow its events, and write by one call."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.files.reading import resolved
from .clock import Clock
from .doors import engine
from .jobs import Jobs
from .kind_store import KindStore
from .reading import Reading
from .settings import Settings, load_settings, save_settings, with_recent
from .shared import SharedLibrary
from .trials import Trials
from .undo import Undo

PAYLOAD_FORMS = ("hex", "dec", "bin", "text")
_FIRST_TRACES = 4
_SLOWEST_TRACE_HZ = 4


class Session(QObject):
    """An open trial and what is being looked at.

    Attributes
    ----------
    clock, reading, store, jobs
        Time and cursor; what frames mean; worked-out facts about kinds; work on threads.
    trials
        The open trial: opening, and every change of it.
    shared, edits, undo
        The library and what others do in it; layouts; the one way back.
    capture, library, trial
        None until a trial is open.
    outcomes, density
        What each of its recordings gave; frames a lane and column of the strip.
    kind
        Number of the message kind in hand, None for none.
    bits
        The selected bits of that kind.

    Events
    ------
    opened
        Another trial is open; everything is another one.
    trial_changed
        Moments, lanes or sources changed.
    layouts_changed
        Layouts changed, so what frames mean did.
    kind_changed, bits_changed, traces_changed, form_changed
        Another kind, selection, list of traces, or way to show payloads.
    desk_wanted
        (name) some view asks for another desk.
    told
        (tone, sentence) something worth a line in the foot; tone is ``good``, ``wrong`` or empty.
    """

    opened = pyqtSignal()
    trial_changed = pyqtSignal()
    layouts_changed = pyqtSignal()
    kind_changed = pyqtSignal()
    bits_changed = pyqtSignal()
    traces_changed = pyqtSignal()
    form_changed = pyqtSignal()
    desk_wanted = pyqtSignal(str)
    told = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.settings: Settings = load_settings()
        self.jobs = Jobs()
        self.clock = Clock()
        self.reading = Reading(self.jobs)
        self.store = KindStore(self.jobs)
        self.undo = Undo()
        self.trials = Trials(self.jobs, self.undo)
        self.shared = SharedLibrary(self.jobs, self.undo)
        self.edits = self.shared.edits
        self.capture: Any = None
        self.outcomes: list[engine.SourceOutcome] = []
        self.density: Any = None
        self.kind: int | None = None
        self.bits: frozenset[int] = frozenset()
        self.traces: list[tuple[int, UUID]] = []
        self.form = "hex"
        self.edits.changed.connect(self._on_layouts_changed)
        self.reading.changed.connect(self._on_meaning_changed)
        self.shared.told.connect(self.told)
        self.trials.told.connect(self.told)
        self.store.failed.connect(lambda sentence: self.told.emit("wrong", sentence))
        self.trials.opened.connect(self._on_trial)
        self.trials.brought_again.connect(self._on_brought_again)
        self.trials.changed.connect(self._on_trial_changed)
        self.kind_changed.connect(self._tell_in_hand)
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
        layout = self.reading.layout_of(self.kind)
        self.shared.hold(layout.id if layout is not None else None)

    # the trial

    def _on_trial(self, made: engine.OpenedTrial) -> None:
        """Show another trial."""
        author = self.settings.author or engine.default_author()
        self.shared.use(made.library, made.heads, author)
        self.edits.pin(made.trial.file.release, made.released)
        for note in made.notes:
            self.told.emit("wrong", note)
        self._take_capture(made.brought)
        self.kind, self.bits = None, frozenset()
        self.traces = self._first_traces()
        self.clock.start(*_span_of(made.brought), made.brought.digits)
        outside = made.trial.outside()
        if outside and str(resolved(made.trial.folder)) not in self.settings.recent:
            self.told.emit("", f"This trial reads files outside its folder: {', '.join(map(str, outside[:3]))}.")
        self.settings = with_recent(self.settings, made.trial.folder)
        save_settings(self.settings)
        self.opened.emit()
        self.reading.count_activity()
        self._tell_problems()
        if made.trial.file.release and made.released is None:
            self.told.emit("wrong", f"The library has no release {made.trial.file.release}; the newest state is used.")

    def _on_brought_again(self, brought: engine.Brought) -> None:
        """Show the open trial with other recordings, or lanes elsewhere; what is looked at stays in hand."""
        chosen = self._origin_of(self.kind) if self.kind is not None else None
        traced = [(self._origin_of(kind), field_id) for kind, field_id in self.traces]
        bits, place = self.bits, (self.clock.view_first_ns, self.clock.view_last_ns, self.clock.cursor_ns)
        pin = self.clock.pin_ns
        self._take_capture(brought)
        numbers = {self._origin_of(kind): kind for kind in range(len(brought.capture.kinds.keys))}
        self.kind = numbers.get(chosen) if chosen is not None else None
        self.bits = bits if self.kind is not None else frozenset()
        kept = [(numbers[origin], field_id) for origin, field_id in traced if origin in numbers]
        self.traces = [trace for trace in kept or self._first_traces() if self.trace_field(trace) is not None]
        self.clock.start(*_span_of(brought), brought.digits)
        # the same trial with another recipe or offset: nobody wants to lose the place
        self.clock.set_view(*place[:2])
        self.clock.set_cursor(place[2])
        self.clock.pin_ns = pin
        self.opened.emit()
        if not brought.has_moved:
            self.reading.count_activity()
        self._tell_problems()

    def _take_capture(self, brought: engine.Brought) -> None:
        self.capture, self.outcomes, self.density = brought.capture, brought.outcomes, brought.density
        if brought.has_moved:
            self.reading.move_to(brought.capture)
        else:
            layouts, release = self.edits.layouts(), self.edits.release
            self.reading.start(engine.Meaning.of(brought.capture, layouts, self.trial.file.ties, release))
        assert self.reading.meaning is not None, "a capture that is shown has a meaning"
        self.store.start(brought.capture)
        self.store.use(self.reading.meaning)

    def _on_trial_changed(self) -> None:
        self.reading.take_ties(self.trial.file.ties)
        self.trial_changed.emit()

    def _tell_problems(self) -> None:
        problems = sum(outcome.report.problem_count + bool(outcome.error) for outcome in self.outcomes)
        if problems:
            self.told.emit("wrong", f"{problems} problems while reading; see Intake.")

    def _origin_of(self, kind: int) -> tuple[str, int, int]:
        """Return what a kind is called by when another capture numbers it otherwise."""
        key = self.kind_key(kind)
        return self.capture.lanes[key.lane].name, key.address, key.flags

    # kinds and bits

    def select_kind(self, kind: int | None) -> None:
        """Take a message kind in hand; the selection of bits belongs to the old one and goes."""
        if kind == self.kind:
            return
        self.kind = kind
        self.bits = frozenset()
        self.kind_changed.emit()
        self.bits_changed.emit()

    def select_bits(self, bits: frozenset[int]) -> None:
        """Select bits of the kind in hand."""
        if bits != self.bits:
            self.bits = bits
            self.bits_changed.emit()

    def kind_key(self, kind: int) -> engine.KindKey:
        """Return lane, address and flags of a kind."""
        return self.capture.kinds.keys[kind]

    def layouts_for(self, lane: str) -> list[engine.Layout]:
        """Return the layouts that name a lane."""
        return [layout for layout in self.edits.layouts() if lane in layout.applies.lanes]

    def kind_address(self, kind: int) -> str:
        """Return a kind's address the way its bus writes it."""
        key = self.kind_key(kind)
        return engine.protocol_named(self.capture.lanes[key.lane].protocol).kind_text(key)

    def kind_name(self, kind: int) -> str:
        """Return the message name of a kind, ``errors`` or ``remote``, or nothing if nobody named it."""
        name = self.reading.name(kind)
        if name:
            return name
        flags = self.kind_key(kind).flags
        if flags & engine.ERROR:
            return "error frames"
        return "remote frames" if flags & engine.REMOTE else ""

    def kind_rate(self, kind: int) -> float:
        """Return frames a second over the whole recording."""
        seconds = (self.clock.last_ns - self.clock.first_ns) / 1e9
        return self.capture.kinds.count(kind) / seconds if seconds > 0 else 0.0

    def layout_for_new_field(self, kind: int, name: str) -> engine.Layout:
        """Return the layout of a kind, or a new empty one that reads just this kind."""
        layout = self.reading.layout_of(kind)
        if layout is not None:
            return layout
        key = self.kind_key(kind)
        lane = self.capture.lanes[key.lane]
        applies = engine.Applies(address=key.address, protocol=lane.protocol, extended=key.extended, lanes=(lane.name,))
        return engine.new_layout(name, applies, self.capture.kind_size(kind))

    def match_again(self) -> None:
        """Find again which layout reads which kind: the library is another one, or in another state."""
        self.reading.take_all(self.edits.layouts(), self.edits.release)

    def _on_layouts_changed(self, ids: set[UUID]) -> None:
        # while a release is shown, what is edited or told of is not
        if not self.edits.release:
            self.reading.take({key: self.edits.layout(key) for key in ids})

    def _on_meaning_changed(self) -> None:
        assert self.reading.meaning is not None, "a meaning that has changed is there"
        self.store.use(self.reading.meaning)
        self.traces = [trace for trace in self.traces if self.trace_field(trace) is not None]
        self.layouts_changed.emit()

    # which layout reads a kind

    def layouts_to_tie(self, kind: int | None) -> list[engine.Layout]:
        """Return the layouts that could be tied to a kind: those for what its lane speaks."""
        if kind is None:
            return []
        protocol = self.capture.lanes[self.kind_key(kind).lane].protocol
        spoken = (protocol, engine.BY_HAND)
        found = [one for one in self.edits.layouts() if one.applies.protocol in spoken and one.registers is None]
        return sorted(found, key=lambda one: one.name)

    def is_tied(self) -> bool:
        """Return whether the kind in hand is tied to a layout by hand."""
        if self.kind is None or self.capture is None:
            return False
        lane, address, flags = self._origin_of(self.kind)
        return any((tie.lane, tie.address, tie.flags) == (lane, address, flags) for tie in self.trial.file.ties)

    def tie(self, layout_id: UUID | None) -> None:
        """Tie a layout to the kind in hand, or let the library decide again; kept with the trial."""
        if self.kind is None:
            return
        lane, address, flags = self._origin_of(self.kind)
        words = f"{self.kind_address(self.kind)} {'untied' if layout_id is None else 'tied by hand'}"
        self.trials.change(self.trial.file.with_tie(layout_id, lane, address, flags), words)

    # traces

    def trace_field(self, trace: tuple[int, UUID]) -> engine.Field | None:
        """Return the field a trace shows, None if it is no more."""
        layout = self.reading.layout_with(*trace)
        return next((f for f in layout.once_a_frame() if f.id == trace[1]), None) if layout is not None else None

    def toggle_trace(self, kind: int, field_id: UUID) -> None:
        """Put a field on the stack of traces, or take it off."""
        trace = (kind, field_id)
        self.traces = [t for t in self.traces if t != trace] if trace in self.traces else [*self.traces, trace]
        self.traces_changed.emit()

    def set_form(self, form: str) -> None:
        """Show payloads in another form, everywhere."""
        if form != self.form:
            self.form = form
            self.form_changed.emit()

    def _first_traces(self) -> list[tuple[int, UUID]]:
        """Choose fields worth a first look: one scaled number a message, messages of all lanes in turn."""
        by_lane: dict[int, list[tuple[int, UUID]]] = {}
        for kind in self.reading.kinds_read():
            layout = self.reading.layout_of(kind)
            if layout is None or self.kind_rate(kind) < _SLOWEST_TRACE_HZ:
                continue
            fields = [f for f in layout.fields if f.kind.is_number and f.unit and f.selected is None]
            if fields:
                by_lane.setdefault(self.kind_key(kind).lane, []).append((kind, fields[0].id))
        turns = [trace for group in zip(*_padded(list(by_lane.values())), strict=True) for trace in group if trace]
        return turns[:_FIRST_TRACES]

    def set_author(self, name: str) -> None:
        """Keep changes under another name from now on; an empty one means the user's login."""
        self.settings.author = name.strip()
        save_settings(self.settings)
        self.shared.set_author(self.settings.author or engine.default_author())

    def close(self) -> None:
        """Finish edits, stop work and let go of files."""
        self.shared.stop()
        self.jobs.close()
        # nobody is left to hear of what was refused meanwhile: it is written down, and comes up the next time
        self.edits.line.keep_unheard()
        self.shared.close()


def _span_of(made: engine.Brought) -> tuple[int, int]:
    """Return the time that frames and recordings of lines cover together."""
    spans = [
        (o.first_ns, o.last_ns) for o in made.outcomes if o.holds == "lines" and o.last_ns > o.first_ns and not o.error
    ]
    if len(made.capture):
        spans.append((made.capture.origin_ns, made.capture.end_ns))
    return min((first for first, _ in spans), default=0), max((last for _, last in spans), default=1)


def _padded(groups: list[list[Any]]) -> list[list[Any]]:
    longest = max((len(group) for group in groups), default=0)
    return [group + [None] * (longest - len(group)) for group in groups]
