"""Names of what is forwarded, so that it goes on behind what went before, and anything else begins anew."""

from __future__ import annotations

import hashlib
from collections.abc import Iterable
from pathlib import Path


def job_of(files: Iterable[Path], *said: object) -> str:
    """Return a name of exactly this: other recordings, or anything else that is said of it, are another job.

    Parameters
    ----------
    files
        What is read; known by place, size and time. Those that are not there do not count.
    said
        Where it goes, which fields, by which layouts; their text counts.
    """
    found: list[object] = list(said)
    for path in files:
        if path.exists():
            state = path.stat()
            found += [path.resolve(), state.st_size, state.st_mtime_ns]
    return hashlib.sha256(repr(found).encode()).hexdigest()[:24]
