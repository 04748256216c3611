"""Brings recordings in: several files, each read once into the trial's cache, one capture, one clock."""

from __future__ import annotations

import hashlib
import itertools
import shutil
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path

from ..captures.source import files_of_source
from ..files.reading import resolved
from ..frames.capture import Capture
from ..progress import Progress
from ..recipes.json_form import recipe_to_json
from .assembly import assemble
from .clocks import put_on_one_clock
from .outcome import SourceOutcome, SourceRequest
from .source import ReadSource, frames_of_source, read_source
from .trial import LaneEntry, SourceEntry, Trial

_CACHE = ".cache"
_VERSION = b"capture 6"


@dataclass(frozen=True, slots=True, eq=False)
class BroughtIn:
    """A capture and what each of its sources gave.

    Attributes
    ----------
    capture
    outcomes
    rows
        For each source, the first row of its frames in the capture and the one behind its last.
    """

    capture: Capture
    outcomes: list[SourceOutcome]
    rows: list[tuple[int, int]] = field(default_factory=list)


def bring_in(
    requests: Sequence[SourceRequest],
    folder: Path,
    lane_entries: Mapping[str, LaneEntry] | None = None,
    progress: Progress | None = None,
) -> BroughtIn:
    """Read recordings into one capture.

    A recording that cannot be read is reported in its outcome; the others are read all the same.

    Parameters
    ----------
    folder
        Where their frames will lie, for as long as the capture is used.
    lane_entries
        Notes and offsets by lane name.

    Raises
    ------
    CaptureStoreError
        If the frames cannot be stored.
    Cancelled
        If the progress was cancelled; nothing is left behind.
    """
    shutil.rmtree(folder, ignore_errors=True)
    folder.mkdir(parents=True)
    try:
        places = [folder / str(number) for number in range(len(requests))]
        return _brought(requests, places, lane_entries or {}, progress or Progress())
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise


def open_trial_capture(trial: Trial, progress: Progress | None = None) -> BroughtIn:
    """Return the capture of a trial; what was read of it before, and has not changed since, is not read again.

    Raises
    ------
    CaptureStoreError
        If it cannot be stored.
    Cancelled
        If the progress was cancelled; what was read by then stays in the cache.
    """
    cache = trial.folder / _CACHE
    requests = [request_of(trial, entry) for entry in trial.file.sources]
    names = _distinct([_name_of(request, trial.folder) for request in requests])
    places = [cache / f"source {name}" for name in names]
    entries = {lane.name: lane for lane in trial.file.lanes}
    made = _brought(requests, places, entries, progress or Progress())
    _drop_others(cache)
    return made


def _brought(
    requests: Sequence[SourceRequest], places: Sequence[Path], entries: Mapping[str, LaneEntry], progress: Progress
) -> BroughtIn:
    sources: list[ReadSource] = []
    for number, (request, place) in enumerate(zip(requests, places, strict=True)):
        part = progress.part(number / len(requests), (number + 1) / len(requests))
        sources.append(read_source(request, place, part))
    outcomes = [source.outcome for source in sources]
    put_on_one_clock(requests, outcomes)
    ends = list(itertools.accumulate(len(source.capture) for source in sources))
    return BroughtIn(assemble(requests, sources, entries), outcomes, list(zip([0, *ends], ends, strict=False)))


def recorded_state(trial: Trial) -> str:
    """Return a text that is another one whenever what is read of the recordings of a trial, or where it stands, is."""
    names = [_name_of(request_of(trial, entry), trial.folder) for entry in trial.file.sources]
    begins = [str(entry.begins_ns) for entry in trial.file.sources]
    return "\n".join([*names, *begins, *(f"{lane.name} {lane.offset_ns}" for lane in trial.file.lanes)])


def request_of(trial: Trial, entry: SourceEntry) -> SourceRequest:
    """Return what is to be brought in for a source of a trial."""
    return SourceRequest(
        trial.source_path(entry), entry.lanes, entry.form, entry.recipe, entry.begins_ns, entry.protocol
    )


def _name_of(request: SourceRequest, base: Path) -> str:
    """Return a name that changes whenever what is read of a source would, and not when the trial is moved or copied."""
    path, folder = resolved(request.path), resolved(base)
    named = path.relative_to(folder) if path.is_relative_to(folder) else path
    digest = hashlib.sha256(_VERSION)
    recipe = recipe_to_json(request.recipe).decode() if request.recipe is not None else ""
    state = " ".join(_state_of(one) for one in files_of_source(request.path))
    digest.update(f"{named} {state}\n{request.form}\n{request.protocol}\n{recipe}\n".encode("utf-8", "surrogateescape"))
    return digest.hexdigest()[:16]


def _distinct(names: Sequence[str]) -> list[str]:
    """Return names of which each is another one: a recording may be in a trial twice, read alike."""
    return [f"{name} {number}" if (number := names[:place].count(name)) else name for place, name in enumerate(names)]


def _state_of(path: Path) -> str:
    try:
        facts = path.stat()
        return f"{facts.st_size} {facts.st_mtime_ns}"
    except (OSError, ValueError):
        return "missing"


def _drop_others(cache: Path) -> None:
    """Remove what another version left in the cache, but not the sources: undo brings them back."""
    for folder in cache.iterdir() if cache.is_dir() else ():
        if not folder.name.startswith("source "):
            shutil.rmtree(folder, ignore_errors=True)


def forget_sources(trial: Trial) -> None:
    """Remove recordings from the cache that are not in the trial any more."""
    wanted = set(_distinct([_name_of(request_of(trial, entry), trial.folder) for entry in trial.file.sources]))
    cache = trial.folder / _CACHE
    for folder in cache.iterdir() if cache.is_dir() else ():
        if folder.name.startswith("source ") and folder.name.removeprefix("source ") not in wanted:
            shutil.rmtree(folder, ignore_errors=True)


__all__ = [
    "BroughtIn", "SourceOutcome", "SourceRequest", "bring_in", "forget_sources", "frames_of_source",
    "open_trial_capture", "request_of",
]  # fmt: skip
