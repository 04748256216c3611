"""What a library writes down of recordings: where the file lies, its hash, its time, its lanes."""

from __future__ import annotations

import hashlib
from uuid import UUID, uuid5

from ..captures.report import CaptureReadError
from ..files.errors import file_errors, file_errors_as
from ..files.reading import open_file, resolved
from ..frames.capture import Capture
from ..library.documents import RecordedLane, Recording
from ..progress import Progress
from .intake import BroughtIn, SourceOutcome

_RECORDINGS = UUID("6f0f2d1c-9c57-4b0e-9d3c-5f1f5a5a7e14")
"""Namespace of identities that follow from a file's content: one file is one recording wherever it lies."""
_PIECE = 1 << 20


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
    digest = hashlib.sha256()
    size = 0
    with file_errors_as(CaptureReadError), open_file(path) as stream, file_errors(path):
        while piece := stream.read(_PIECE):
            progress.check()
            digest.update(piece)
            size += len(piece)
    lanes = tuple(_lane(capture, name) for name in dict.fromkeys(outcome.lanes))
    return Recording(
        id=identity_of(digest.hexdigest()), name=path.name, path=str(path), size=size,
        sha256=digest.hexdigest(), first_ns=outcome.first_ns, last_ns=outcome.last_ns, lanes=lanes, trial=trial,
    )  # fmt: skip


def _lane(capture: Capture, name: str) -> RecordedLane:
    """Count a lane over the capture; several recordings may have gone into one."""
    number = next(n for n, lane in enumerate(capture.lanes) if lane.name == name)
    kinds = [kind for kind, key in enumerate(capture.kinds.keys) if key.lane == number]
    frames = sum(capture.kinds.count(kind) for kind in kinds)
    return RecordedLane(name, capture.lanes[number].protocol, int(frames), len(kinds))
