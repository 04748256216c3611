"""The hash of a file's content, which stays the same wherever the file lies."""

from __future__ import annotations

import hashlib
from collections.abc import Callable
from pathlib import Path

from .errors import file_errors
from .reading import open_file

_PIECE = 1 << 20


def sha256_of(path: Path, between: Callable[[], None] = lambda: None) -> tuple[str, int]:
    """Return the SHA-256 of a file as hex digits, and its size in bytes.

    Parameters
    ----------
    between
        Called again and again meanwhile; what it raises ends the work.

    Raises
    ------
    FileError
        If the file cannot be read.
    """
    digest, size = hashlib.sha256(), 0
    with open_file(path) as stream, file_errors(path):
        while piece := stream.read(_PIECE):
            between()
            digest.update(piece)
            size += len(piece)
    return digest.hexdigest(), size
