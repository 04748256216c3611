"""What a library writes down of recordings: where the file lies, its hash, its time, its lanes."""

from __future__ import annotations

from uuid import UUID, uuid5

from ..captures.report import CaptureReadError
from ..files.errors import file_errors_as
from ..files.hashing import sha256_of
from ..files.reading import resolved
from ..frames.capture import Capture
from ..library.documents import RecordedLane, Recording
from ..progress import Progress
from .intake import BroughtIn, SourceOutcome

_RECORDINGS = UUID("6f0f2d1c-9c57-4b0e-9d3c-5f1f5a5a7e14")
"""Namespace of identities that follow from a file's content: one file is one recording wherever it lies."""


def recordings_of(made: BroughtIn, trial: str = "", progress: Progress | None = None) -> list[Recording]:
    """Describe the recordings of a capture that gave frames; ``trial`` is what they belong to.

    Raises
    ------
    CaptureReadError
        If a file cannot be read any more.
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    found = []
    for number, outcome in enumerate(made.outcomes):
        progress.step(number / len(made.outcomes), f"hashing {outcome.path.name}")
        if outcome.lanes and not outcome.error:
            found.append(_recording(made.capture, outcome, trial, progress))
    return found


def identity_of(digest: str) -> UUID:
    """Return the identity of the recording whose content has this hash."""
    return uuid5(_RECORDINGS, digest)


def _recording(capture: Capture, outcome: SourceOutcome, trial: str, progress: Progress) -> Recording:
    path = resolved(outcome.path)
    with file_errors_as(CaptureReadError):
        digest, size = sha256_of(path, progress.check)
    lanes = tuple(_lane(capture, name) for name in dict.fromkeys(outcome.lanes))
    return Recording(
        id=identity_of(digest), name=path.name, path=str(path), size=size,
        sha256=digest, first_ns=outcome.first_ns, last_ns=outcome.last_ns, lanes=lanes, trial=trial,
    )  # fmt: skip


def _lane(capture: Capture, name: str) -> RecordedLane:
    """Count a lane over the capture; several recordings may have gone into one."""
    number = next(n for n, lane in enumerate(capture.lanes) if lane.name == name)
    kinds = [kind for kind, key in enumerate(capture.kinds.keys) if key.lane == number]
    frames = sum(capture.kinds.count(kind) for kind in kinds)
    return RecordedLane(name, capture.lanes[number].protocol, int(frames), len(kinds))
