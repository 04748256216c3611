"""Where an exported file comes from: which library, in which state, from which recordings.

A Parquet file carries it in its metadata. Beside every file lies ``NAME.origin.json`` with the same, since a CSV file
has no room for it.
"""

from __future__ import annotations

import dataclasses
from collections.abc import Sequence
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path

import msgspec

from .files.errors import FileError
from .files.reading import read_file
from .files.writing import Target

FORMAT = "zesty-abacus origin"
ENDING = ".origin.json"
_MOST_BYTES = 1 << 20


class Origin(msgspec.Struct, frozen=True, omit_defaults=True):
    """The origin of a file.

    Attributes
    ----------
    library, library_id
        Name and identity of the library.
    release
        Name of the release that was used; empty for a state that is none.
    revision
        Number of the newest change that was in it.
    sources
        Names of the recordings.
    written
        When, UTC.
    waiting
        Edits that the window showed and the library had not taken yet.
    program
        Version of the program.
    """

    library: str
    library_id: str
    revision: int
    release: str = ""
    sources: tuple[str, ...] = ()
    waiting: int = 0
    written: datetime = msgspec.field(default_factory=lambda: datetime.now(UTC))
    program: str = msgspec.field(default_factory=lambda: version("zesty-abacus"))
    format: str = msgspec.field(default=FORMAT)

    def words(self) -> str:
        """Return it as a short sentence without a stop."""
        state = f"release {self.release}" if self.release else f"revision {self.revision}"
        edits = f" and {self.waiting} edits that are not kept yet" if self.waiting else ""
        return f"{self.library}, {state}{edits}"

    def to_json(self) -> bytes:
        """Return it as a JSON document, with the format first."""
        plain = {"format": self.format, **msgspec.to_builtins(self)}
        return msgspec.json.format(msgspec.json.encode(plain), indent=2) + b"\n"


def origin_target(target: Target) -> Target:
    """Return where the origin of a file goes: a file beside it, which may be replaced where it is an origin, too."""
    beside = target.beside(ENDING)
    return dataclasses.replace(beside, replace=target.replace or _is_origin(beside.path))


def write_origin(target: Target, origin: Origin) -> None:
    """Write the origin of a file beside it; of a device or a pipe there is no beside.

    Raises
    ------
    FileError
        If it cannot be written, or something else is there.
    """
    if not target.is_stream:
        origin_target(target).write(origin.to_json())


def _is_origin(path: Path) -> bool:
    """Whether a file is the origin of an output that was there before."""
    try:
        return msgspec.json.decode(read_file(path, _MOST_BYTES), type=_Head).format == FORMAT
    except (FileError, msgspec.DecodeError, UnicodeDecodeError):
        return False


class _Head(msgspec.Struct):
    format: str


def source_names(sources: Sequence[Path]) -> tuple[str, ...]:
    """Return what sources are called in an origin."""
    return tuple(path.name for path in sources)
