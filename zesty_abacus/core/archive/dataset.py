"""Decoded values of an archive as Parquet files, by message and day.

    DATASET/Helm lever/2026-05-12/6f0f2d1c9c57.parquet
    DATASET/_zesty/done/6f0f2d1c9c57.json       which files a recording gave, and by what; of one that is
                                                worked on in pieces one a piece, 6f0f2d1c9c57-3.json

Readers of a folder leave out what begins with an underscore, so they find nothing but Parquet of one schema.
"""

from __future__ import annotations

import contextlib
import datetime
import re
import shutil
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec
import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
import pyarrow.parquet as pq

from ..files.errors import FileError, file_errors
from ..files.reading import read_file
from ..files.writing import keep_file
from ..handover.long_table import LONG_SCHEMA, long_table
from .cuts import Piece, pieces_of
from .errors import ArchiveError
from .task import Failed, Task, opened

OWN = "_zesty"
_DONE, _PARTS, _LAYOUTS = "done", "parts", "layouts"
_NOT_A_NAME = re.compile(r"[^\w \-.,()+]")
_DAY_NS = 86_400_000_000_000
_MOST_BYTES = 1 << 24
_NAME_DIGITS = 16


class Done(msgspec.Struct, frozen=True):
    """A recording that is in the dataset.

    Attributes
    ----------
    digest
        Of the recording.
    state
        By which layouts and which version of the program.
    frames, rows
    files
        Below the folder of the dataset.
    key
        What they are called; of a recording that is worked on as a whole the beginning of its digest.
    """

    digest: str
    state: str
    frames: int
    rows: int
    files: tuple[str, ...]
    key: str = ""


def key_of(digest: str, piece: Piece | None = None) -> str:
    """Return what files of a recording, or of a piece of it, are called in a dataset."""
    return digest[:_NAME_DIGITS] + (f"-{piece.number}" if piece is not None else "")


@dataclass(frozen=True, slots=True)
class DecodeTask:
    """A recording, or a piece of one, that goes into a dataset."""

    task: Task
    folder: str
    state: str
    piece: Piece | None = None

    @property
    def key(self) -> str:
        """What its files are called."""
        return key_of(self.task.digest, self.piece)


def decode_tasks(tasks: Sequence[Task], folder: str, state: str) -> list[DecodeTask]:
    """Return what is given out for some recordings; large ones of which each frame stands for itself are cut."""
    made = []
    for task in tasks:
        try:
            pieces = () if task.looks_at_frames_together else pieces_of(Path(task.path), task.size)
        except ArchiveError:
            pieces = ()  # whoever decodes it tells why it cannot be read
        made += [DecodeTask(task, folder, state, piece) for piece in pieces or (None,)]
    return made


