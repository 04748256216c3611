"""Where frames are written while they come: a recording, a table, or a trial."""

from __future__ import annotations

import re
from abc import ABC, abstractmethod
from collections.abc import Callable, Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import BinaryIO

import msgspec
import numpy as np

from ..captures.registry import FrameWriter, open_writer
from ..errors import MisuseError
from ..files.errors import file_errors
from ..files.writing import Target
from ..frames.capture import Capture, Lane
from ..frames.table import FrameTable
from ..handover.frame_table import FRAME_SCHEMA, frame_table
from ..handover.recording import is_recording
from ..handover.stream import TableStream, growing_forms
from ..protocols import can
from ..trial.content import SourceEntry
from ..trial.trial import FILE_NAME, Trial
from ..trial.unfinished import Unfinished
from .receiving import on_lanes

_CANNOT = "the recording cannot be written"


class FrameSink(ABC):
    """Takes frames as they come and has them on disk when :meth:`append` is over."""

    @abstractmethod
    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Write frames; ``lane`` counts in the lanes, of which there may be more each time.

        Raises
        ------
        DataError
            If the disk does not take them.
        """

    @abstractmethod
    def close(self) -> None:
        """Finish what was written."""


def open_sink(target: Target, lanes: Sequence[Lane]) -> FrameSink:
    """Return where frames go, by the name: a table, a recording of CAN frames, or without an ending a trial.

    Raises
    ------
    MisuseError
        If the name says nothing that can be written, or the lanes speak what it cannot hold.
    FileError
        If it is there and must not be replaced.
    """
    path = target.path
    form = path.suffix.lower()[1:]
    if form in growing_forms():
        target.check()
        return TableSink(path, form)
    if is_recording(path):
        target.check()
        return RecordingSink(path, lanes)
    if path.suffix and not path.is_dir():
        raise MisuseError(
            f"nothing is recorded as {path.suffix}.", where=str(path),
            hint="End the name in .log, .pcapng, .csv, .jsonl or .parquet; without an ending it is a trial.",
        )  # fmt: skip
    return TrialSink(path)


class StreamSink(FrameSink):
    """A table with the columns of ``frames``, into a stream that stays open."""

    def __init__(self, stream: BinaryIO, form: str) -> None:
        self._table = TableStream(stream, form, FRAME_SCHEMA)

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        for block in frame_table(Capture.from_table(table, list(lanes))):
            self._table.write(block)

    def close(self) -> None:
        self._table.close()


class TableSink(FrameSink):
    """A table of frames in a file. It grows where it will stay, so that a kill loses nothing."""

    def __init__(self, path: Path, form: str) -> None:
        self._path = path
        with file_errors(path, _CANNOT):
            self._file = path.open("wb")
            self._rows = StreamSink(self._file, form)

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        with file_errors(self._path, _CANNOT):
            self._rows.append(table, lanes)

    def close(self) -> None:
        with file_errors(self._path, _CANNOT):
            self._rows.close()
            self._file.close()


class RecordingSink(FrameSink):
    """A recording in an open format of CAN frames."""

    def __init__(self, path: Path, lanes: Sequence[Lane]) -> None:
        other = next((lane for lane in lanes if lane.protocol != can.NAME), None)
        if other is not None:
            raise MisuseError(
                f"{path.suffix} holds CAN frames, and {other.name} is none of CAN.", where=str(path),
                hint="Record it as .csv, .jsonl or .parquet.",
            )  # fmt: skip
        self._path = path
        self._known = len(lanes)
        self._writer: FrameWriter = open_writer(path, [lane.name for lane in lanes])

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        if len(table) and int(table.lane.max()) >= self._known:
            names = ", ".join(lane.name for lane in lanes[self._known :])
            raise MisuseError(
                f"{names} came later than the lanes that {self._path.suffix} names at its beginning.",
                where=str(self._path), hint="Record it as .csv or .jsonl.",
            )  # fmt: skip
        self._writer.append(table)

    def close(self) -> None:
        self._writer.close()


class LaneFiles(FrameSink):
    """Recordings in a folder: CAN lanes as one text log, each other lane as a table of frames.

    A file begins with the first frame that goes into it: a lane that was silent leaves none.

    Attributes
    ----------
    entries
        What a trial says of the files.

    Parameters
    ----------
    begun
        Told of files that are begun, before anything is in them.
    """

    def __init__(self, folder: Path, begun: Callable[[list[SourceEntry]], None]) -> None:
        self._folder, self._begun = folder, begun
        self._stamp = datetime.now(UTC).strftime("%Y-%m-%d %H-%M-%S")
        self._sinks: dict[str, FrameSink] = {}
        self.entries: list[SourceEntry] = []

    def _begin_files(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Begin the files that frames go into and that are not there yet."""
        fresh: list[SourceEntry] = []
        for number in np.unique(table.lane).tolist():
            lane = lanes[number]
            name = self._file_of(lane)
            if name in self._sinks:
                continue
            path = self._folder / name
            if lane.protocol == can.NAME:
                mine = [one for one in lanes if one.protocol == can.NAME]
                self._sinks[name] = RecordingSink(path, mine)
                # a log writes names without blanks
                fresh.append(SourceEntry(path=name, lanes={"_".join(one.name.split()): one.name for one in mine}))
            else:
                self._sinks[name] = TableSink(path, "csv")
                fresh.append(SourceEntry(path=name, protocol=lane.protocol))
        if fresh:
            self.entries += fresh
            self._begun(fresh)

    def _file_of(self, lane: Lane) -> str:
        if lane.protocol == can.NAME:
            return f"CAN {self._stamp}.log"
        return f"{re.sub(r'[^0-9A-Za-z._-]+', ' ', lane.name).strip() or 'lane'} {self._stamp}.csv"

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        self._begin_files(table, lanes)
        for name in self._sinks:
            mine = [number for number, lane in enumerate(lanes) if self._file_of(lane) == name]
            part = on_lanes(table, mine)
            if len(part):
                self._sinks[name].append(part, [lanes[number] for number in mine])

    def close(self) -> None:
        for sink in self._sinks.values():
            sink.close()


class JoiningFiles(FrameSink):
    """Recordings in a trial's folder that join the trial when they are whole, or when it is opened after a kill."""

    def __init__(self, folder: Path) -> None:
        self._unfinished = Unfinished(folder)
        self._files = LaneFiles(folder, lambda _fresh: self._unfinished.name(self.entries))

    @property
    def entries(self) -> list[SourceEntry]:
        """What the trial is to say of the files."""
        return self._files.entries

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        self._files.append(table, lanes)

    def close(self) -> None:
        self._files.close()

    def joined(self, is_in_trial: bool) -> None:
        """Take the word of it away if the trial names the files, or leave it for the next time."""
        (self._unfinished.forget if is_in_trial or not self.entries else self._unfinished.leave)()


class TrialSink(FrameSink):
    """A trial that grows by another recording; it names each file before the first frame goes into it."""

    def __init__(self, folder: Path) -> None:
        self._trial = Trial.open(folder) if (folder / FILE_NAME).exists() else Trial.create(folder, folder.name)
        self._files = LaneFiles(self._trial.folder, self._name)

    def _name(self, fresh: list[SourceEntry]) -> None:
        file = self._trial.file
        self._trial.save(msgspec.structs.replace(file, sources=(*file.sources, *fresh)))

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        self._files.append(table, lanes)

    def close(self) -> None:
        self._files.close()
