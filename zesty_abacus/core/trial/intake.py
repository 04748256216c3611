"""Brings recordings in: several files, one capture, one clock."""

from __future__ import annotations

import dataclasses
import hashlib
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

import msgspec
import numpy as np

from ..captures.reference import read_reference
from ..captures.registry import REFERENCE, line_formats, read_lines, read_recording, recognise
from ..captures.report import CaptureReadError, ReadReport
from ..captures.source import bare_name
from ..errors import AbacusError
from ..files.reading import resolved
from ..frames import flags as F
from ..frames.capture import Capture, Lane
from ..frames.store import CaptureStoreError, CaptureWriter, open_capture
from ..frames.table import COLUMN_DTYPES, FrameTable
from ..progress import Progress
from ..recipes.json_form import recipe_to_json
from ..recipes.model import Recipe
from ..recipes.run import run_on_frames, run_recipe
from .trial import LaneEntry, SourceEntry, Trial

_CACHE = ".cache"
_REPORTS = "sources.json"


@dataclass(frozen=True, slots=True)
class SourceRequest:
    """A recording to bring in.

    Attributes
    ----------
    path
    lanes
        What its interfaces are called.
    form
        Name of its format; recognised by the content if empty.
    recipe
        How waves, bytes or packets become frames.
    begins_ns
        When the recording's own zero is; None takes the file's date, or the start of the other recordings.
    """

    path: Path
    lanes: Mapping[str, str] = field(default_factory=dict)
    form: str = ""
    recipe: Recipe | None = None
    begins_ns: int | None = None


@dataclass(slots=True)
class SourceOutcome:
    """What came out of one recording.

    Attributes
    ----------
    path
    report
        Counts and problems; empty if the file could not be read at all.
    holds
        ``frames``, ``lines``, ``reference`` or nothing if it could not be read.
    lanes
        Lane names of the trial that its frames went to, in the order of the file's interfaces.
    first_ns, last_ns
        Time of its earliest and latest frame, without the lanes' offsets.
    zero_ns
        Where the recording's own zero was put.
    samples, counted
        How many samples or edges a recording of lines has, and what was counted.
    recipe
        Name of the recipe that was used.
    facts
        What was counted: (name, words).
    error
        Why nothing could be read, or empty.
    """

    path: Path
    report: ReadReport
    holds: str = ""
    lanes: list[str] = field(default_factory=list)
    first_ns: int = 0
    last_ns: int = 0
    zero_ns: int = 0
    samples: int = 0
    counted: str = ""
    recipe: str = ""
    facts: list[tuple[str, str]] = field(default_factory=list)
    error: str = ""

    @property
    def needs_recipe(self) -> bool:
        """Whether there are waves nobody has said how to read."""
        return self.holds == "lines" and not self.recipe and not self.error


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
    progress = progress or Progress()
    with CaptureWriter(folder) as writer:
        lanes = _Lanes(writer, lane_entries or {})
        waiting: list[tuple[int, _Undated]] = []
        outcomes = []
        for number, request in enumerate(requests):
            part = _part_of(progress, number, len(requests) + 1)
            columns = folder.with_name(f"{folder.name}.lines.{number}")
            try:
                outcome, undated = _bring_one(request, lanes, columns, part)
            finally:
                shutil.rmtree(columns, ignore_errors=True)
            outcomes.append(outcome)
            if undated is not None:
                waiting.append((number, undated))
        begin = min((o.first_ns for o in outcomes if o.report.frames and o.first_ns), default=0)
        for number, undated in waiting:
            outcomes[number].zero_ns = begin
            lanes.put(undated.frames, undated.lanes, undated.protocol, undated.note, begin, outcomes[number])
        capture = writer.finish(lanes.made(), _part_of(progress, len(requests), len(requests) + 1))
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
    requests = [request_of(trial, entry) for entry in trial.file.sources]
    made = bring_in(requests, folder / "capture", {lane.name: lane for lane in trial.file.lanes}, progress)
    (folder / _REPORTS).write_bytes(msgspec.json.encode(made.outcomes, enc_hook=str))
    return made


def request_of(trial: Trial, entry: SourceEntry) -> SourceRequest:
    """Return what is to be brought in for a source of a trial."""
    return SourceRequest(trial.source_path(entry), entry.lanes, entry.form, entry.recipe, entry.begins_ns)


def _open_cached(folder: Path) -> BroughtIn | None:
    try:
        data = (folder / _REPORTS).read_bytes()
        outcomes = msgspec.json.decode(data, type=list[SourceOutcome], dec_hook=lambda _kind, value: Path(value))
        return BroughtIn(open_capture(folder / "capture"), outcomes)
    except (OSError, msgspec.DecodeError, CaptureStoreError):
        return None  # missing or damaged: it is made again


