"""Large recordings in pieces, so that several processes decode one of them.

Where a recording may be cut is known to its format; see :class:`~zesty_abacus.core.captures.registry.CuttableFormat`.
"""

from __future__ import annotations

from dataclasses import dataclass
from itertools import pairwise
from pathlib import Path

from ..captures.registry import CuttableFormat, formats
from ..files.errors import file_errors, file_errors_as
from ..files.reading import open_file
from .errors import ArchiveError

CUT_BYTES = 128 << 20
"""So large a piece is: some millions of frames, a minute of work, and a fraction of what a process may hold."""
_BEGINNING = 1 << 14
_COPY = 8 << 20


@dataclass(frozen=True, slots=True)
class Piece:
    """A part of a recording that is read as a recording of its own.

    Attributes
    ----------
    number
        From 0.
    begin, end
        Bytes of the file.
    head
        Bytes at the beginning of the file that belong to each piece.
    """

    number: int
    begin: int
    end: int
    head: int = 0

    def copy(self, source: Path, folder: Path) -> Path:
        """Write the piece into a folder as a file of the same name, which lanes may be called after; return where.

        Raises
        ------
        ArchiveError
            If it cannot be read or written.
        """
        target = folder / source.name
        with (
            file_errors_as(ArchiveError),
            file_errors(source, "it cannot be cut"),
            open_file(source) as file,
            target.open("wb") as made,
        ):
            made.write(file.read(self.head))
            file.seek(self.begin)
            left = self.end - self.begin
            while left and (data := file.read(min(left, _COPY))):
                made.write(data)
                left -= len(data)
        return target


def pieces_of(path: Path, size: int, cut_bytes: int = CUT_BYTES) -> tuple[Piece, ...]:
    """Return the pieces that a recording is worked on in; none where it is taken as a whole.

    Raises
    ------
    ArchiveError
        If it cannot be read.
    """
    if size < 2 * cut_bytes:
        return ()
    with file_errors_as(ArchiveError), file_errors(path, "it cannot be read"), open_file(path) as file:
        beginning = file.read(_BEGINNING)
        way = next((one for one in formats() if one.sniff(beginning)), None)
        cuts = way.cuts(file, size, cut_bytes) if isinstance(way, CuttableFormat) else None
    if cuts is None:
        return ()
    edges = sorted({cuts.head, *(place for place in cuts.places if cuts.head < place < size), size})
    return tuple(Piece(number, begin, end, cuts.head) for number, (begin, end) in enumerate(pairwise(edges)))
