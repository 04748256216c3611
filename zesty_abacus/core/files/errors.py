"""What can be wrong with a file that a user names.

FileError
├── NotRegularError   a pipe, a device, a folder: nothing that ends
├── TooLargeError     more bytes than are taken in at once
├── HeldError         a library that this program has open
├── ExistsError       there is a file already, and nobody said that it may be replaced
└── SameFileError     what is read and what is written are one file
"""

from __future__ import annotations

import os
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from ..errors import DataError


class FileError(DataError):
    """A file that cannot be read or written."""


class NotRegularError(FileError):
    """Something that is no file of bytes with an end."""


class TooLargeError(FileError):
    """A file of more bytes than are taken in at once."""


class HeldError(FileError):
    """A file that a database driver of this process has open."""


class ExistsError(FileError):
    """A file that is there already."""


class SameFileError(FileError):
    """An output that is one of the inputs."""


@contextmanager
def file_errors(path: Path | str, what: str = "the file cannot be read") -> Iterator[None]:
    """Turn what the system says about a path into a :class:`FileError` that keeps the cause.

    A path that no system call takes, such as one with a NUL in it, is a ``ValueError`` of Python's.
    """
    try:
        yield
    except OSError as error:
        raise FileError(f"{what} ({error.strerror or error}).", where=os.fspath(path)) from error
    except ValueError as error:
        if "null" not in str(error) and not isinstance(error, UnicodeEncodeError):
            # of the block's own work, such as a table that does not fit: not for this place to say
            raise
        raise FileError(f"{what} (its name holds what no name may hold).", where=repr(os.fspath(path))) from error


@contextmanager
def file_errors_as(kind: type[DataError]) -> Iterator[None]:
    """Let a reader speak of files with an error of its own."""
    try:
        yield
    except FileError as error:
        raise kind(error.message, where=error.where, hint=error.hint) from error