class Dataset:
    """The folder, as whoever gives out the work sees it."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def begin(self, layouts: str, state: str) -> Path:
        """Make the folder, and keep the layouts that everything is decoded with; returns their file."""
        with file_errors(self.folder, "the dataset cannot be written"):
            for name in (_DONE, _PARTS, _LAYOUTS):
                (self.folder / OWN / name).mkdir(parents=True, exist_ok=True)
            path = self.folder / OWN / _LAYOUTS / f"{state}.json"
            keep_file(path, layouts.encode())
        return path

    def done(self, asked: DecodeTask) -> Done | None:
        """Return what is known of a recording that was decoded by the same layouts and version, None if it was not."""
        try:
            found = msgspec.json.decode(read_file(_done_file(self.folder, asked.key), _MOST_BYTES), type=Done)
        except (FileError, msgspec.DecodeError):
            return None
        whole = all((self.folder / name).exists() for name in found.files)
        return found if (found.digest, found.state) == (asked.task.digest, asked.state) and whole else None

    def keep_only(self, keys: set[str]) -> None:
        """Take away what came from recordings that are not in the catalogue any more, or were cut elsewhere."""
        for one in list(recordings_in(self.folder)):
            if (one.key or key_of(one.digest)) not in keys:
                _forget(self.folder, one.key or key_of(one.digest), keep=set())


def _done_file(folder: Path, key: str) -> Path:
    return folder / OWN / _DONE / f"{key}.json"


def decode_recording(asked: DecodeTask) -> Done | Failed:
    """Decode a recording, or a piece of one, into a dataset; broken off and done again it gives the same."""
    folder = Path(asked.folder)
    part = folder / OWN / _PARTS / asked.key
    try:
        shutil.rmtree(part, ignore_errors=True)
        part.mkdir(parents=True)
        with opened(asked.task, asked.piece) as meaning:
            frames = len(meaning.capture)
            files, rows = {}, 0
            # where nobody reads a frame there is nothing to write, and nothing is wrong
            if any(kind.readers for kind in meaning.kinds):
                with _Writing(part, asked.key) as writing:
                    for block in long_table(meaning):
                        for table in block.tables():
                            rows += table.num_rows
                            writing.put(table)
                files = writing.files
        _forget(folder, asked.key, keep=set(files))
        for place, made in files.items():
            (folder / place).parent.mkdir(parents=True, exist_ok=True)
            made.replace(folder / place)
        done = Done(asked.task.digest, asked.state, frames, rows, tuple(sorted(files)), asked.key)
        keep_file(_done_file(folder, asked.key), msgspec.json.encode(done))
    except Exception as error:
        # one bad recording must not stop a thousand others, whatever is wrong with it
        return Failed(asked.task.path, str(error) or type(error).__name__)
    finally:
        shutil.rmtree(part, ignore_errors=True)
    return done


def _forget(folder: Path, key: str, keep: set[str]) -> None:
    """Take files away that a recording gave before and does not give any more."""
    with contextlib.suppress(OSError, FileError, msgspec.DecodeError):
        before = msgspec.json.decode(read_file(_done_file(folder, key), _MOST_BYTES), type=Done)
        _done_file(folder, key).unlink()
        for name in set(before.files) - keep:
            (folder / name).unlink(missing_ok=True)


class _Writing:
    """Files of one recording, one a message and day, open until all is written.

    Attributes
    ----------
    files
        Where each goes below the dataset, and where it lies until then.
    """

    def __init__(self, part: Path, name: str) -> None:
        self._part, self._name = part, name
        self._writers: dict[str, pq.ParquetWriter] = {}
        self.files: dict[str, Path] = {}

    def __enter__(self) -> _Writing:
        return self

    def __exit__(self, *_error: object) -> None:
        for writer in self._writers.values():
            writer.close()

    def put(self, table: pa.Table) -> None:
        """Put rows into the files that they belong to, in their order."""
        days = np.floor_divide(table.column("time_ns").to_numpy(), _DAY_NS)
        messages = pc.dictionary_encode(table.column("message")).combine_chunks()
        codes = messages.indices.to_numpy(zero_copy_only=False)
        for code, message in enumerate(messages.dictionary.to_pylist()):
            own = np.flatnonzero(codes == code)
            for day in np.unique(days[own]).tolist():
                rows = own[days[own] == day]
                self._writer(f"{_folder_of(message)}/{_day(day)}/{self._name}.parquet").write_table(table.take(rows))

    def _writer(self, place: str) -> pq.ParquetWriter:
        if place not in self._writers:
            self.files[place] = self._part / f"{len(self.files)}.parquet"
            self._writers[place] = pq.ParquetWriter(self.files[place], LONG_SCHEMA, compression="zstd")
        return self._writers[place]


def _folder_of(message: str) -> str:
    """Return a folder's name for a message; an equals sign would be read as a column, an underscore left out."""
    name = _NOT_A_NAME.sub("-", message).strip(" .")[:100] or "-"
    return f"-{name}" if name.startswith(("_", "-")) else name


def _day(number: int) -> str:
    try:
        return (datetime.date(1970, 1, 1) + datetime.timedelta(days=number)).isoformat()
    except OverflowError:
        return f"day {number}"


def recordings_in(folder: Path) -> Iterator[Done]:
    """Yield what is in a dataset."""
    for path in sorted((folder / OWN / _DONE).glob("*.json")):
        yield msgspec.json.decode(read_file(path, _MOST_BYTES), type=Done)
