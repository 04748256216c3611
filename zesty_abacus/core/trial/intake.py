"""Brings recordings in: several files, one capture, one clock."""

from __future__ import annotations

import hashlib
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import msgspec
import numpy as np

from ..captures.registry import read_recording
from ..captures.report import ReadReport
from ..captures.source import bare_name
from ..errors import AbacusError
from ..frames.capture import Capture, Lane
from ..frames.store import CaptureStoreError, CaptureWriter, open_capture
from ..frames.table import FrameTable
from ..progress import Progress
from .trial import LaneEntry, Trial

_CACHE = ".cache"
_REPORTS = "sources.json"


@dataclass(frozen=True, slots=True)
class SourceRequest:
    """A recording to bring in, and what its interfaces are called."""

    path: Path
    lanes: Mapping[str, str] = field(default_factory=dict)


@dataclass(slots=True)
class SourceOutcome:
    """What came out of one recording.

    Attributes
    ----------
    path
    report
        Counts and problems; empty if the file could not be read at all.
    lanes
        Lane names of the trial that its frames went to, in the order of the file's interfaces.
    first_ns, last_ns
        Time of its earliest and latest frame, without the lanes' offsets.
    error
        Why nothing could be read, or empty.
    """

    path: Path
    report: ReadReport
    lanes: list[str] = field(default_factory=list)
    first_ns: int = 0
    last_ns: int = 0
    error: str = ""


@dataclass(frozen=True, slots=True, eq=False)
class BroughtIn:
    """A capture and what each of its sources gave."""

    capture: Capture
    outcomes: list[SourceOutcome]


def bring_in(
    requests: Sequence[SourceRequest],
    folder: Path,
    lane_entries: Mapping[str, LaneEntry] | None = None,
    progress: Progress | None = None,
) -> BroughtIn:
    """Read recordings into one stored capture.

    A recording that cannot be read is reported in its outcome; the others are read all the same.

    Parameters
    ----------
    folder
        Where the stored capture will lie.
    lane_entries
        Notes and offsets by lane name.

    Raises
    ------
    CaptureStoreError
        If the capture cannot be stored.
    Cancelled
        If the progress was cancelled; nothing is left behind.
    """
    entries = lane_entries or {}
    progress = progress or Progress()
    lanes: list[str] = []
    outcomes = []
    with CaptureWriter(folder) as writer:
        for number, request in enumerate(requests):
            part = _part_of(progress, number, len(requests) + 1)
            outcomes.append(_bring_one(request, writer, lanes, entries, part))
        made = [Lane(name, "can", _note(entries, name)) for name in lanes]
        capture = writer.finish(made, _part_of(progress, len(requests), len(requests) + 1))
    return BroughtIn(capture, outcomes)


def open_trial_capture(trial: Trial, progress: Progress | None = None) -> BroughtIn:
    """Return the capture of a trial, from its cache if that is up to date.

    Raises
    ------
    CaptureStoreError
        If it cannot be stored.
    """
    folder = trial.folder / _CACHE / _fingerprint(trial)
    cached = _open_cached(folder)
    if cached is not None:
        return cached
    shutil.rmtree(trial.folder / _CACHE, ignore_errors=True)
    requests = [SourceRequest(trial.source_path(entry), entry.lanes) for entry in trial.file.sources]
    made = bring_in(requests, folder / "capture", {lane.name: lane for lane in trial.file.lanes}, progress)
    (folder / _REPORTS).write_bytes(msgspec.json.encode(made.outcomes, enc_hook=str))
    return made


def _open_cached(folder: Path) -> BroughtIn | None:
    try:
        data = (folder / _REPORTS).read_bytes()
        outcomes = msgspec.json.decode(data, type=list[SourceOutcome], dec_hook=lambda _kind, value: Path(value))
        return BroughtIn(open_capture(folder / "capture"), outcomes)
    except (OSError, msgspec.DecodeError, CaptureStoreError):
        return None  # missing or damaged: it is made again


def _fingerprint(trial: Trial) -> str:
    """Return a name that changes whenever the capture would."""
    digest = hashlib.sha256(b"capture 1")
    for entry in trial.file.sources:
        path = trial.source_path(entry)
        try:
            facts = path.stat()
            state = f"{facts.st_size} {facts.st_mtime_ns}"
        except OSError:
            state = "missing"
        digest.update(f"{path.resolve()} {sorted(entry.lanes.items())} {state}\n".encode())
    for lane in trial.file.lanes:
        digest.update(f"{lane.name} {lane.note} {lane.offset_ns}\n".encode())
    return digest.hexdigest()[:16]


def _note(entries: Mapping[str, LaneEntry], name: str) -> str:
    return entries[name].note if name in entries else ""


def _part_of(whole: Progress, number: int, count: int) -> Progress:
    """Return a progress for one of several equal parts of the work."""
    return Progress(lambda share, note: whole.step((number + share) / count, note))


def _bring_one(
    request: SourceRequest,
    writer: CaptureWriter,
    lanes: list[str],
    entries: Mapping[str, LaneEntry],
    progress: Progress,
) -> SourceOutcome:
    times: list[tuple[int, int]] = []
    used: list[str] = []

    def take(chunk: FrameTable, names: Sequence[str]) -> None:
        used[:] = [request.lanes.get(name) or name or _name_from(request) for name in names]
        numbers = np.array([_lane_number(lanes, name) for name in used], np.uint16)
        offsets = np.array([entries[name].offset_ns if name in entries else 0 for name in used], np.int64)
        times.append((int(chunk.time_ns.min()), int(chunk.time_ns.max())))
        writer.append(
            FrameTable(
                chunk.time_ns + offsets[chunk.lane],
                numbers[chunk.lane],
                chunk.address,
                chunk.flags,
                chunk.start,
                chunk.size,
                chunk.payload,
            )
        )

    try:
        report = read_recording(request.path, take, progress)
        error = ""
    except CaptureStoreError:
        raise
    except AbacusError as failure:
        report, error = ReadReport("unknown"), str(failure)
    first = min((pair[0] for pair in times), default=0)
    last = max((pair[1] for pair in times), default=0)
    return SourceOutcome(request.path, report, used, first, last, error)


def _name_from(request: SourceRequest) -> str:
    return Path(bare_name(request.path)).stem


def _lane_number(lanes: list[str], name: str) -> int:
    if name not in lanes:
        lanes.append(name)
    return lanes.index(name)