def _fingerprint(trial: Trial) -> str:
    """Return a name that changes whenever the capture would."""
    digest = hashlib.sha256(b"capture 3")
    for entry in trial.file.sources:
        path = trial.source_path(entry)
        state = " ".join(_state_of(one) for one in (path, path.with_suffix(".sigmf-data")))
        recipe = recipe_to_json(entry.recipe).decode() if entry.recipe is not None else ""
        digest.update(f"{resolved(path)} {sorted(entry.lanes.items())} {state}\n".encode())
        digest.update(f"{entry.form} {entry.begins_ns} {recipe}\n".encode())
    for lane in trial.file.lanes:
        digest.update(f"{lane.name} {lane.note} {lane.offset_ns}\n".encode())
    return digest.hexdigest()[:16]


def _state_of(path: Path) -> str:
    try:
        facts = path.stat()
        return f"{facts.st_size} {facts.st_mtime_ns}"
    except (OSError, ValueError):
        return "missing"


def _part_of(whole: Progress, number: int, count: int) -> Progress:
    """Return a progress for one of several equal parts of the work."""
    return Progress(lambda share, note: whole.step((number + share) / count, note))


@dataclass(frozen=True, slots=True, eq=False)
class _Undated:
    """Frames whose recording has no date; they are put where the others begin."""

    frames: FrameTable
    lanes: list[str]
    protocol: str
    note: str


class _Lanes:
    """The lanes of the capture being made, and its writer."""

    def __init__(self, writer: CaptureWriter, entries: Mapping[str, LaneEntry]) -> None:
        self._writer = writer
        self._entries = entries
        self._made: dict[str, Lane] = {}

    def made(self) -> list[Lane]:
        """Return the lanes in the order in which they were met."""
        return list(self._made.values())

    def put(
        self, chunk: FrameTable, names: Sequence[str], protocol: str, note: str, zero_ns: int, outcome: SourceOutcome
    ) -> None:
        """Write frames, with each lane's offset added to their times."""
        outcome.lanes[:] = names
        numbers = np.array([self._number(name, protocol, note) for name in names], np.uint16)
        if not len(chunk):
            return
        offsets = np.array([self._offset(name) for name in names], np.int64)
        first, last = int(chunk.time_ns.min()) + zero_ns, int(chunk.time_ns.max()) + zero_ns
        outcome.first_ns = min(outcome.first_ns or first, first)
        outcome.last_ns = max(outcome.last_ns, last)
        self._writer.append(
            dataclasses.replace(
                chunk, time_ns=chunk.time_ns + (offsets[chunk.lane] + zero_ns), lane=numbers[chunk.lane]
            )
        )

    def _offset(self, name: str) -> int:
        return self._entries[name].offset_ns if name in self._entries else 0

    def _number(self, name: str, protocol: str, note: str) -> int:
        if name not in self._made:
            said = self._entries[name].note if name in self._entries else ""
            self._made[name] = Lane(name, protocol, said or note)
        return list(self._made).index(name)


def _bring_one(
    request: SourceRequest, lanes: _Lanes, columns: Path, progress: Progress
) -> tuple[SourceOutcome, _Undated | None]:
    outcome = SourceOutcome(request.path, ReadReport("unknown"))
    undated = None
    try:
        form = request.form or recognise(request.path)
        outcome.report.format_name = form or "unknown"
        if form == REFERENCE:
            outcome.holds = "reference"
            reference = read_reference(request.path, _columns(request), progress)
            outcome.report = reference.report
            outcome.first_ns, outcome.last_ns = int(reference.time_ns[0]), int(reference.time_ns[-1])
            outcome.report.frames = 0
            outcome.samples = len(reference.time_ns)
            outcome.facts = [("values", ", ".join(reference.values))]
        elif form in {one.name for one in line_formats()}:
            outcome.holds = "lines"
            undated = _bring_lines(request, form, lanes, columns, outcome, progress)
        else:
            outcome.holds = "frames"
            _bring_frames(request, form, lanes, outcome, progress)
    except CaptureStoreError:
        raise
    except AbacusError as failure:
        outcome.error = str(failure)
        outcome.recipe = ""
    return outcome, undated


def _columns(request: SourceRequest):  # type: ignore[no-untyped-def]
    return request.recipe.columns if request.recipe is not None else None


