"""What columns meant the last time: mappings in a file of their own, found again by their headings."""

from __future__ import annotations

import contextlib
from pathlib import Path

import msgspec

from ..errors import DataError, MisuseError
from ..files.errors import FileError
from ..files.reading import read_file
from ..files.writing import keep_file
from ..json_faults import faults_in
from .table_mapping import TableMapping

_KEPT = 50
_MOST_BYTES = 8 << 20


def mapping_text(mapping: TableMapping) -> str:
    """Return a mapping as the text of a file."""
    return msgspec.json.format(msgspec.json.encode(mapping), indent=1).decode() + "\n"


def mapping_from_file(path: Path) -> TableMapping:
    """Read one mapping.

    Raises
    ------
    DataError
        If the file cannot be read or is no mapping.
    """
    data = read_file(path, _MOST_BYTES)
    try:
        mapping = msgspec.json.decode(data, type=TableMapping)
        mapping.check()
        return mapping
    except (msgspec.DecodeError, MisuseError, RecursionError) as error:
        wrong = faults_in(data, TableMapping) or [str(error)]
        raise DataError.of("this does not say what columns mean", wrong, where=str(path)) from error


class MappingShelf:
    """Mappings kept between runs; a missing or damaged file is an empty shelf."""

    def __init__(self, path: Path) -> None:
        self._path = path

    def find(self, headings: tuple[str, ...]) -> TableMapping | None:
        """Return the mapping last used for a table with these headings."""
        return next((one for one in self._read() if one.headings == headings), None)

    def keep(self, mapping: TableMapping) -> None:
        """Remember a mapping; a folder that cannot be written costs only the memory of it."""
        known = [one for one in self._read() if one.headings != mapping.headings]
        kept = [mapping, *known][:_KEPT]
        with contextlib.suppress(OSError, FileError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            keep_file(self._path, msgspec.json.encode(kept))

    def _read(self) -> list[TableMapping]:
        try:
            return msgspec.json.decode(read_file(self._path, _MOST_BYTES), type=list[TableMapping])
        except (FileError, msgspec.DecodeError, RecursionError):
            return []
