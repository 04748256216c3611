"""Frames in a Parquet file: what ``record`` and ``frames`` write, and others with a time, an address and a payload."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path

import pyarrow as pa

from ..frames.table import FrameTable
from ..progress import Progress
from .frame_rows import FrameRows, rows_of
from .output import CaptureWriteError
from .registry import Sink
from .report import CaptureReadError, ReadReport
from .source import ByteSource

_MAGIC = b"PAR1"
_ROWS = 1 << 16


class FrameParquet:
    """Reader and writer of frames in Parquet files."""

    name = "Parquet"
    suffixes = (".parquet",)
    protocols: tuple[str, ...] = ()
    is_for_one_lane = False

    def sniff(self, head: bytes) -> bool:
        """Return whether it is a Parquet file; whether it holds frames stands at its end."""
        return head.startswith(_MAGIC)

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Pass all frames to the sink.

        Raises
        ------
        CaptureReadError
            If the file is damaged, compressed as a whole, or holds something else than frames.
        """
        import pyarrow.parquet  # every command asks every format, and few have to do with this one

        rows = FrameRows(str(source.path), sink, report)
        try:
            file = pyarrow.parquet.ParquetFile(source.path, memory_map=False)
            total, done = file.metadata.num_rows, 0
            for batch in file.iter_batches(_ROWS):
                progress.step(done / max(total, 1), f"reading {source.path.name}")
                rows.take(batch)
                done += len(batch)
        except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
            sentence = str(error).split("\n")[0][:200]
            raise CaptureReadError(f"the Parquet file cannot be read ({sentence}).", where=str(source.path)) from error

    def open_writer(self, path: Path, lanes: Sequence[str]) -> FrameParquetWriter:
        """Start a Parquet file."""
        return FrameParquetWriter(path, lanes)


FORMAT = FrameParquet()


class FrameParquetWriter:
    """Writes frames into a Parquet file, a group of rows a table."""

    def __init__(self, path: Path, lanes: Sequence[str]) -> None:
        self._path = path
        self._lanes = list(lanes)
        import pyarrow.parquet  # as for reading

        schema = rows_of(FrameTable.empty(), self._lanes).schema
        try:
            self._writer = pyarrow.parquet.ParquetWriter(path, schema)
        except OSError as error:
            raise CaptureWriteError(f"the recording cannot be written ({error}).", where=str(path)) from error

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table."""
        self._writer.write_table(rows_of(table, self._lanes))

    def close(self) -> None:
        """Finish the file."""
        self._writer.close()
