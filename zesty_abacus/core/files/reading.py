"""Opens what a user names for reading: files of bytes that end, never a pipe, a device or an open library."""

from __future__ import annotations

import os
import stat
from pathlib import Path
from typing import BinaryIO, cast

from .errors import HeldError, NotRegularError, TooLargeError, file_errors
from .held import is_held

_KINDS = (
    (stat.S_ISDIR, "a folder"), (stat.S_ISFIFO, "a pipe"), (stat.S_ISSOCK, "a socket"), (stat.S_ISCHR, "a device"),
    (stat.S_ISBLK, "a device"),
)  # fmt: skip
_leaked: list[BinaryIO] = []
"""Descriptors that must stay open; see :func:`open_file`."""


def check_readable(path: Path) -> os.stat_result:
    """Check, without opening it, that a path leads to a file that may be read; return what the system says of it.

    Raises
    ------
    FileError
        If there is none, it is no regular file, or it is a library that this program has open.
    """
    with file_errors(path, "the file cannot be opened"):
        # a look before opening: opening a pipe would wait for whoever writes it
        facts = os.stat(path)
    _check_regular(facts, path)
    if is_held(path):
        raise _held_error(path)
    return facts


def open_file(path: Path) -> BinaryIO:
    """Open a regular file, unbuffered.

    Raises
    ------
    FileError
        As :func:`check_readable`, or if the system does not let it be read.
    """
    check_readable(path)
    with file_errors(path, "the file cannot be opened"):
        # what was a file at the look may be a pipe now, and must not make anybody wait
        file = cast(BinaryIO, open(path, "rb", buffering=0, opener=_without_waiting))  # noqa: SIM115 - it is handed on
    try:
        _check_regular(os.fstat(file.fileno()), path)
    except NotRegularError:
        file.close()
        raise
    if is_held(path):
        # it became a library in the meantime; closing the descriptor would take the library's locks away
        _leaked.append(file)
        raise _held_error(path)
    return file


def read_file(path: Path, limit: int) -> bytes:
    """Return the content of a file of at most ``limit`` bytes.

    What counts is what is read: a file may grow, and of some the system tells no size.

    Raises
    ------
    FileError
        As :func:`open_file`; :class:`TooLargeError` if there is more.
    """
    parts: list[bytes] = []
    left = limit + 1
    with open_file(path) as file, file_errors(path):
        while left > 0:
            part = file.read(min(left, 1 << 20))
            if not part:
                break
            parts.append(part)
            left -= len(part)
    if left <= 0:
        raise TooLargeError(f"it has more than the {limit} bytes allowed.", where=str(path))
    return b"".join(parts)


def resolved(path: Path) -> Path:
    """Return the absolute path without links; of a loop of links, as far as it leads. Never raises for what is there.

    Raises
    ------
    FileError
        If it holds what no name may hold.
    """
    with file_errors(path):
        return Path(os.path.realpath(path))


def _without_waiting(path: str, flags: int) -> int:
    return os.open(path, flags | os.O_NONBLOCK | os.O_NOCTTY | os.O_CLOEXEC)


def _check_regular(facts: os.stat_result, path: Path) -> None:
    if not stat.S_ISREG(facts.st_mode):
        kind = next((words for is_kind, words in _KINDS if is_kind(facts.st_mode)), "no file")
        raise NotRegularError(f"this is {kind}, and only files are read.", where=str(path),
                              hint="What comes through a pipe is read with - as its name.")  # fmt: skip


def _held_error(path: Path) -> HeldError:
    return HeldError("this is a library that is open here, and it is read as a library only.", where=str(path))
