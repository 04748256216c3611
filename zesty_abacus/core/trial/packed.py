"""A trial as one file: a ZIP archive that says of itself what is in it and what was left out.

``pack.json``         what it is, from where, what was left out, and the hash of each file
``trial.json``        the trial, with paths inside the archive
``library.sqlite``    what it is decoded with, as a working copy of the library it came from
``recordings/``, ``references/``
"""

from __future__ import annotations

from datetime import UTC, datetime
from importlib.metadata import version
from pathlib import Path

import msgspec

FORMAT, VERSION = "zesty-abacus packed trial", 1
ENDING = ".ztrial"
ABOUT, LIBRARY = "pack.json", "library.sqlite"


def is_packed(path: Path) -> bool:
    """Return whether a path has the ending of a packed trial."""
    return path.suffix.lower() == ENDING


class PackedFile(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A file inside: its name, its bytes, and their hash."""

    name: str
    size: int
    sha256: str


class Packed(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True):
    """What an archive says of itself.

    Attributes
    ----------
    trial
        Name and run.
    library, library_id
        Where the layouts came from.
    release
        What it is decoded with; empty for the newest state.
    messages
        How many layouts are in it.
    is_working_copy
        Whether the library it came from takes back what is worked out in it.
    left_out
        What did not go along, a sentence each.
    """

    format: str = FORMAT
    version: int = VERSION
    trial: str
    library: str
    library_id: str
    release: str
    messages: int
    is_working_copy: bool
    left_out: tuple[str, ...]
    files: tuple[PackedFile, ...]
    packed: datetime = msgspec.field(default_factory=lambda: datetime.now(UTC))
    program: str = msgspec.field(default_factory=lambda: version("zesty-abacus"))
