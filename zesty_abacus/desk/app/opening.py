"""Opening a trial: its recordings brought in, its library opened or made, and what the first picture needs of both."""

from __future__ import annotations

import os
from collections.abc import Callable, Iterable, Iterator, Sequence
from dataclasses import dataclass, replace
from pathlib import Path

import msgspec
import numpy as np
from numpy.typing import NDArray

from ...core.errors import AbacusError
from ...core.files.reading import resolved
from ...core.frames.capture import Capture
from ...core.frames.density import lane_density
from ...core.frames.stretches import stretches_of
from ...core.layouts.model import (
    Layout,
)
from ...core.library.address import library_address
from ...core.library.errors import MissingLibraryError, NoLibraryError, UnknownLayoutError
from ...core.library.known_servers import KnownServers
from ...core.library.layout_shelf import LayoutHead
from ...core.library.store import Library
from ...core.library.taking_along import Along, take_along
from ...core.progress import Progress
from ...core.reading.meaning import Meaning
from ...core.reading.ties import Tie
from ...core.recipes.fitting import UnclearRecipeError
from ...core.trial.content import lane_moves
from ...core.trial.intake import SourceOutcome, forget_sources, open_trial_capture
from ...core.trial.recipe_choice import RecipeChoice
from ...core.trial.trial import FILE_NAME, SourceEntry, Trial, TrialFile
from ...core.trial.unfinished import take_unfinished
from ...core.trial.unpacking import unpacked_beside
from ...demo.trial import copy_shipped_trial
from . import laid
from .settings import known_servers_path, trials_folder

STRIP_COLUMNS = 2048
"""Columns of the density picture; as fine as a 4K strip shows."""


@dataclass(frozen=True, slots=True, eq=False)
class Brought:
    """The recordings of a trial, brought in.

    Attributes
    ----------
    capture, outcomes
    stretches
        First and last time of recordings that are looked at together, in ns, in order of time.
    density : int64 (lanes, columns)
        Frames a lane and column of the strip, in the last stretch.
    digits
        Behind the point of a second, that its times have.
    has_moved
        Whether it is the capture before with lanes moved: its kinds have the same numbers.
    meaning
        What its frames mean by the layouts that were known when they were brought in; None if lanes only moved.
    """

    capture: Capture
    outcomes: list[SourceOutcome]
    stretches: list[tuple[int, int]]
    density: NDArray[np.int64]
    digits: int
    has_moved: bool = False
    meaning: Meaning | None = None

    @classmethod
    def of(cls, capture: Capture, outcomes: list[SourceOutcome], *, has_moved: bool = False) -> Brought:
        """Sum up for the first picture what recordings gave."""
        stretches = stretches_of(_spans_of(capture, outcomes))
        density = lane_density(capture, STRIP_COLUMNS, stretches[-1])
        return cls(capture, outcomes, stretches, density, capture.time_digits(), has_moved)


def _spans_of(capture: Capture, outcomes: Sequence[SourceOutcome]) -> Iterator[tuple[int, int]]:
    """Yield the time of each lane of frames, and of each recording of lines."""
    for lane in range(len(capture.lanes)):
        order = capture.order_of_lanes(frozenset([lane]))
        if len(order):
            yield from order.spans()
    yield from (
        (one.first_ns, one.last_ns)
        for one in outcomes if one.holds == "lines" and one.last_ns > one.first_ns and not one.error
    )  # fmt: skip


@dataclass(frozen=True, slots=True, eq=False)
class OpenedTrial:
    """A trial with everything the first picture needs.

    ``released`` are the layouts of the release it is decoded with, None
    for the newest state; ``is_begun`` says that recordings that were never looked at came in with it, ``recovered``
    names files of a recording that was broken off.
    """

    trial: Trial
    brought: Brought
    library: Library
    heads: list[LayoutHead]
    released: list[Layout] | None = None
    is_begun: bool = False
    recovered: tuple[str, ...] = ()

    @property
    def notes(self) -> tuple[str, ...]:
        """What is worth saying once about its library: entries that cannot be read, a file system without a log."""
        return tuple(note for note in (*self.library.damage[:3], self.library.note()) if note)


