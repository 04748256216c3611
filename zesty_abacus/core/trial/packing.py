"""Packs a trial, or a part of it, into one file for somebody who has neither its recordings nor its library."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

import msgspec

from ..captures.source import files_of_source
from ..errors import MisuseError
from ..files.reading import open_file
from ..files.writing import Target
from ..frames.capture import Capture
from ..library.store import Library
from ..library.taking_along import Along, take_along
from ..nearest import nearest
from ..progress import Progress
from ..words import counted
from .content import LaneEntry, SourceEntry, TrialFile
from .intake import BroughtIn
from .packed import ABOUT, LIBRARY, Packed
from .staged import Staged
from .stretch import Stretch
from .trial import FILE_NAME, Trial

_PIECE = 1 << 20


@dataclass(frozen=True, slots=True)
class Packing:
    """What goes into the file.

    Attributes
    ----------
    first_ns, last_ns
        Only this stretch, both ends included; None is no bound.
    lanes
        Only these; None is all.
    along
        What of the library.
    """

    first_ns: int | None = None
    last_ns: int | None = None
    lanes: frozenset[str] | None = None
    along: Along = field(default_factory=Along)

    @property
    def is_whole(self) -> bool:
        """Whether all recordings go along as they are."""
        return self.first_ns is None and self.last_ns is None and self.lanes is None


def pack(
    trial: Trial, made: BroughtIn, library: Library, target: Target, packing: Packing | None = None,
    progress: Progress | None = None,
) -> Packed:  # fmt: skip
    """Write a trial into one file, which appears when it is whole; return what it says of itself.

    Of a stretch or of some lanes goes along what was recorded of them: waves are cut between two frames, where they
    give the same frames there; of every other lane the frames, as a table.

    Parameters
    ----------
    made
        What was brought in of the trial.

    Raises
    ------
    MisuseError
        If a lane or message is not there.
    DataError
        If something cannot be read, or the file not written.
    Cancelled
        If the progress was cancelled; no file is left.
    """
    progress, packing = progress or Progress(), packing or Packing()
    target.check()
    _check(made.capture, library, packing)
    with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as place:
        staged = Staged(Path(place), progress)
        file = trial.file
        if packing.is_whole:
            sources, left_out = _whole(trial, staged), list[str]()
            lanes = file.lanes
        else:
            sources, left_out = Stretch(trial, made, packing, staged, progress).sources()
            # times are those of the one clock already
            lanes = tuple(msgspec.structs.replace(lane, offset_ns=0) for lane in file.lanes)
        references = tuple(staged.add(trial.folder / name, "references") for name in file.references)
        count = _library(library, staged, packing.along, progress)
        left_out += _left_out(library, packing, count)
        written = _trial_file(file, sources, lanes, references, packing)
        staged.write(FILE_NAME, msgspec.json.format(msgspec.json.encode(written), indent=1) + b"\n")
        about = Packed(
            trial=f"{file.name} {file.run}".strip(), library=library.name, library_id=library.id,
            release=packing.along.release, messages=count, is_working_copy=packing.along.is_working_copy,
            left_out=tuple(left_out), files=tuple(staged.files),
        )  # fmt: skip
        _archive(staged, about, target, progress)
    return about


def _check(capture: Capture, library: Library, packing: Packing) -> None:
    known = {lane.name for lane in capture.lanes}
    if packing.lanes is not None and (missing := sorted(packing.lanes - known)):
        raise MisuseError(f"there is no lane {missing[0]!r}.", hint=nearest(missing[0], known))
    named = {layout.name for layout in library.layouts.states()}
    if packing.along.messages is not None and (missing := sorted(packing.along.messages - named)):
        raise MisuseError(f"there is no message {missing[0]!r}.", where=library.name, hint=nearest(missing[0], named))


def _whole(trial: Trial, staged: Staged) -> tuple[SourceEntry, ...]:
    """Take the recordings as they are."""
    made = []
    for entry in trial.file.sources:
        path = trial.source_path(entry)
        name = staged.add(path, "recordings", files_of_source(path))
        made.append(msgspec.structs.replace(entry, path=name))
    return tuple(made)


def _library(home: Library, staged: Staged, along: Along, progress: Progress) -> int:
    path = staged.made(LIBRARY)
    copy = Library.create(path, f"{home.name}, packed")
    try:
        count = take_along(home, copy, along, progress.check)
    finally:
        copy.close()
    staged.finish(LIBRARY)
    return count


def _left_out(library: Library, packing: Packing, count: int) -> list[str]:
    along = packing.along
    told = []
    if along.messages is not None:
        total = len(library.layouts.states())
        told.append(f"Messages: {counted(total - count, 'layout')} of {total} that were not chosen.")
    if not along.notes:
        told.append("Notes, on lanes, messages and fields.")
    if not along.people:
        told.append("The names of people, and what they said.")
    return told


def _trial_file(
    file: TrialFile, sources: tuple[SourceEntry, ...], lanes: tuple[LaneEntry, ...], references: tuple[str, ...],
    packing: Packing,
) -> TrialFile:  # fmt: skip
    along = packing.along
    if not along.notes:
        lanes = tuple(msgspec.structs.replace(lane, note="") for lane in lanes)
    moments = tuple(
        moment for moment in file.moments
        if (packing.first_ns is None or moment.time_ns >= packing.first_ns)
        and (packing.last_ns is None or moment.time_ns <= packing.last_ns)
    )  # fmt: skip
    return msgspec.structs.replace(
        file, sources=sources, lanes=lanes, references=references, moments=moments, library=LIBRARY,
        release=along.release,
    )  # fmt: skip


def _archive(staged: Staged, about: Packed, target: Target, progress: Progress) -> None:
    total = max(sum(file.size for file in about.files), 1)
    done = 0
    with target.writing() as stream, zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        # who opens it reads first what it is
        archive.writestr(ABOUT, msgspec.json.format(msgspec.json.encode(about), indent=1) + b"\n")
        for name, path in staged.places:
            entry = zipfile.ZipInfo(name)
            entry.compress_type = _how(name)
            with open_file(path) as file, archive.open(entry, "w", force_zip64=True) as inside:
                done = _copied(file.read, inside.write, done, total, progress)


def _how(name: str) -> int:
    """Return how a file is kept: what is packed already gains nothing by it."""
    packed = {".gz", ".zst", ".zip", ".parquet", ".xz", ".bz2"}
    return zipfile.ZIP_STORED if PurePosixPath(name).suffix in packed else zipfile.ZIP_DEFLATED


def _copied(
    read: Callable[[int], bytes], write: Callable[[bytes], object], done: int, total: int, progress: Progress
) -> int:
    while piece := read(_PIECE):
        write(piece)
        done += len(piece)
        progress.step(done / total, "packing")
    return done
