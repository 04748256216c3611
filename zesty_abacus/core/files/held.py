"""Files that a database driver of this process has open, so that nobody else opens them beside it.

Closing *any* descriptor of a file drops all POSIX locks that the process has on it (IEEE Std 1003.1, fcntl). SQLite
locks its file and its shared memory that way. A harmless look at the file's first bytes would take the locks away
from under an open library; the next program then takes the library for one that nobody uses, and deletes its log.
"""

from __future__ import annotations

import os
import threading
from collections import Counter
from pathlib import Path

_BESIDE = ("-wal", "-shm", "-journal")
"""What SQLite keeps beside a file, by the ending of its name; the locks of the log are on ``-shm``."""

_Identity = tuple[int, int]
_held: Counter[_Identity] = Counter()
_lock = threading.Lock()


def identity_of(path: str | Path) -> _Identity | None:
    """Return device and inode of what a path leads to, through links too; None if there is nothing.

    A name alone says nothing: links, another spelling and a bind mount all lead to one file.
    """
    try:
        facts = os.stat(path)
    except (OSError, ValueError):
        return None
    return facts.st_dev, facts.st_ino


def hold(path: Path) -> _Identity:
    """Note that a driver opens a file that is there; return what :func:`let_go` takes."""
    identity = identity_of(path)
    if identity is None:
        raise FileNotFoundError(path)
    with _lock:
        _held[identity] += 1
    return identity


def let_go(identity: _Identity) -> None:
    """Note that a driver has closed a file."""
    with _lock:
        _held[identity] -= 1
        if _held[identity] <= 0:
            del _held[identity]


def is_held(path: str | Path) -> bool:
    """Return whether a path leads to a file that a driver has open, or to what it keeps beside it."""
    name = os.path.realpath(path)
    owner = next((name[: -len(ending)] for ending in _BESIDE if name.endswith(ending)), name)
    with _lock:
        return identity_of(path) in _held or (owner != name and identity_of(owner) in _held)
