"""The trial: one JSON file in a folder that says which recordings belong together.

trial.json       name, run, sources, lanes with note and offset, moments, references
library.sqlite   the library it decodes with, unless the trial names another
.cache/          the frames of each recording; read again whenever they are missing or out of date
"""

from __future__ import annotations

import json
from pathlib import Path

import msgspec

from ..captures.source import files_of_source
from ..errors import DataError
from ..files.errors import FileError, file_errors_as
from ..files.reading import read_file, resolved
from ..files.writing import alone_in, keep_file
from ..json_faults import faults_in
from ..library.address import LibraryAddress, library_address
from ..recipes.model import know_all_codes
from .content import FORMAT, VERSION, LaneEntry, Moment, SourceEntry, TrialFile
from .merging import merge_trials

FILE_NAME = "trial.json"
_MAX_BYTES = 32 << 20


class TrialError(DataError):
    """A trial that cannot be opened or saved."""


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
        know_all_codes()  # a source may have its recipe with it
        try:
            content = msgspec.json.decode(data, type=TrialFile)
        except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
            wrong = faults_in(data, TrialFile) or [str(error)]
            raise TrialError.of("the trial file is damaged", wrong, where=str(file_path)) from error
        if content.format != FORMAT or content.version > VERSION:
            raise TrialError(
                f"format={content.format!r} version={content.version}, expected {FORMAT!r} up to {VERSION}.",
                where=str(file_path),
            )
        return cls(file_path.parent, content)

    def saved_as(self, folder: Path) -> Trial:
        """Return a trial made in another folder with all of this one; recordings and library stay where they are.

        Raises
        ------
        TrialError
            If there is one already or the folder cannot be written.
        """
        other = Trial(folder, self.file)
        sources = tuple(
            msgspec.structs.replace(entry, path=other.entry_for(self.source_path(entry)).path)
            for entry in self.file.sources
        )
        references = tuple(str(resolved(self.folder / name)) for name in self.file.references)
        made = Trial.create(folder, folder.name)
        made.save(msgspec.structs.replace(
            self.file, name=folder.name, sources=sources, references=references, library=self.library_from_anywhere
        ))  # fmt: skip
        return made

    def save(self, file: TrialFile) -> None:
        """Replace the content, on disk first: either the old or the new file is there, never half of one.

        What somebody else saved since this trial was opened or saved here is kept, with our change put on top;
        ``file`` of this trial then holds both.

        Raises
        ------
        TrialError
            If it cannot be written; the content stays as it was.
        """
        with file_errors_as(TrialError), alone_in(self.folder):
            there = self._on_disk()
            merged = file if there is None or there == self.file else merge_trials(self.file, file, there)
            text = json.dumps(msgspec.to_builtins(merged), indent=1, ensure_ascii=False) + "\n"
            keep_file(self.folder / FILE_NAME, text.encode("utf-8", "surrogateescape"))
        self.file = merged

    def _on_disk(self) -> TrialFile | None:
        """Return what is saved now; None if there is nothing, or nothing that can be read."""
        try:
            return type(self).open(self.folder).file
        except TrialError:
            return None

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

    @property
    def library_from_anywhere(self) -> str:
        """The name of the trial's library for a trial in another folder."""
        named = self.file.library
        return named if "://" in named else str(resolved(self.folder / named))

    def outside(self) -> list[Path]:
        """Return the files that are read for it and lie outside its folder, through links too.

        A trial that somebody else wrote may name any file of this machine.
        """
        folder = resolved(self.folder)
        return [path for path in self.files() if not resolved(path).is_relative_to(folder)]

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


__all__ = ["FILE_NAME", "LaneEntry", "Moment", "SourceEntry", "Trial", "TrialError", "TrialFile"]
