"""Packs a trial, or a part of it, into one file for somebody who has neither its recordings nor its library."""

from __future__ import annotations

import tempfile
import zipfile
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from pathlib import Path, PurePosixPath

import msgspec

from ..captures.source import files_of_source
from ..errors import MisuseError
from ..files.hashing import sha256_of
from ..files.reading import open_file
from ..files.writing import Target
from ..frames.capture import Capture
from ..handover.chunks import Span
from ..handover.frame_table import FRAME_SCHEMA, frame_table
from ..handover.writers import export_tables
from ..library.store import Library
from ..library.taking_along import Along, take_along
from ..progress import Progress
from ..words import counted
from .content import LaneEntry, SourceEntry, TrialFile
from .packed import ABOUT, LIBRARY, Packed, PackedFile
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
    trial: Trial, capture: Capture, library: Library, target: Target, packing: Packing | None = None,
    progress: Progress | None = None,
) -> Packed:  # fmt: skip
    """Write a trial into one file, which appears when it is whole; return what it says of itself.

    Of a stretch or of some lanes the frames go along, a table a lane; waves stay behind.

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
    _check(capture, library, packing)
    with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as place:
        staged = _Staged(Path(place), progress)
        file = trial.file
        if packing.is_whole:
            sources, left_out = _whole(trial, staged), list[str]()
            lanes = file.lanes
        else:
            sources, left_out = _frames(capture, packing, staged)
            # the times in the tables are those of the one clock already
            lanes = tuple(msgspec.structs.replace(lane, offset_ns=0) for lane in file.lanes)
        references = tuple(staged.add(trial.folder / name, "references") for name in file.references)
        count = _library(library, staged, packing.along, progress)
        left_out += _left_out(library, packing, count)
        made = _trial_file(file, sources, lanes, references, packing)
        staged.write(FILE_NAME, msgspec.json.format(msgspec.json.encode(made), indent=1) + b"\n")
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
        raise MisuseError(f"there is no lane {missing[0]!r}.", hint=f"There are {', '.join(sorted(known))}.")
    named = {layout.name for layout in library.layouts.states()}
    if packing.along.messages is not None and (missing := sorted(packing.along.messages - named)):
        raise MisuseError(f"there is no message {missing[0]!r}.", where=library.name)


class _Staged:
    """The files of an archive before they are in it.

    Attributes
    ----------
    files
        What is said of each.
    places
        Where each lies.
    """

    def __init__(self, folder: Path, progress: Progress) -> None:
        self.folder = folder
        self.files: list[PackedFile] = []
        self.places: list[tuple[str, Path]] = []
        self._progress = progress
        self._taken: set[str] = set()

    def add(self, path: Path, folder: str, names: Iterable[Path] = ()) -> str:
        """Take a file as it is, with others that belong to it beside it; return its name in the archive."""
        beside = [path, *(name for name in names if name != path)]
        room = self._room(folder, [one.name for one in beside])
        for one in beside:
            self._tell(f"{room}/{one.name}", one)
        return f"{room}/{path.name}"

    def made(self, name: str) -> Path:
        """Return where a file is to be made that goes into the archive under a name; tell with :meth:`finish`."""
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        return path

    def finish(self, name: str) -> None:
        """Take a file that was made."""
        self._tell(name, self.folder / name)

    def write(self, name: str, content: bytes) -> None:
        """Take a text."""
        self.made(name).write_bytes(content)
        self.finish(name)

    def _room(self, folder: str, names: list[str]) -> str:
        # files of one name from several folders each get a folder of their own
        number, room = 1, folder
        while any(f"{room}/{name}".casefold() in self._taken for name in names):
            number += 1
            room = f"{folder}/{number}"
        self._taken |= {f"{room}/{name}".casefold() for name in names}
        return room

    def _tell(self, name: str, path: Path) -> None:
        digest, size = sha256_of(path, self._progress.check)
        self.files.append(PackedFile(name, size, digest))
        self.places.append((name, path))


def _whole(trial: Trial, staged: _Staged) -> tuple[SourceEntry, ...]:
    """Take the recordings as they are."""
    made = []
    for entry in trial.file.sources:
        path = trial.source_path(entry)
        name = staged.add(path, "recordings", files_of_source(path))
        made.append(msgspec.structs.replace(entry, path=name))
    return tuple(made)


def _frames(capture: Capture, packing: Packing, staged: _Staged) -> tuple[tuple[SourceEntry, ...], list[str]]:
    """Take the frames of a stretch, a table a lane: a table says of one protocol what its lanes speak."""
    span = Span.of(capture, packing.first_ns, packing.last_ns)
    made: list[SourceEntry] = []
    for number, lane in enumerate(capture.lanes):
        if packing.lanes is not None and lane.name not in packing.lanes:
            continue
        kinds = {kind for kind, key in enumerate(capture.kinds.keys) if key.lane == number}
        name = f"recordings/{len(made) + 1} {_plain(lane.name)}.csv"
        path = staged.made(name)
        export_tables(path, "csv", FRAME_SCHEMA, frame_table(capture, span, kinds), as_is=True)
        staged.finish(name)
        made.append(SourceEntry(path=name, protocol=lane.protocol))
    left_out = ["Waves: of a stretch or of some lanes the frames went along, not the recordings."]
    if packing.lanes is not None and len(made) < len(capture.lanes):
        left_out.append(f"Lanes: {counted(len(capture.lanes) - len(made), 'lane')} of {len(capture.lanes)}.")
    if packing.first_ns is not None or packing.last_ns is not None:
        outside = len(capture) - (span.last - span.first)
        left_out.append(f"Frames: {counted(outside, 'frame')} before or behind the stretch.")
    return tuple(made), left_out


def _plain(name: str) -> str:
    return "".join(letter if letter.isalnum() or letter in " -_" else "_" for letter in name)[:60]


def _library(home: Library, staged: _Staged, along: Along, progress: Progress) -> int:
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


def _archive(staged: _Staged, about: Packed, target: Target, progress: Progress) -> None:
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
