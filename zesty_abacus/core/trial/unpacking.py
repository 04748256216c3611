"""Unpacks a trial that came as one file, and believes nothing of it that it does not have to."""

from __future__ import annotations

import shutil
import zipfile
from pathlib import Path, PurePosixPath
from typing import BinaryIO

import msgspec

from ..errors import DataError
from ..files.errors import file_errors
from ..files.hashing import sha256_of
from ..files.reading import open_file
from ..progress import Progress
from .packed import ABOUT, FORMAT, LIBRARY, VERSION, Packed
from .trial import FILE_NAME, Trial

_MOST_FILES = 100_000
_MOST_ABOUT = 64 << 20
_PIECE = 1 << 20


class PackedError(DataError):
    """A file that is no packed trial, or a damaged one."""


def unpacked_beside(path: Path, progress: Progress | None = None) -> Trial:
    """Unpack a trial into a folder beside its file and open it; one that was unpacked there before is only opened.

    Raises
    ------
    PackedError
        As of :func:`unpack`.
    """
    about = look_into(path)
    number, folder = 1, path.with_suffix("")
    while folder.exists():
        if _unpacked_before(folder, about):
            return Trial.open(folder)
        # somebody else's folder of this name
        number += 1
        folder = path.with_name(f"{path.stem} {number}")
    return unpack(path, folder, progress)


def _unpacked_before(folder: Path, about: Packed) -> bool:
    try:
        return msgspec.json.decode((folder / ABOUT).read_bytes(), type=Packed) == about
    except (OSError, msgspec.DecodeError):
        return False


def look_into(path: Path) -> Packed:
    """Return what a packed trial says of itself.

    Raises
    ------
    PackedError
        If it is none, or of a newer version.
    """
    with open_file(path) as stream, _archive_of(path, stream) as archive:
        return _about(path, archive)


def unpack(path: Path, folder: Path, progress: Progress | None = None) -> Trial:
    """Unpack a trial into a folder that is not there yet, and open it.

    Every file is compared with its hash, and none is written outside the folder.

    Raises
    ------
    PackedError
        If it is no packed trial, is damaged, or the folder is there; then nothing is left of it.
    Cancelled
        If the progress was cancelled; nothing is left.
    """
    progress = progress or Progress()
    if folder.exists():
        raise PackedError("there is something here already.", where=str(folder), hint="Unpack into a new folder.")
    with open_file(path) as stream, _archive_of(path, stream) as archive:
        about = _about(path, archive)
        try:
            with file_errors(folder, "the folder cannot be made"):
                folder.mkdir(parents=True)
            _extract(path, archive, about, folder, progress)
            (folder / ABOUT).write_bytes(msgspec.json.encode(about))
            trial = Trial.open(folder)
            if outside := trial.outside():
                raise PackedError(f"it reads {outside[0]}, which is not in it.", where=str(path))
            if trial.file.library != LIBRARY:
                raise PackedError("it names a library that is not in it.", where=str(path))
        except BaseException:
            shutil.rmtree(folder, ignore_errors=True)
            raise
    return trial


def _archive_of(path: Path, stream: BinaryIO) -> zipfile.ZipFile:
    try:
        return zipfile.ZipFile(stream)
    except (zipfile.BadZipFile, OSError, ValueError) as error:
        raise PackedError(f"it is no packed trial: {error}.", where=str(path)) from error


def _about(path: Path, archive: zipfile.ZipFile) -> Packed:
    try:
        entry = archive.getinfo(ABOUT)
        if entry.file_size > _MOST_ABOUT:
            raise PackedError(f"its {ABOUT} has {entry.file_size} bytes.", where=str(path))
        about = msgspec.json.decode(archive.read(entry), type=Packed)
    except (KeyError, msgspec.DecodeError, zipfile.BadZipFile, RuntimeError, NotImplementedError) as error:
        raise PackedError("it is no packed trial, or a damaged one.", where=str(path)) from error
    if about.format != FORMAT or about.version > VERSION:
        said = f"format={about.format!r} version={about.version}, expected {FORMAT!r} up to {VERSION}."
        raise PackedError(said, where=str(path))
    if len(about.files) > _MOST_FILES:
        raise PackedError(f"it has {len(about.files)} files.", where=str(path))
    names = {file.name for file in about.files}
    if not {FILE_NAME, LIBRARY} <= names or len(names) < len(about.files):
        raise PackedError("it has no trial in it, or one file twice.", where=str(path))
    for name in names:
        _check_name(path, name)
    return about


def _check_name(path: Path, name: str) -> None:
    parts = PurePosixPath(name).parts
    if not parts or name.startswith("/") or "\\" in name or "\0" in name or {"..", "."} & set(parts):
        raise PackedError(f"it has a file {name!r}, which is not inside it.", where=str(path))


def _extract(path: Path, archive: zipfile.ZipFile, about: Packed, folder: Path, progress: Progress) -> None:
    """Write the files that it says it has; any other in the archive is left there."""
    total = max(sum(file.size for file in about.files), 1)
    if total > shutil.disk_usage(folder).free:
        raise PackedError(f"it takes {total} bytes, more than there is room for.", where=str(path))
    done = 0
    for file in about.files:
        target = folder / file.name
        with file_errors(target, "the file cannot be written"):
            target.parent.mkdir(parents=True, exist_ok=True)
            with _opened(path, archive, file.name) as inside, target.open("xb") as out:
                left = file.size
                # not a byte more than it says: what is packed small may be without end
                while left and (piece := _read(path, inside, min(_PIECE, left))):
                    out.write(piece)
                    left -= len(piece)
                    done += len(piece)
                    progress.step(done / total, f"unpacking {path.name}")
        if sha256_of(target, progress.check)[0] != file.sha256:
            raise PackedError(f"{file.name} in it is damaged.", where=str(path), hint="Ask for it again.")


def _opened(path: Path, archive: zipfile.ZipFile, name: str):  # type: ignore[no-untyped-def]
    try:
        return archive.open(name)
    except (KeyError, zipfile.BadZipFile, RuntimeError, NotImplementedError) as error:
        raise PackedError(f"{name} is not in it, or damaged.", where=str(path)) from error


def _read(path: Path, inside, size: int) -> bytes:  # type: ignore[no-untyped-def]
    try:
        return bytes(inside.read(size))
    except Exception as error:
        # what a broken stream of zlib and its relatives raises is of no common sort
        raise PackedError("it is damaged.", where=str(path), hint="Ask for it again.") from error
