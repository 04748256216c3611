"""Everything that was sent and heard, on disk as it came, to be written out while it still grows."""

from __future__ import annotations

import threading
from collections.abc import Iterator, Sequence
from pathlib import Path

import pyarrow as pa
import pyarrow.csv as pc

from ..files.errors import file_errors
from ..frames.capture import Capture, Lane
from ..frames.table import FrameTable
from ..handover.frame_table import FRAME_SCHEMA, frame_table
from ..handover.stream import TableStream

_CANNOT = "what comes cannot be kept"


class Journal:
    """A table of frames of the program's own: one thread adds to it, others read what was there when they asked.

    Parameters
    ----------
    path
        Of a file that is made anew.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        self._lock = threading.Lock()
        with file_errors(path, _CANNOT):
            self._file = path.open("wb")
            # texts as they came: whatever leaves is made harmless where it leaves
            self._rows = TableStream(self._file, "csv", FRAME_SCHEMA, as_is=True)
            self._end = self._file.tell()

    @property
    def count(self) -> int:
        """How many frames it has."""
        return self._rows.rows

    def append(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Add frames; ``lane`` counts in the lanes.

        Raises
        ------
        DataError
            If the disk does not take them.
        """
        with self._lock, file_errors(self._path, _CANNOT):
            for block in frame_table(Capture.from_table(table, list(lanes))):
                self._rows.write(block)
            self._end = self._file.tell()

    def tables(self) -> Iterator[pa.Table]:
        """Return what is there now as tables of :data:`~zesty_abacus.core.handover.frame_table.FRAME_SCHEMA`."""
        with self._lock:
            end = self._end
        with file_errors(self._path, "what came cannot be read"):
            # mapped, not read: hours of a bus are larger than the memory
            whole = pa.memory_map(str(self._path)).read_buffer(end)
            reader = pc.open_csv(pa.BufferReader(whole), parse_options=_PARSED, convert_options=_AS_THEY_WERE)
        return (pa.Table.from_batches([batch]) for batch in reader)

    def close(self) -> None:
        """Let go of the file."""
        with self._lock, file_errors(self._path, _CANNOT):
            self._rows.close()
            self._file.close()


# names of lanes are anybody's, line breaks in them too
_PARSED = pc.ParseOptions(newlines_in_values=True)
_AS_THEY_WERE = pc.ConvertOptions(
    column_types=FRAME_SCHEMA, strings_can_be_null=False, null_values=[""], quoted_strings_can_be_null=False
)
