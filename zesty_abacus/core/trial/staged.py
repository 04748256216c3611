"""The files of a packed trial before they are in it."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path

from ..files.hashing import sha256_of
from ..progress import Progress
from .packed import PackedFile


class Staged:
    """The files of an archive before they are in it.

    Attributes
    ----------
    files
        What is said of each.
    places
        Where each lies.
    """

    def __init__(self, folder: Path, progress: Progress) -> None:
        self.folder = folder
        self.files: list[PackedFile] = []
        self.places: list[tuple[str, Path]] = []
        self._progress = progress
        self._taken: set[str] = set()

    def add(self, path: Path, folder: str, names: Iterable[Path] = ()) -> str:
        """Take a file as it is, with others that belong to it beside it; return its name in the archive."""
        beside = [path, *(name for name in names if name != path)]
        room = self._room(folder, [one.name for one in beside])
        for one in beside:
            self._tell(f"{room}/{one.name}", one)
        return f"{room}/{path.name}"

    def made(self, name: str) -> Path:
        """Return where a file is to be made that goes into the archive under a name; tell with :meth:`finish`."""
        path = self.folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        return path

    def finish(self, name: str) -> None:
        """Take a file that was made."""
        self._tell(name, self.folder / name)

    def write(self, name: str, content: bytes) -> None:
        """Take a text."""
        self.made(name).write_bytes(content)
        self.finish(name)

    def _room(self, folder: str, names: list[str]) -> str:
        # files of one name from several folders each get a folder of their own
        number, room = 1, folder
        while any(f"{room}/{name}".casefold() in self._taken for name in names):
            number += 1
            room = f"{folder}/{number}"
        self._taken |= {f"{room}/{name}".casefold() for name in names}
        return room

    def _tell(self, name: str, path: Path) -> None:
        digest, size = sha256_of(path, self._progress.check)
        self.files.append(PackedFile(name, size, digest))
        self.places.append((name, path))