def begin_trial(folder: Path, progress: Progress) -> OpenedTrial:
    """Make an empty trial with a library of its own, and open it."""
    trial = Trial.create(folder, folder.name)
    if not trial.library_address.exists():
        make_library_of(trial)
    return finish_opening(trial, progress)


def bring_in(trial: Trial, progress: Progress) -> Brought:
    """Bring the recordings of a trial in."""
    made = open_trial_capture(trial, progress)
    return Brought.of(made.capture, made.outcomes)


@dataclass(frozen=True, slots=True)
class Known:
    """Layouts that frames are read by, and the name of their release, empty for the newest state."""

    layouts: Sequence[Layout]
    release: str = ""

    def meaning(self, capture: Capture, ties: Sequence[Tie]) -> Meaning:
        """Return what frames mean by them; thousands of kinds take a tenth of a second."""
        return Meaning.of(capture, self.layouts, ties, self.release)

    def read(self, brought: Brought, ties: Sequence[Tie]) -> Brought:
        """Return what recordings gave, with what it means."""
        return replace(brought, meaning=self.meaning(brought.capture, ties))


def bring_in_again(
    trial: Trial, file: TrialFile, before: TrialFile, brought: Brought | None, known: Known, progress: Progress
) -> Brought:
    """Bring a trial in that has changed: only what is new is read, and a lane's offset moves its frames."""
    moves = lane_moves(before, file)
    if brought is None or moves is None:
        return known.read(bring_in(trial, progress), file.ties)
    progress.step(0.1, "moving frames")
    numbers = {lane.name: number for number, lane in enumerate(brought.capture.lanes)}
    moved = brought.capture.moved({numbers[name]: by for name, by in moves.items() if name in numbers})
    progress.step(0.8, "counting frames")
    return Brought.of(moved, brought.outcomes, has_moved=True)


def open_trial(path: Path, progress: Progress, library: str = "") -> OpenedTrial:
    """Open a trial, its capture and its library, which is made if there is none yet.

    Parameters
    ----------
    library
        Used this once in the place of the trial's own, which does not answer.
    """
    return finish_opening(Trial.open(path), progress, library)


def open_packed(path: Path, progress: Progress) -> OpenedTrial:
    """Open a trial that came as one file: unpacked beside it, or where it was unpacked before."""
    return finish_opening(unpacked_beside(path, progress.part(0.0, 0.5)), progress.part(0.5, 1.0))


def open_demo(folder: Path, progress: Progress) -> OpenedTrial:
    """Open the user's copy of the Yuzu trial, made on first use."""
    return finish_opening(copy_shipped_trial(folder), progress)


def open_recordings(paths: Sequence[Path], progress: Progress) -> OpenedTrial:
    """Open recordings in a trial beside the first of them, with a library of its own, which is made."""
    trial = _trial_beside(paths[0])
    fresh = _join(trial, map(trial.entry_for, paths))
    if not trial.library_address.exists():
        # whoever starts a trial starts its library
        make_library_of(trial)
    return replace(finish_opening(trial, progress), is_begun=bool(fresh))


def open_listed(path: Path, lists: Library, library: str, progress: Progress) -> OpenedTrial:
    """Open a recording in a trial beside it, read as where a library lists it: by the recipes and layouts in there.

    Parameters
    ----------
    lists
        The library, open.
    library
        How a trial names it.
    """
    trial = _trial_beside(path)
    fresh = _join(trial, [trial.entry_for(path)], lambda entry: _read_by(lists, entry, path))
    if fresh and not trial.library_address.exists():
        trial.save(msgspec.structs.replace(trial.file, library=library_named(library, trial.folder)))
    # a trial that was there before keeps its own library, but what was found was found by this one
    return replace(finish_opening(trial, progress, library), is_begun=bool(fresh))


def _trial_beside(recording: Path) -> Trial:
    """Return the trial beside a recording, so that moments and the library have a place; made if there is none.

    Where that folder cannot be written, such as on a shared archive, it is in the user's own data.
    """
    first = resolved(recording)
    base = first.parent if os.access(first.parent, os.W_OK) else trials_folder()
    folder = base / f"{first.name.split('.')[0]} trial"
    return Trial.open(folder) if (folder / FILE_NAME).exists() else Trial.create(folder, folder.name)


