"""Writes files whole or not at all, never over an input, and over another file only where somebody said so."""

from __future__ import annotations

import contextlib
import errno
import os
import secrets
import stat
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import BinaryIO

from ..waiting_lock import lock_within
from .errors import ExistsError, FileError, SameFileError, file_errors
from .held import identity_of, is_held

_PATIENCE_S = 5.0
_CANNOT = "the file cannot be written"
_NO_LINKS = (errno.EPERM, errno.ENOTSUP, errno.EOPNOTSUPP, errno.EMLINK, errno.ENOSYS, errno.EXDEV)


@dataclass(frozen=True, slots=True)
class Target:
    """Where something is to be written.

    Attributes
    ----------
    path
    replace
        Whether a file that is there may be replaced: somebody was asked, or said it with the command.
    inputs
        Files that are read for it; none of them is ever written over, whatever ``replace`` says.
    """

    path: Path
    replace: bool = False
    inputs: tuple[Path, ...] = ()

    def beside(self, ending: str) -> Target:
        """Return the target of a file beside it, whose name goes on with an ending."""
        return Target(self.path.with_name(self.path.name + ending), self.replace, self.inputs)

    @property
    def is_stream(self) -> bool:
        """Whether a device or a pipe is there, which is written into: a file in its place would take it away."""
        try:
            mode = os.stat(self.path).st_mode
        except (OSError, ValueError):
            return False
        return stat.S_ISCHR(mode) or stat.S_ISFIFO(mode) or stat.S_ISBLK(mode)

    def check(self) -> None:
        """Check that it may be written, before any work is done for it.

        Raises
        ------
        FileError
            If it is an input or an open library, if it is there and must not be replaced, or is a folder.
        """
        with file_errors(self.path, _CANNOT):
            os.stat(self.path.parent)
        if self.is_stream:
            return
        same = next((known for known in self.inputs if _is_same(self.path, known)), None)
        if same is not None or is_held(self.path):
            what = f"it is the same file as {same}" if same is not None else "it is a library that is open here"
            raise SameFileError(f"{what}, which is read.", where=str(self.path), hint="Choose another name.")
        if self.path.is_dir():
            raise FileError("this is a folder.", where=str(self.path), hint="Name a file in it.")
        # of a link whose end is missing nobody knows whose file would come to be
        if not self.replace and os.path.lexists(self.path):
            raise _exists(self.path)

    @contextlib.contextmanager
    def writing(self) -> Iterator[BinaryIO]:
        """Give a stream whose bytes become the file when the block ends well.

        The file appears whole and on the disk, or not at all. A link at its place is replaced, never followed.

        Raises
        ------
        FileError
            As :meth:`check`, or if the disk does not take it.
        """
        self.check()
        if self.is_stream:
            with file_errors(self.path, _CANNOT), open(self.path, "wb") as stream:
                yield stream
            return
        with new_file_beside(self.path) as (part, stream):
            yield stream
            with file_errors(self.path, _CANNOT):
                stream.flush()
                os.fsync(stream.fileno())
                # an input may have been put there since the first look
                self.check()
                _put(part, self.path, replace=self.replace)

    def write(self, data: bytes) -> None:
        """Write all bytes; raises as :meth:`writing`."""
        with self.writing() as stream, file_errors(self.path, _CANNOT):
            stream.write(data)


def target_of(where: Path | Target) -> Target:
    """Return a target; of a path alone, one that replaces nothing."""
    return where if isinstance(where, Target) else Target(where)


def check_targets(targets: Iterable[Target]) -> None:
    """Check several targets before the first is written; raises as :meth:`Target.check`."""
    for target in targets:
        target.check()


def keep_file(path: Path, data: bytes) -> None:
    """Replace a file of the program's own: the old or the new one is there, on the disk, never half of one.

    Raises
    ------
    FileError
        If the disk does not take it; the old one stays.
    """
    with new_file_beside(path) as (part, stream), file_errors(path, _CANNOT):
        stream.write(data)
        stream.flush()
        os.fsync(stream.fileno())
        _put(part, path, replace=True)


@contextlib.contextmanager
def alone_in(folder: Path) -> Iterator[None]:
    """Be the only program of this kind that changes files of its own in a folder; others wait for a moment.

    The folder itself is locked, so that no file is left behind. Where the file system knows no locks, nobody waits.
    """
    opened = None
    try:
        with contextlib.suppress(OSError):
            opened = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
            # whoever holds it so long is stuck; a file is replaced whole all the same
            lock_within(opened, _PATIENCE_S)
        yield
    finally:
        if opened is not None:
            os.close(opened)


@contextlib.contextmanager
def new_file_beside(path: Path) -> Iterator[tuple[Path, BinaryIO]]:
    """Give a new file in the folder of another, under a name that nobody can have planted; it is gone afterwards.

    Raises
    ------
    FileError
        If it cannot be made.
    """
    with file_errors(path, _CANNOT):
        part, made = open_part(path)
    try:
        with os.fdopen(made, "wb") as stream:
            yield part, stream
    except OSError as error:
        # what a full disk did not take is told again when the stream is closed
        raise FileError(f"{_CANNOT} ({error.strerror or error}).", where=str(path)) from error
    finally:
        with contextlib.suppress(OSError):
            os.unlink(part)


def open_part(path: Path) -> tuple[Path, int]:
    """Make a new file beside another; return its name and its descriptor. Raises what the system says."""
    part = path.with_name(f".{path.name[:100]}.{secrets.token_hex(8)}.part")
    # exclusively: a file or a link that somebody put there is neither followed nor touched
    return part, os.open(part, os.O_WRONLY | os.O_CREAT | os.O_EXCL | os.O_NOFOLLOW | os.O_CLOEXEC, 0o666)


def _put(part: Path, path: Path, *, replace: bool) -> None:
    """Give a finished file its name."""
    if replace:
        _keep_mode(part, path)
        os.replace(part, path)
        _sync_folder(path.parent)
    else:
        put_new(part, path)


def _keep_mode(part: Path, path: Path) -> None:
    with contextlib.suppress(OSError):
        mode = os.lstat(path).st_mode
        if stat.S_ISREG(mode):
            os.chmod(part, stat.S_IMODE(mode) & 0o777)


def put_new(part: Path, path: Path) -> None:
    """Give a finished file a name that is free; raises :class:`ExistsError` if it is not, or what the system says."""
    _link_new(part, path)
    _sync_folder(path.parent)


def _link_new(part: Path, path: Path) -> None:
    try:
        # a link is made only where there is nothing: between a look and a rename somebody could come
        os.link(part, path)
    except FileExistsError:
        raise _exists(path) from None
    except OSError as error:
        if error.errno not in _NO_LINKS:
            raise
        if os.path.lexists(path):
            raise _exists(path) from None
        os.replace(part, path)


def _sync_folder(folder: Path) -> None:
    # the name of a file is on the disk only with its folder; some file systems know no such thing
    with contextlib.suppress(OSError):
        opened = os.open(folder, os.O_RDONLY | os.O_DIRECTORY | os.O_CLOEXEC)
        try:
            os.fsync(opened)
        finally:
            os.close(opened)


def _exists(path: Path) -> ExistsError:
    return ExistsError("there is a file of this name already.", where=str(path), hint="Choose another name.")


def _is_same(path: Path, known: Path) -> bool:
    identity = identity_of(path)
    return identity is not None and identity == identity_of(known)
