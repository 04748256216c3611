"""Which recordings there are: files found below folders, known by their content."""

from __future__ import annotations

import tempfile
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ..captures.registry import REFERENCE, recognise
from ..captures.report import CaptureReadError
from ..captures.source import files_of_source
from ..errors import AbacusError
from ..files.errors import file_errors_as
from ..files.hashing import sha256_of
from ..files.reading import resolved
from ..library.documents import Recording
from ..progress import Progress
from ..trial.intake import bring_in
from ..trial.outcome import SourceRequest
from ..trial.recorded import identity_of, recordings_of

_ENDINGS = frozenset([
    ".log", ".pcap", ".pcapng", ".csv", ".tsv", ".txt", ".vcd", ".wav", ".sigmf-meta", ".pulses", ".bytes", ".jsonl",
    ".parquet",
])  # fmt: skip
_PACKED = (".gz", ".zst", ".xz", ".bz2")

Requests = Callable[[Path], Sequence[SourceRequest]]
"""By which recipes a file is read."""


@dataclass(frozen=True, slots=True)
class Looked:
    """A file that was looked at.

    Attributes
    ----------
    recording
        What is put into the catalogue; without lanes where nothing could be read, so that it is told of again.
    reason
        Why nothing could be read; empty if something was.
    """

    path: Path
    recording: Recording
    reason: str = ""


def files_below(paths: Iterable[Path]) -> list[Path]:
    """Return files, and those below folders that are recordings by their content or their ending, in order.

    Raises
    ------
    CaptureReadError
        If a path that was named is not there.
    """
    found: dict[Path, None] = {}
    for path in paths:
        if not path.exists():
            raise CaptureReadError("there is no such file or folder.", where=str(path))
        if not path.is_dir():
            found[path] = None
            continue
        inside = sorted(one for one in path.rglob("*") if _is_file(one) and _is_visible(one, path))
        found |= dict.fromkeys(one for one in inside if _may_be_one(one))
    # a recording that lies in several files is one
    companions = {other for path in found for other in _companions(path)}
    return [path for path in found if path not in companions]


def _is_file(path: Path) -> bool:
    try:
        return path.is_file()
    except OSError:
        return False  # a link that leads where one may not look


def _companions(path: Path) -> list[Path]:
    try:
        return [other for other in files_of_source(path) if other != path]
    except AbacusError:
        return []


def _is_visible(path: Path, below: Path) -> bool:
    return not any(part.startswith(".") for part in path.relative_to(below).parts)


def _may_be_one(path: Path) -> bool:
    endings = [ending for ending in path.suffixes if ending not in _PACKED]
    if endings and endings[-1].lower() in _ENDINGS:
        return True
    try:
        # a folder may hold other files with the endings of bytes; whoever means one names it
        return recognise(path, by_name=False) not in ("", REFERENCE)
    except AbacusError:
        return False


def look_at(
    path: Path, requests: Requests, known: Callable[[str], bool], progress: Progress | None = None
) -> Looked | None:
    """Return what a file holds, None if it is known by its content already.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    try:
        with file_errors_as(CaptureReadError):
            digest, size = sha256_of(path, progress.check)
    except CaptureReadError as error:
        return Looked(path, _unread(path, "", 0), str(error))
    if known(digest):
        return None
    try:
        with tempfile.TemporaryDirectory(prefix="zesty-archive-") as folder:
            made = bring_in(requests(path), Path(folder) / "capture", progress=progress)
            found = recordings_of(made, progress=progress)
            errors = [outcome.error for outcome in made.outcomes if outcome.error]
            needs = any(outcome.needs_recipe for outcome in made.outcomes)
    except AbacusError as error:
        return Looked(path, _unread(path, digest, size), str(error))
    if found:
        return Looked(path, found[0])
    why = errors[0] if errors else "no recipe says what it speaks." if needs else "there are no frames in it."
    return Looked(path, _unread(path, digest, size), why)


def _unread(path: Path, digest: str, size: int) -> Recording:
    return Recording(id=identity_of(digest or str(path)), name=path.name, path=str(resolved(path)), size=size,
                     sha256=digest)  # fmt: skip
