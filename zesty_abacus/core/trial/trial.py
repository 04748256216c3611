"""The trial: one JSON file in a folder that says which recordings belong together.

trial.json       name, run, sources, lanes with note and offset, moments, references
library.sqlite   the library it decodes with, unless the trial names another
.cache/          the stored capture; made again whenever it is missing or out of date
"""

from __future__ import annotations

import json
from pathlib import Path
from uuid import UUID

import msgspec

from ..captures.source import files_of_source
from ..codec.matching import Tie
from ..errors import DataError
from ..files.errors import FileError, file_errors_as
from ..files.reading import read_file, resolved
from ..files.writing import keep_file
from ..library.address import LibraryAddress, library_address
from ..recipes.model import Recipe

FORMAT = "zesty-abacus trial"
VERSION = 1
FILE_NAME = "trial.json"
_MAX_BYTES = 32 << 20


class TrialError(DataError):
    """A trial that cannot be opened or saved."""


class SourceEntry(msgspec.Struct, frozen=True, kw_only=True):
    """One recording of a trial.

    Attributes
    ----------
    path
        Relative to the trial's folder, or absolute.
    lanes
        Lane names by the interface name in the file; an interface without an entry keeps its own name.
    form
        Name of the format, if the user overruled what the content says.
    recipe
        How it becomes frames, as it was when it was put to use; recordings of frames need none.
    begins_ns
        When the recording's own zero is, since 1970 UTC; None takes the file's date, or the start of the others.
    """

    path: str
    lanes: dict[str, str] = {}
    form: str = ""
    recipe: Recipe | None = None
    begins_ns: int | None = None


class LaneEntry(msgspec.Struct, frozen=True, kw_only=True):
    """What the trial says about a lane.

    Attributes
    ----------
    note
        Shown beside the name, such as ``CAN 500k``.
    offset_ns
        Added to every time of the lane, to put several clocks on one.
    """

    name: str
    note: str = ""
    offset_ns: int = 0


class Moment(msgspec.Struct, frozen=True, kw_only=True):
    """Something that happened, on the capture's clock."""

    time_ns: int
    text: str


class TrialFile(msgspec.Struct, frozen=True, kw_only=True):
    """The content of ``trial.json``, an immutable value.

    ``library`` is a file or a server's address; ``release`` is the release that the trial is decoded with, empty for
    the newest state.
    """

    format: str = FORMAT
    version: int = VERSION
    name: str
    run: str = ""
    sources: tuple[SourceEntry, ...] = ()
    lanes: tuple[LaneEntry, ...] = ()
    moments: tuple[Moment, ...] = ()
    references: tuple[str, ...] = ()
    library: str = "library.sqlite"
    release: str = ""
    ties: tuple[Tie, ...] = ()

    def with_tie(self, layout: UUID | None, lane: str, address: int | None, flags: int | None) -> TrialFile:
        """Return a trial in which one kind of message, or a lane, is tied to a layout, or to none."""
        others = tuple(tie for tie in self.ties if (tie.lane, tie.address, tie.flags) != (lane, address, flags))
        made = () if layout is None else (Tie(layout=layout, lane=lane, address=address, flags=flags),)
        return msgspec.structs.replace(self, ties=(*others, *made))

    def lane_entry(self, name: str) -> LaneEntry:
        """Return what is said about a lane, an empty entry if nothing is."""
        return next((lane for lane in self.lanes if lane.name == name), LaneEntry(name=name))

    def with_source(self, number: int, entry: SourceEntry) -> TrialFile:
        """Return a trial with one source's entry replaced."""
        sources = tuple(entry if place == number else known for place, known in enumerate(self.sources))
        return msgspec.structs.replace(self, sources=sources)

    def with_lane(self, entry: LaneEntry) -> TrialFile:
        """Return a trial with one lane's entry replaced or added."""
        others = tuple(lane for lane in self.lanes if lane.name != entry.name)
        return msgspec.structs.replace(self, lanes=(*others, entry))

    def with_moment(self, moment: Moment) -> TrialFile:
        """Return a trial with one more moment, in order of time."""
        return msgspec.structs.replace(
            self, moments=tuple(sorted((*self.moments, moment), key=lambda item: item.time_ns))
        )


class Trial:
    """An open trial: its folder and its file's content.

    Attributes
    ----------
    folder
    file
        Assign a changed value with :meth:`save`.
    """

    def __init__(self, folder: Path, file: TrialFile) -> None:
        self.folder = folder
        self.file = file

    @classmethod
    def create(cls, folder: Path, name: str) -> Trial:
        """Make a trial in a folder that has none.

        Raises
        ------
        TrialError
            If there is one already or the folder cannot be written.
        """
        if (folder / FILE_NAME).exists():
            raise TrialError("there is a trial here already.", where=str(folder))
        trial = cls(folder, TrialFile(name=name))
        try:
            folder.mkdir(parents=True, exist_ok=True)
        except OSError as error:
            raise TrialError(f"the folder cannot be made ({error.strerror}).", where=str(folder)) from error
        trial.save(trial.file)
        return trial

    @classmethod
    def open(cls, path: Path) -> Trial:
        """Open a trial by its folder or its file.

        Raises
        ------
        TrialError
            If there is none, or the file is damaged or of a newer version.
        """
        file_path = path / FILE_NAME if path.is_dir() else path
        try:
            data = read_file(file_path, _MAX_BYTES)
        except FileError as error:
            raise TrialError(
                f"no trial can be opened here: {error.message}", where=error.where,
                hint=f"Choose a folder with a {FILE_NAME}.",
            ) from error  # fmt: skip
        try:
            content = msgspec.json.decode(data, type=TrialFile)
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
            raise TrialError(f"the trial file is damaged: {error}.", where=str(file_path)) from error
        if content.format != FORMAT or content.version > VERSION:
            raise TrialError(
                f"format={content.format!r} version={content.version}, expected {FORMAT!r} up to {VERSION}.",
                where=str(file_path),
            )
        return cls(file_path.parent, content)

    def save(self, file: TrialFile) -> None:
        """Replace the content, on disk first: either the old or the new file is there, never half of one.

        Raises
        ------
        TrialError
            If it cannot be written; the content stays as it was.
        """
        text = json.dumps(msgspec.to_builtins(file), indent=1, ensure_ascii=False) + "\n"
        with file_errors_as(TrialError):
            keep_file(self.folder / FILE_NAME, text.encode("utf-8", "surrogateescape"))
        self.file = file

    @property
    def library_address(self) -> LibraryAddress:
        """Where the trial's library is: a file, which may be in the trial's folder, or a server.

        Raises
        ------
        LibraryError
            If the trial names an address that must not be used, such as one with a password in it.
        """
        named = self.file.library
        return library_address(named if "://" in named else self.folder / named)

    def files(self) -> list[Path]:
        """Return all files that the trial is made of: its own, recordings, references, a library that is a file."""
        names = [entry.path for entry in self.file.sources]
        recordings = [file for name in names for file in files_of_source(self.folder / name)]
        references = [self.folder / name for name in self.file.references]
        library = [] if "://" in self.file.library else [self.folder / self.file.library]
        return [self.folder / FILE_NAME, *recordings, *references, *library]

    def source_path(self, entry: SourceEntry) -> Path:
        """Where a source's file lies."""
        return self.folder / entry.path

    def entry_for(self, path: Path) -> SourceEntry:
        """Return a new source entry; a file inside the trial's folder is named relative to it."""
        absolute, folder = resolved(path), resolved(self.folder)
        inside = absolute.is_relative_to(folder)
        return SourceEntry(path=str(absolute.relative_to(folder) if inside else absolute))
