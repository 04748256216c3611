"""Puts recordings into the catalogue of a library, each once."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from pathlib import Path

from ..library.store import Library
from ..progress import Progress
from .catalogue import Requests, look_at


@dataclass(frozen=True, slots=True)
class Listed:
    """What came of listing files.

    Attributes
    ----------
    fresh
        Recordings that were not in the catalogue before.
    failed
        Why a file could not be read, by its path; it is in the catalogue, too.
    """

    fresh: int
    failed: dict[str, str]


def list_recordings(
    library: Library, files: Sequence[Path], requests: Requests, author: str, progress: Progress | None = None,
    told: Callable[[str, str], None] = lambda _path, _reason: None,
) -> Listed:  # fmt: skip
    """Look at files and put those that are new into the catalogue; each is there as soon as it was looked at.

    Parameters
    ----------
    requests
        How a file is read.
    told
        Takes the path of a file that cannot be read and why, as soon as it is known.

    Raises
    ------
    LibraryError
        If the library does not take one.
    Cancelled
        If the progress was cancelled; what was listed until then stays.
    """
    progress = progress or Progress()
    known = {one.sha256 for one in library.recordings.states()}
    fresh, failed = 0, {}
    for number, path in enumerate(files):
        progress.step(number / max(len(files), 1), f"reading {path.name}")
        looked = look_at(path, requests, known.__contains__, progress.quiet())
        if looked is None:
            continue
        if looked.reason:
            failed[str(path)] = looked.reason
            told(str(path), looked.reason)
        known.add(looked.recording.sha256)
        fresh += library.recordings.import_all([looked.recording], author=author, reason="listed")
    return Listed(fresh, failed)
