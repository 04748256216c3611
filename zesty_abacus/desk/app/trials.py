"""The open trial: opening one, and every change of it, each of which can be taken back."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path
from typing import Any

import msgspec
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.files.reading import resolved
from ...core.trial.packed import is_packed
from .doors import engine, laid
from .jobs import Jobs
from .settings import demo_folder
from .undo import Undo, Undoable

Again = Callable[[str], None]


class Trials(QObject):
    """Opens trials and changes the open one; what is in a trial file is changed here alone.

    Parameters
    ----------
    known
        Says what the frames of the open trial are read by now.

    Attributes
    ----------
    trial
        The open one, None until one is open.

    Events
    ------
    opened
        (opened trial) another trial is open.
    brought_again
        (brought again) recordings of the open trial were brought in again, or moved.
    changed
        Moments, ties or what is said of lanes changed.
    password_wanted
        (address, again) the library of a trial asks for a password; ``again`` opens the trial once more.
    library_away
        (address, again) the library of a trial does not answer; ``again`` opens it with another one, or the same.
    library_asked
        (error, again) a trial's library is on a server not used before, or missing; ``again`` opens it with another
        one, or, once the user has agreed, with its own.
    told
        (tone, sentence) for the foot.
    """

    opened = pyqtSignal(object)
    brought_again = pyqtSignal(object)
    changed = pyqtSignal()
    password_wanted = pyqtSignal(str, object)
    library_away = pyqtSignal(str, object)
    library_asked = pyqtSignal(object, object)
    told = pyqtSignal(str, str)

    def __init__(self, jobs: Jobs, undo: Undo, known: Callable[[], engine.Known]) -> None:
        super().__init__()
        self._jobs, self._undo, self._known = jobs, undo, known
        self._brought: engine.Brought | None = None
        self.trial: Any = None

    # opening

    def open(self, path: Path, library: str = "") -> None:
        """Open a trial's folder or file, with another library than its own if one is given.

        Progress and errors show in the foot.
        """
        self._open(
            f"opening {path.name}", lambda progress: engine.open_trial(path, progress, library),
            lambda other: self.open(path, other),
        )  # fmt: skip

    def open_demo(self) -> None:
        """Open the user's copy of the Yuzu trial."""
        folder = demo_folder()
        self._open("opening the Yuzu trial", lambda progress: engine.open_demo(folder, progress))

    def open_paths(self, paths: Sequence[Path]) -> None:
        """Open what was dropped or chosen: a trial, or recordings that join the open trial."""
        for path in paths:
            if is_packed(path):
                self._open(f"unpacking {path.name}", lambda progress, path=path: engine.open_packed(path, progress))
                return
            if path.is_dir() or path.name == "trial.json":
                self.open(path)
                return
        if self.trial is None:
            self._open("starting a trial", lambda progress: engine.open_recordings(paths, progress))
        else:
            self.add_sources(paths)

    def open_listed(self, path: Path, lists: engine.Library, then: Callable[[], None] = lambda: None) -> None:
        """Open a recording that the library of the open trial lists, in a trial of its own.

        ``then`` is called once it is open.
        """
        named = self.trial.library_from_anywhere
        self._open(
            f"opening {path.name}", lambda progress: engine.open_listed(path, lists, named, progress), then=then
        )  # fmt: skip

    def begin(self, folder: Path, then: Callable[[], None] = lambda: None) -> None:
        """Begin an empty trial in a folder, with a library of its own, and open it; ``then`` is called once it is."""
        self._open("beginning a trial", lambda progress: engine.begin_trial(folder, progress), then=then)

    def save_as(self, folder: Path) -> None:
        """Save the open trial in another folder, with the same recordings and the same library, and open it there."""
        trial = self.trial
        self._open("saving the trial", lambda progress: engine.open_trial(
            trial.saved_as(folder).folder, progress))  # fmt: skip

    def _open(self, title: str, work: Any, away: Again | None = None, then: Callable[[], None] = lambda: None) -> None:
        """Open something; ``away`` opens it again with another library when its own does not answer."""

        def whole(progress: Any) -> Any:
            try:
                return work(progress)
            except (
                laid.PasswordNeededError, laid.UnreachableError, engine.StrangeServerError,
                engine.MissingLibraryError,
            ) as missing:  # fmt: skip
                return missing

        def answered(found: Any) -> None:
            again = away or (lambda _library: self._open(title, work))
            if isinstance(found, laid.PasswordNeededError):
                self.password_wanted.emit(found.address, lambda: self._open(title, work, away))
            elif isinstance(found, engine.StrangeServerError | engine.MissingLibraryError):
                self.told.emit("wrong", "The trial is not open yet: say first which library it is to use.")
                self.library_asked.emit(found, again)
            elif isinstance(found, Exception):
                self.told.emit("wrong", str(found))
                self.library_away.emit(getattr(found, "address", ""), again)
            else:
                self.trial, self._brought = found.trial, found.brought
                self._undo.clear()
                self.opened.emit(found)
                then()

        self._jobs.start("open", title, whole, answered, lambda text: self.told.emit("wrong", text))

    # changing

    def change(self, file: engine.TrialFile, words: str) -> None:
        """Save a changed trial, and follow with what that means for its recordings; it can be taken back."""
        before = self.trial.file
        if not self._save(file):
            return
        # what another window saved meanwhile is in the trial now, and is not taken back with this
        step = Undoable(words, object(), lambda: self._move(file, before), lambda: self._move(before, file))
        self._undo.did(step)
        self._follow(before, lambda: self._give_up(step, before, file))

    def keep(self, file: engine.TrialFile) -> bool:
        """Save what is chosen again as easily as it was, and is not taken back; return whether it was saved."""
        saved = self._save(file)
        if saved:
            self.changed.emit()
        return saved

    def _save(self, file: engine.TrialFile) -> bool:
        try:
            self.trial.save(file)
        except engine.AbacusError as error:
            self.told.emit("wrong", str(error))
            return False
        return True

    def _move(self, was: engine.TrialFile, to: engine.TrialFile) -> bool:
        """Go from one state of the trial to another; what was changed besides stays."""
        now = self.trial.file
        if not self._save(engine.merge_trials(was, to, now)):
            return False
        self._follow(now, lambda: self._move(to, was))
        return True

    def _give_up(self, step: Undoable, before: engine.TrialFile, file: engine.TrialFile) -> None:
        """Take a change back that somebody cancelled while recordings were brought in for it."""
        self._undo.forget(lambda about: about is step.about)
        if self._save(engine.merge_trials(file, before, self.trial.file)):
            self.told.emit("", f"Cancelled: {step.words}; the trial is as it was.")
            self.changed.emit()

    def _follow(self, before: engine.TrialFile, cancelled: Callable[[], object]) -> None:
        """Bring in again what the saved trial asks for."""
        saved = self.trial.file
        if (before.sources, before.lanes) == (saved.sources, saved.lanes):
            self.changed.emit()
            return
        trial, brought, known = self.trial, self._brought, self._known()

        def done(again: Any) -> None:
            if trial is self.trial:
                self._brought = again
                self.brought_again.emit(again)

        self._jobs.start(
            "open", "bringing recordings in",
            lambda progress: engine.bring_in_again(trial, saved, before, brought, known, progress), done,
            lambda text: self.told.emit("wrong", text), cancelled=cancelled,
        )  # fmt: skip

    def add_sources(self, paths: Sequence[Path]) -> None:
        """Bring more recordings into the open trial."""
        file = self.trial.file
        known = {resolved(self.trial.source_path(entry)) for entry in file.sources}
        fresh = [path for path in paths if resolved(path) not in known]
        for path in paths:
            if path not in fresh:
                self.told.emit("wrong", f"{path.name} is in this trial already.")
        if fresh:
            entries = tuple(self.trial.entry_for(path) for path in fresh)
            self.change(msgspec.structs.replace(file, sources=file.sources + entries), f"{_names(fresh)} brought in")

    def read_twice(self, number: int) -> None:
        """Read a recording of the trial once more, to give it another recipe and a lane of its own."""
        file = self.trial.file
        entry = msgspec.structs.replace(file.sources[number], recipe=None, lanes={})
        name = self.trial.source_path(entry).name
        self.change(msgspec.structs.replace(file, sources=(*file.sources, entry)), f"{name} read once more")

    def remove_source(self, number: int) -> None:
        """Take a recording out of the trial; its file stays where it is."""
        file = self.trial.file
        kept = tuple(entry for index, entry in enumerate(file.sources) if index != number)
        name = self.trial.source_path(file.sources[number]).name
        self.change(msgspec.structs.replace(file, sources=kept), f"{name} taken out")

    def keep_condition(self, name: str, text: str) -> None:
        """Keep a condition under a name; an empty text forgets it."""
        words = f"condition {name} kept" if text else f"condition {name} forgotten"
        self.change(self.trial.file.with_condition(name, text), words)

    def add_moment(self, time_ns: int, text: str) -> None:
        """Write down what happened at a time."""
        moment = engine.Moment(time_ns=time_ns, text=text)
        self.change(self.trial.file.with_moment(moment), f"moment {text}")


def _names(paths: Sequence[Path]) -> str:
    return paths[0].name if len(paths) == 1 else f"{len(paths)} recordings"