def _join(
    trial: Trial, entries: Iterable[SourceEntry],
    read: Callable[[SourceEntry], list[SourceEntry]] = lambda entry: [entry],
) -> list[SourceEntry]:  # fmt: skip
    """Put recordings into a trial, each ``read`` in one way or several; return those that were not there yet."""
    known = {entry.path for entry in trial.file.sources}
    fresh = [one for entry in entries if entry.path not in known for one in read(entry)]
    if fresh:
        trial.save(msgspec.structs.replace(trial.file, sources=(*trial.file.sources, *fresh)))
    return fresh


def _read_by(library: Library, entry: SourceEntry, path: Path) -> list[SourceEntry]:
    """Return a recording as the recipes of a library read it; as it is where none does, or several would."""
    try:
        found = RecipeChoice([], library.recipes.states).requests(path)
    except UnclearRecipeError:
        return [entry]
    return [msgspec.structs.replace(entry, recipe=one.recipe) for one in found]


def open_library(
    where: str, *, create: bool, password: str = "", keep: bool = False, make: bool = False
) -> tuple[Library, list[LayoutHead]]:
    """Open a library by its file or its server's address, or make one; return it with its newest states.

    Parameters
    ----------
    create
        Make one; there must be none yet.
    make
        Make one in a database that has none.
    """
    if password:
        laid.type_password(where, password, keep=keep)
    try:
        library = Library.create(where) if create else Library.open(where)
    except NoLibraryError:
        if not make:
            raise
        library = Library.create(where)
    know_server(where)
    try:
        return library, library.layouts.heads()
    except AbacusError:
        library.close()
        raise


def take_all_along(home: Library, empty: Library, progress: Progress) -> tuple[Library, list[LayoutHead]]:
    """Put everything of a library into an empty one, as a working copy of it; return that with its newest states."""
    try:
        take_along(home, empty, Along(), progress.check)
        return empty, empty.layouts.heads()
    except BaseException:
        empty.close()
        raise


def make_library_of(trial: Trial) -> None:
    """Make the empty library that a trial names; raises :class:`LibraryError` if there is something already."""
    Library.create(trial.library_address, f"{trial.file.name} library").close()


def know_server(where: str) -> None:
    """Remember a server that the user has named, or agreed to connect to."""
    KnownServers(known_servers_path()).add(library_address(where))


def library_named(where: str, folder: Path) -> str:
    """Return how a trial names a library: a file in its folder by its name alone."""
    if "://" in where:
        return where
    absolute, inside = resolved(Path(where)), resolved(folder)
    return str(absolute.relative_to(inside) if absolute.is_relative_to(inside) else absolute)


def finish_opening(trial: Trial, progress: Progress, library: str = "") -> OpenedTrial:
    """Bring in a trial's recordings and open its library, or another one in its place."""
    # asked about before anything else, so that nothing is read twice
    address = library_address(library) if library else trial.library_address
    if not library:
        KnownServers(known_servers_path()).check(address, trial.file.library)
    outside = trial.outside()
    if outside:
        progress.step(0.0, f"reading outside the trial's folder: {', '.join(path.name for path in outside[:3])}")
    recovered = take_unfinished(trial)
    brought = bring_in(trial, progress)
    forget_sources(trial)
    try:
        opened = Library.open(address)
    except (laid.PasswordNeededError, laid.UnreachableError, MissingLibraryError) as away:
        away.address = library or trial.file.library
        raise
    heads, released = opened.layouts.heads(), _released(trial, opened)
    known = Known([head.state for head in heads]) if released is None else Known(released, trial.file.release)
    return OpenedTrial(
        trial, known.read(brought, trial.file.ties), opened, heads, released, recovered=tuple(recovered)
    )  # fmt: skip


def _released(trial: Trial, library: Library) -> list[Layout] | None:
    """Return the layouts of the release that a trial is decoded with; None if there is none, or not any more here."""
    if not trial.file.release:
        return None
    try:
        return library.layouts.of_release(trial.file.release)
    except UnknownLayoutError:
        return None