def _bring_lines(
    request: SourceRequest, form: str, lanes: _Lanes, columns: Path, outcome: SourceOutcome, progress: Progress
) -> _Undated | None:
    half = Progress(lambda share, note: progress.step(share / 2, note))
    recording, outcome.report = read_lines(request.path, columns, form, _columns(request), half)
    outcome.samples = sum(channel.count for channel in recording.channels)
    outcome.counted = " and ".join(
        word for word, some in (("samples", any(c.samples is not None for c in recording.channels)),
                                ("edges", any(c.edges is not None for c in recording.channels))) if some
    )  # fmt: skip
    outcome.facts = list(recording.facts)
    zero = request.begins_ns if request.begins_ns is not None else recording.zero_ns
    outcome.zero_ns = zero or 0
    span = recording.span_ns
    outcome.first_ns, outcome.last_ns = span[0] + outcome.zero_ns, span[1] + outcome.zero_ns
    if request.recipe is None or request.recipe.line is None:
        return None
    rest = Progress(lambda share, note: progress.step(0.5 + share / 2, note))
    made = run_recipe(request.recipe, recording, None, rest)
    outcome.recipe = request.recipe.name
    outcome.facts += [(fact.name, fact.words) for fact in made.result.facts]
    frames = made.result.frames
    outcome.report.frames = len(frames)
    name = request.lanes.get("") or request.recipe.lane or _name_from(request)
    if zero is None:
        return _Undated(frames, [name], request.recipe.protocol, request.recipe.lane_note)
    lanes.put(frames, [name], request.recipe.protocol, request.recipe.lane_note, zero, outcome)
    return None


_PROTOCOLS = {"timed bytes": "serial"}


def _bring_frames(request: SourceRequest, form: str, lanes: _Lanes, outcome: SourceOutcome, progress: Progress) -> None:
    held: list[FrameTable] = []
    found: list[str] = []
    recipe = request.recipe
    protocol = _PROTOCOLS.get(form, "can")

    def take(chunk: FrameTable, names: Sequence[str]) -> None:
        found[:] = [
            request.lanes.get(name) or name or (recipe.lane if recipe else "") or _name_from(request) for name in names
        ]
        packets = chunk.flags & F.PACKET > 0
        if packets.any() or (recipe is not None and recipe.framing is not None):
            # bytes and packets belong together across chunks
            held.append(chunk)
        else:
            lanes.put(chunk, found, protocol, recipe.lane_note if recipe else "", request.begins_ns or 0, outcome)

    outcome.report = read_recording(request.path, take, progress, name=form, columns=_columns(request))
    if recipe is not None:
        outcome.recipe = recipe.name
    if not held:
        return
    table = joined(held)
    packets = table.flags & F.PACKET > 0
    if packets.any() and not packets.all():
        # an interface of each kind in one file: what is no packet goes its own way
        lanes.put(_chosen(table, ~packets), found, protocol, "", request.begins_ns or 0, outcome)
        table = _chosen(table, packets)
    frames, facts = run_on_frames(recipe, table)
    outcome.facts = [(fact.name, fact.words) for fact in facts]
    spoken = (
        recipe.protocol
        if recipe is not None and recipe.framing is not None
        else "network"
        if packets.any()
        else protocol
    )
    note = recipe.lane_note if recipe is not None else "packets"
    lanes.put(frames, found, spoken, note, request.begins_ns or 0, outcome)
    outcome.report.frames = len(frames)


def joined(chunks: Sequence[FrameTable]) -> FrameTable:
    """Return chunks of frames as one table."""
    if not chunks:
        return FrameTable.empty()
    sizes = np.cumsum([0] + [len(chunk.payload) for chunk in chunks[:-1]])
    columns = {
        name: np.concatenate([getattr(chunk, name) for chunk in chunks]) for name in COLUMN_DTYPES if name != "start"
    }
    start = np.concatenate([chunk.start + base for chunk, base in zip(chunks, sizes, strict=True)])
    return FrameTable(**columns, start=start, payload=np.concatenate([chunk.payload for chunk in chunks]))


def _chosen(table: FrameTable, rows: np.ndarray) -> FrameTable:
    columns = {name: getattr(table, name)[rows] for name in COLUMN_DTYPES}
    return FrameTable(**columns, payload=table.payload)


def _name_from(request: SourceRequest) -> str:
    return Path(bare_name(request.path)).stem


def frames_of_source(request: SourceRequest, progress: Progress | None = None) -> tuple[FrameTable, ReadReport]:
    """Return a recording of frames as it was recorded, before any recipe: for proposals and previews.

    Raises
    ------
    CaptureReadError
        If it holds no frames or cannot be read.
    """
    chunks: list[FrameTable] = []
    form = request.form or recognise(request.path)
    report = read_recording(request.path, lambda chunk, _names: chunks.append(chunk), progress, name=form,
                            columns=_columns(request))  # fmt: skip
    if not chunks:
        raise CaptureReadError("there are no frames.", where=str(request.path))
    return joined(chunks), report
