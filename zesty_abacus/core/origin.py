"""Where an exported file comes from: which library, in which state, from which recordings.

A Parquet file carries it in its metadata. Beside every file lies ``NAME.origin.json`` with the same, since a CSV file
has no room for it.
"""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path

import msgspec

from .errors import DataError

FORMAT = "zesty-abacus origin"
ENDING = ".origin.json"


class OriginError(DataError):
    """The origin of a file cannot be written."""


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


def write_origin(path: Path, origin: Origin) -> None:
    """Write the origin of a file beside it; of a device or a pipe there is no beside.

    Raises
    ------
    OriginError
        If it cannot be written.
    """
    if path.exists() and not path.is_file():
        return
    beside = path.with_name(path.name + ENDING)
    try:
        beside.write_bytes(origin.to_json())
    except OSError as error:
        raise OriginError(f"the file cannot be written ({error.strerror}).", where=str(beside)) from error


def source_names(sources: Sequence[Path]) -> tuple[str, ...]:
    """Return what sources are called in an origin."""
    return tuple(path.name for path in sources)
