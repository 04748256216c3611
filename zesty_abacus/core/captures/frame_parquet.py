"""Frames in a Parquet file: what ``record`` and ``frames`` write, and others with a time, an address and a payload."""

from __future__ import annotations

import pyarrow as pa

from ..errors import said_by_others
from ..progress import Progress
from .frame_rows import FrameRows
from .registry import Sink
from .report import CaptureReadError, ReadReport
from .source import ByteSource

_MAGIC = b"PAR1"
_ROWS = 1 << 16


class FrameParquet:
    """Reader of frames in Parquet files."""

    name = "Parquet"
    suffixes = (".parquet",)

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
                rows.take(batch, 1 + done)
                done += len(batch)
        except (pa.ArrowException, OSError, UnicodeDecodeError) as error:
            raise CaptureReadError(
                f"the Parquet file cannot be read ({said_by_others(error)}).", where=str(source.path)
            ) from error


FORMAT = FrameParquet()
