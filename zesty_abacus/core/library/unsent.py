"""Edits that wait on this machine for a library that does not answer, or for a person to choose.

Each window has a file of its own, in a folder of the library and login they are for; so two windows never write over
each other's edits, and no edit reaches another library. A window that opens the library later takes over what a
window that is gone left behind.
"""

from __future__ import annotations

import contextlib
import fcntl
import hashlib
import os
import threading
from collections.abc import Sequence
from pathlib import Path
from typing import NamedTuple
from uuid import UUID, uuid4

import msgspec

from ..errors import AbacusError
from ..files.errors import FileError, file_errors
from ..files.reading import read_file
from ..files.writing import keep_file
from ..layouts.json_form import from_plain, to_plain
from ..layouts.model import Layout
from .store import Library

_MOST_BYTES = 256 << 20


class WaitingEdit(NamedTuple):
    """One edit: a layout before and after, None where it did not exist; why; whether it is for a draft."""

    layout_id: UUID
    before: Layout | None
    after: Layout | None
    reason: str
    draft: bool = False


class _Plain(msgspec.Struct, frozen=True):
    layout_id: UUID
    before: object
    after: object
    reason: str
    draft: bool = False


class WaitingEdits:
    """The edits of one window that wait for one library; may be used from any thread.

    Parameters
    ----------
    folder
        Where edits for all libraries wait.
    library
        The one these are for; its identity, server, database and login name a folder in it.
    """

    def __init__(self, folder: Path, library: Library) -> None:
        key = f"{library.address.identity}\n{library.id}"
        self._folder = folder / hashlib.sha256(key.encode()).hexdigest()[:24]
        self._name = uuid4().hex
        self._lock: int | None = None
        self._alone = threading.RLock()
        self._written: list[WaitingEdit] = []

    @property
    def path(self) -> Path:
        """The file of this window."""
        return self._folder / f"{self._name}.json"

    def keep(self, edits: Sequence[WaitingEdit]) -> None:
        """Write down what waits, on the disk and whole, in the place of what was written before.

        Raises
        ------
        FileError
            If the disk does not take it; what was written before stays.
        """
        with self._alone:
            self._keep(edits)

    def add(self, edit: WaitingEdit) -> None:
        """Write one more edit down, unless it is written down already; raises as :meth:`keep`."""
        with self._alone:
            if edit not in self._written:
                self._keep([*self._written, edit])

    def _keep(self, edits: Sequence[WaitingEdit]) -> None:
        if not edits:
            with file_errors(self.path, "the file cannot be removed"):
                self.path.unlink(missing_ok=True)
            self._written = []
            return
        with file_errors(self._folder, "the folder cannot be made"):
            self._folder.mkdir(parents=True, exist_ok=True, mode=0o700)
        self._claim()
        plain = [_Plain(one.layout_id, _plain(one.before), _plain(one.after), one.reason, one.draft) for one in edits]
        keep_file(self.path, msgspec.json.encode(plain))
        self._written = list(edits)

    def take_over(self) -> list[WaitingEdit]:
        """Return what windows that are gone left waiting, the oldest first; from now on it is this window's.

        Raises
        ------
        FileError
            If it cannot be kept here; it stays where it is then.
        """
        found: list[WaitingEdit] = []
        left: list[Path] = []
        with contextlib.ExitStack() as claimed:
            for path in sorted(self._folder.glob("*.json"), key=_age):
                if path != self.path and claimed.enter_context(_claimed(path)):
                    edits = _read(path)
                    if edits is not None:
                        found += edits
                        left.append(path)
            if found:
                # here first, and only then gone there: a kill in between leaves it twice, which is kept once
                self.keep(found)
            for path in left:
                with contextlib.suppress(OSError):
                    path.unlink()
                    _lock_of(path).unlink()
        return found

    def close(self) -> None:
        """Let the next window take over what still waits."""
        if self._lock is not None:
            if not self.path.exists():
                with contextlib.suppress(OSError):
                    _lock_of(self.path).unlink()
            os.close(self._lock)
            self._lock = None

    def _claim(self) -> None:
        """Hold a lock as long as this program lives, by which others know that the edits have an owner."""
        if self._lock is None:
            with file_errors(self._folder, "the folder cannot be written"):
                self._lock = os.open(_lock_of(self.path), os.O_CREAT | os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
            with contextlib.suppress(OSError):
                fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)


@contextlib.contextmanager
def _claimed(path: Path):  # type: ignore[no-untyped-def]
    """Give whether the window that wrote a file is gone; nobody else takes it over meanwhile."""
    try:
        opened = os.open(_lock_of(path), os.O_CREAT | os.O_RDWR | os.O_CLOEXEC | os.O_NOFOLLOW, 0o600)
    except OSError:
        yield False
        return
    try:
        fcntl.flock(opened, fcntl.LOCK_EX | fcntl.LOCK_NB)
        yield True
    except BlockingIOError:
        yield False
    finally:
        os.close(opened)


def _lock_of(path: Path) -> Path:
    return path.with_suffix(".lock")


def _age(path: Path) -> float:
    try:
        return path.stat().st_mtime
    except OSError:
        return 0.0


def _read(path: Path) -> list[WaitingEdit] | None:
    """Return what waits in a file; None for a damaged one, which is left for a person to look at."""
    try:
        known = msgspec.json.decode(read_file(path, _MOST_BYTES), type=list[_Plain])
        return [
            WaitingEdit(one.layout_id, _layout(one.before), _layout(one.after), one.reason, one.draft) for one in known
        ]
    except (FileError, msgspec.DecodeError, UnicodeDecodeError, AbacusError):
        return None


def _plain(layout: Layout | None) -> object:
    return None if layout is None else to_plain(layout)


def _layout(plain: object) -> Layout | None:
    return None if plain is None else from_plain(plain, Layout)
