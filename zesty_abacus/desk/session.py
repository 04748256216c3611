"""The state that all desks share. Views read it, follow its events, and write by one call."""

from __future__ import annotations

import importlib
import os
from collections.abc import Callable, Sequence
from pathlib import Path
from typing import TYPE_CHECKING, Any
from uuid import UUID

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ..core.files.reading import resolved
from .clock import Clock
from .jobs import Jobs
from .kind_store import KindStore
from .reading import Reading
from .settings import Settings, demo_folder, load_settings, save_settings, trials_folder, with_recent
from .shared import SharedLibrary

if TYPE_CHECKING:
    from . import engine as heavy

PAYLOAD_FORMS = ("hex", "dec", "bin", "text")
_FIRST_TRACES = 4
_SLOWEST_TRACE_HZ = 4


class Session(QObject):
    """An open trial and what is being looked at.

    Attributes
    ----------
    clock, reading, store, jobs
        Time and cursor; what frames mean; worked-out facts about kinds; work on threads.
    shared, edits
        The library and what others do in it; layouts and undo.
    engine
        The heavy part of the program, None until it is loaded.
    capture, library, trial
        None until a trial is open.
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
    password_wanted
        (address, again) the library of a trial asks for a password; ``again`` opens the trial once more.
    library_away
        (address, again) the library of a trial does not answer; ``again`` opens it with another one, or the same.
    library_asked
        (error, again) a trial's library is on a server not used before, or missing; ``again`` opens it with another
        one, or, once the user has agreed, with its own.
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
    password_wanted = pyqtSignal(str, object)
    library_away = pyqtSignal(str, object)
    library_asked = pyqtSignal(object, object)
    desk_wanted = pyqtSignal(str)
    told = pyqtSignal(str, str)

    def __init__(self) -> None:
        super().__init__()
        self.settings: Settings = load_settings()
        self.jobs = Jobs()
        self.clock = Clock()
        self.reading = Reading(self.jobs)
        self.store = KindStore(self.jobs)
        self.shared = SharedLibrary(self.jobs)
        self.edits = self.shared.edits
        self.engine: Any = None
        self.trial: Any = None
        self.capture: Any = None
        self.outcomes: list[heavy.SourceOutcome] = []
        self.density: Any = None
        self.kind: int | None = None
        self.bits: frozenset[int] = frozenset()
        self.traces: list[tuple[int, UUID]] = []
        self.form = "hex"
        self.edits.changed.connect(self._on_layout_changed)
        self.reading.changed.connect(self._on_meaning_changed)
        self.shared.told.connect(self.told)
        self.kind_changed.connect(self._tell_in_hand)
        self.jobs.failed.connect(lambda title, sentence: self.told.emit("wrong", f"{title}: {sentence}"))

    @property
    def library(self) -> Any:
        """The library in use, None until a trial is open."""
        return self.shared.library

    def origin(self) -> heavy.Origin:
        """Return what a file says that is written from this window now."""
        return self.shared.origin()

    def _tell_in_hand(self) -> None:
        layout = self.reading.layout_of(self.kind)
        self.shared.hold(layout.id if layout is not None else None)

    # opening

    def open_trial(self, path: Path) -> None:
        """Open a trial's folder or file; progress and errors show in the foot."""
        self._open_with(path, "")

    def _open_with(self, path: Path, library: str) -> None:
        self._open(
            f"opening {path.name}", lambda engine, progress: engine.open_trial(path, progress, library),
            lambda other: self._open_with(path, other),
        )  # fmt: skip

    def open_demo(self) -> None:
        """Open the user's copy of the Yuzu trial."""
        folder = demo_folder()
        self._open("opening the Yuzu trial", lambda engine, progress: engine.open_demo(folder, progress))

    def open_paths(self, paths: Sequence[Path]) -> None:
        """Open what was dropped or chosen: a trial, or recordings that join the open trial."""
        for path in paths:
            if path.is_dir() or path.name == "trial.json":
                self.open_trial(path)
                return
        if self.trial is None:
            self._open("starting a trial", lambda engine, progress: _trial_around(engine, paths, progress))
        else:
            self.add_sources(paths)

    def add_sources(self, paths: Sequence[Path]) -> None:
        """Bring more recordings into the open trial."""
        known = {resolved(self.trial.source_path(entry)) for entry in self.trial.file.sources}
        fresh = [path for path in paths if resolved(path) not in known]
        for path in paths:
            if path not in fresh:
                self.told.emit("wrong", f"{path.name} is in this trial already.")
        if fresh:
            entries = tuple(self.trial.entry_for(path) for path in fresh)
            self.change_trial(msgspec.structs.replace(self.trial.file, sources=self.trial.file.sources + entries))

    def remove_source(self, number: int) -> None:
        """Take a recording out of the trial; its file stays where it is."""
        kept = tuple(entry for index, entry in enumerate(self.trial.file.sources) if index != number)
        self.change_trial(msgspec.structs.replace(self.trial.file, sources=kept))

    def change_trial(self, file: heavy.TrialFile) -> None:
        """Save a changed trial, and bring it in again if its recordings or lanes changed."""
        before = self.trial.file
        try:
            self.trial.save(file)
        except self.engine.AbacusError as error:
            self.told.emit("wrong", str(error))
            return
        # what another window saved meanwhile is in it now
        saved = self.trial.file
        if (before.sources, before.lanes) != (saved.sources, saved.lanes):
            trial = self.trial
            self._open("bringing recordings in", lambda engine, progress: engine.finish_opening(trial, progress))
        else:
            self.reading.take_ties(saved.ties)
            self.trial_changed.emit()

    def add_moment(self, text: str) -> None:
        """Write down what happened at the cursor."""
        moment = self.engine.Moment(time_ns=self.clock.cursor_ns, text=text)
        self.change_trial(self.trial.file.with_moment(moment))

    def _open(self, title: str, work: Any, away: Callable[[str], None] | None = None) -> None:
        """Open something; ``away`` opens it again with another library when its own does not answer."""

        def whole(progress: Any) -> Any:
            engine = importlib.import_module(f"{__package__}.engine")
            try:
                return engine, work(engine, progress)
            except (
                engine.laid.PasswordNeededError, engine.laid.UnreachableError, engine.StrangeServerError,
                engine.MissingLibraryError,
            ) as missing:  # fmt: skip
                return engine, missing

        def opened(answer: tuple[Any, Any]) -> None:
            self.engine, found = answer
            again = away or (lambda _library: self._open(title, work))
            if isinstance(found, self.engine.laid.PasswordNeededError):
                self.password_wanted.emit(found.address, lambda: self._open(title, work, away))
            elif isinstance(found, self.engine.StrangeServerError | self.engine.MissingLibraryError):
                self.told.emit("wrong", "The trial is not open yet: say first which library it is to use.")
                self.library_asked.emit(found, again)
            elif isinstance(found, Exception):
                self.told.emit("wrong", str(found))
                self.library_away.emit(getattr(found, "address", ""), again)
            else:
                self._on_opened(answer)

        self.jobs.start("open", title, whole, opened, lambda text: self.told.emit("wrong", text))

    def _on_opened(self, answer: tuple[Any, heavy.OpenedTrial]) -> None:
        self.engine, made = answer
        same = self.trial is not None and self.trial.folder == made.trial.folder
        traced = [(self._origin_of(kind), field_id) for kind, field_id in self.traces] if same else []
        self.trial, self.capture = made.trial, made.capture
        self.outcomes, self.density = made.outcomes, made.density
        if same:
            # the library at hand goes on: edits on their way and the way back to earlier ones belong to it
            made.library.close()
        else:
            author = self.settings.author or self.engine.default_author()
            self.shared.use(self.engine, made.library, made.heads, author)
            self.edits.pin(made.trial.file.release, made.released)
            for note in made.notes:
                self.told.emit("wrong", note)
        self.store.start(self.engine, made.capture)
        layouts, release = self.edits.layouts(), self.edits.release
        meaning = self.engine.Meaning.of(made.capture, layouts, made.trial.file.ties, release)
        self.reading.start(self.engine, meaning)
        self.store.use(meaning)
        self.kind, self.bits = None, frozenset()
        numbers = {self._origin_of(kind): kind for kind in range(len(made.capture.kinds.keys))}
        kept = [(numbers[origin], field_id) for origin, field_id in traced if origin in numbers]
        self.traces = [trace for trace in kept or self._first_traces() if self.trace_field(trace) is not None]
        place = (self.clock.view_first_ns, self.clock.view_last_ns, self.clock.cursor_ns) if same else None
        self.clock.start(*_span_of(made))
        if place is not None:
            # the same trial with another recipe or offset: nobody wants to lose the place
            self.clock.set_view(*place[:2])
            self.clock.set_cursor(place[2])
        outside = made.trial.outside()
        if outside and str(resolved(made.trial.folder)) not in self.settings.recent:
            self.told.emit("", f"This trial reads files outside its folder: {', '.join(map(str, outside[:3]))}.")
        self.settings = with_recent(self.settings, made.trial.folder)
        save_settings(self.settings)
        self.opened.emit()
        self.reading.count_activity()
        problems = sum(outcome.report.problem_count + bool(outcome.error) for outcome in made.outcomes)
        if problems:
            self.told.emit("wrong", f"{problems} problems while reading; see Intake.")
        if made.trial.file.release and made.released is None and not same:
            self.told.emit("wrong", f"The library has no release {made.trial.file.release}; the newest state is used.")

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

    def kind_key(self, kind: int) -> heavy.KindKey:
        """Return lane, address and flags of a kind."""
        return self.capture.kinds.keys[kind]

    def layouts_for(self, lane: str) -> list[heavy.Layout]:
        """Return the layouts that name a lane."""
        return [layout for layout in self.edits.layouts() if lane in layout.applies.lanes]

    def kind_address(self, kind: int) -> str:
        """Return a kind's address the way its bus writes it."""
        key = self.kind_key(kind)
        return self.engine.protocol_named(self.capture.lanes[key.lane].protocol).kind_text(key)

    def kind_name(self, kind: int) -> str:
        """Return the message name of a kind, ``errors`` or ``remote``, or nothing if nobody named it."""
        name = self.reading.name(kind)
        if name:
            return name
        flags = self.kind_key(kind).flags
        if flags & self.engine.ERROR:
            return "error frames"
        return "remote frames" if flags & self.engine.REMOTE else ""

    def kind_rate(self, kind: int) -> float:
        """Return frames a second over the whole recording."""
        seconds = (self.clock.last_ns - self.clock.first_ns) / 1e9
        return self.capture.kinds.count(kind) / seconds if seconds > 0 else 0.0

    def layout_for_new_field(self, kind: int, name: str) -> heavy.Layout:
        """Return the layout of a kind, or a new empty one that reads just this kind."""
        layout = self.reading.layout_of(kind)
        if layout is not None:
            return layout
        key = self.kind_key(kind)
        lane = self.capture.lanes[key.lane]
        applies = self.engine.Applies(
            address=key.address, protocol=lane.protocol, extended=key.extended, lanes=(lane.name,)
        )
        return self.engine.new_layout(name, applies, self.capture.kind_size(kind))

    def match_again(self) -> None:
        """Find again which layout reads which kind: the library is another one, or in another state."""
        self.reading.take_all(self.edits.layouts(), self.edits.release)

    def _on_layout_changed(self, layout_id: str) -> None:
        key = UUID(layout_id)
        self.reading.take({key: self.edits.layout(key)})

    def _on_meaning_changed(self) -> None:
        assert self.reading.meaning is not None, "a meaning that has changed is there"
        self.store.use(self.reading.meaning)
        self.traces = [trace for trace in self.traces if self.trace_field(trace) is not None]
        self.layouts_changed.emit()

    # which layout reads a kind

    def layouts_to_tie(self, kind: int | None) -> list[heavy.Layout]:
        """Return the layouts that could be tied to a kind: those for what its lane speaks."""
        if kind is None:
            return []
        protocol = self.capture.lanes[self.kind_key(kind).lane].protocol
        spoken = (protocol, self.engine.BY_HAND)
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
        self.change_trial(self.trial.file.with_tie(layout_id, lane, address, flags))

    # traces

    def trace_field(self, trace: tuple[int, UUID]) -> heavy.Field | None:
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
        self.shared.set_author(self.settings.author or self.engine.default_author())

    def close(self) -> None:
        """Finish edits, stop work and let go of files."""
        self.shared.stop()
        self.jobs.close()
        # nobody is left to hear of what was refused meanwhile: it is written down, and comes up the next time
        self.shared.edits.keep_unheard()
        self.shared.close()


def _span_of(made: heavy.OpenedTrial) -> tuple[int, int]:
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


def _trial_around(engine: Any, paths: Sequence[Path], progress: Any) -> Any:
    """Make a trial beside the first recording, so that moments and the library have a place.

    Where that folder cannot be written, such as on a shared archive, it goes to the user's own data.
    """
    first = resolved(paths[0])
    base = first.parent if os.access(first.parent, os.W_OK) else trials_folder()
    folder = base / f"{first.name.split('.')[0]} trial"
    trial = engine.Trial.open(folder) if (folder / "trial.json").exists() else engine.Trial.create(folder, folder.name)
    known = {entry.path for entry in trial.file.sources}
    entries = tuple(entry for entry in map(trial.entry_for, paths) if entry.path not in known)
    if entries:
        trial.save(msgspec.structs.replace(trial.file, sources=trial.file.sources + entries))
    if not trial.library_address.exists():
        # whoever starts a trial starts its library
        engine.make_library_of(trial)
    return engine.finish_opening(trial, progress)
