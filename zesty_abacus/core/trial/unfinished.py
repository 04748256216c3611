"""Recordings that are being made into a trial: a program that is killed leaves word of them, and they join it later.

While it is recorded, ``recording N.json`` in the trial's folder names its files as the trial will, held by a lock that
ends with the program. The trial's own file names them once the recording is whole, so that nobody reads half of one.
"""

from __future__ import annotations

import contextlib
import fcntl
import os
import re
from collections.abc import Sequence
from pathlib import Path

import msgspec

from ..files.errors import file_errors
from ..recipes.model import know_all_codes
from .content import SourceEntry
from .trial import Trial

_NAME = re.compile(r"recording \d+-[0-9a-f]+\.json")
"""As :class:`Unfinished` names them: what somebody else calls a recording in the folder is theirs."""
_MOST_BYTES = 1 << 20


class Unfinished:
    """Word of a recording that is being made.

    Parameters
    ----------
    folder
        Of the trial.

    Raises
    ------
    FileError
        If nothing can be written there.
    """

    def __init__(self, folder: Path) -> None:
        self._path = folder / f"recording {os.getpid()}-{id(self):x}.json"
        with file_errors(self._path, "the recording cannot be named"):
            self._file = self._path.open("wb")
            fcntl.flock(self._file, fcntl.LOCK_EX | fcntl.LOCK_NB)
        self._write(())

    def name(self, entries: Sequence[SourceEntry]) -> None:
        """Say which files the recording has; raises as the constructor does."""
        self._write(entries)

    def _write(self, entries: Sequence[SourceEntry]) -> None:
        with file_errors(self._path, "the recording cannot be named"):
            # in place: another file of this name would not be held
            self._file.seek(0)
            self._file.write(msgspec.json.encode(list(entries)))
            self._file.truncate()
            self._file.flush()

    def forget(self) -> None:
        """Take it away: the trial names the files now."""
        with contextlib.suppress(OSError):
            self._path.unlink()
        self._file.close()

    def leave(self) -> None:
        """Let it lie: the files join the trial when it is opened the next time."""
        self._file.close()


def take_unfinished(trial: Trial) -> list[str]:
    """Let recordings join a trial that nobody makes any more, and return the names of their files.

    Raises
    ------
    TrialError
        If the trial cannot be saved; they stay where they are.
    """
    joined: list[str] = []
    for path in sorted(one for one in trial.folder.glob("recording *.json") if _NAME.fullmatch(one.name)):
        with contextlib.suppress(OSError), path.open("rb") as file:
            try:
                fcntl.flock(file, fcntl.LOCK_EX | fcntl.LOCK_NB)
            except BlockingIOError:
                continue
            fresh = _entries_in(file.read(_MOST_BYTES), trial)
            if fresh:
                trial.save(msgspec.structs.replace(trial.file, sources=(*trial.file.sources, *fresh)))
                joined += [entry.path for entry in fresh]
            path.unlink()
    return joined


def _entries_in(data: bytes, trial: Trial) -> list[SourceEntry]:
    """Return the entries whose files lie in the trial's folder and are not in the trial; none if it is no such list."""
    know_all_codes()
    try:
        entries = msgspec.json.decode(data, type=list[SourceEntry])
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError):
        return []
    known = {entry.path for entry in trial.file.sources}
    # only names: word of a recording leads to no file elsewhere
    inside = (entry for entry in entries if entry.path == Path(entry.path).name and entry.path not in known)
    return [entry for entry in inside if (trial.folder / entry.path).is_file()]
