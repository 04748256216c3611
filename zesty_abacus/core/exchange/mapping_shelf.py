"""What columns meant the last time: mappings in a file of their own, found again by their headings."""

from __future__ import annotations

import contextlib
from pathlib import Path

import msgspec

from ..errors import DataError, MisuseError
from .table_mapping import TableMapping

_KEPT = 50


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
    try:
        mapping = msgspec.json.decode(path.read_bytes(), type=TableMapping)
        mapping.check()
        return mapping
    except OSError as error:
        raise DataError(f"the file cannot be read ({error.strerror}).", where=str(path)) from error
    except (msgspec.DecodeError, MisuseError, RecursionError) as error:
        raise DataError(f"this does not say what columns mean: {error}", where=str(path)) from error


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
        with contextlib.suppress(OSError):
            self._path.parent.mkdir(parents=True, exist_ok=True)
            part = self._path.with_suffix(".part")
            part.write_bytes(msgspec.json.encode(kept))
            part.replace(self._path)

    def _read(self) -> list[TableMapping]:
        try:
            return msgspec.json.decode(self._path.read_bytes(), type=list[TableMapping])
        except (OSError, msgspec.DecodeError, RecursionError):
            return []
