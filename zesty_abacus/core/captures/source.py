"""Bytes of a recording, plain or compressed, in chunks of bounded size."""

from __future__ import annotations

import contextlib
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType

import pyarrow as pa

from ..progress import Progress
from .report import CaptureReadError, ReadReport

CHUNK = 1 << 18
"""Small enough that a chunk and what is made of it stay in memory that is already there: first touches are slow."""
_MAGIC = {b"\x1f\x8b": "gzip", b"\x28\xb5\x2f\xfd": "zstd"}
COMPRESSED_SUFFIXES = {".gz": "gzip", ".zst": "zstd"}


def bare_name(path: Path) -> str:
    """Return the file name without the suffix of a compression."""
    return path.stem if path.suffix.lower() in COMPRESSED_SUFFIXES else path.name


class ByteSource:
    """A recording as a stream of chunks; gzip and Zstandard are recognised by their first bytes.

    Parameters
    ----------
    path
        The file.

    Raises
    ------
    CaptureReadError
        If it cannot be opened.
    """

    def __init__(self, path: Path) -> None:
        self.path = path
        try:
            self._size = max(path.stat().st_size, 1)
            self._raw = pa.OSFile(str(path), "rb")
            magic = self._raw.read(4)
            self._raw.seek(0)
        except OSError as error:
            raise CaptureReadError(
                f"the file cannot be opened ({error.strerror or error}).", where=str(path)
            ) from error
        codec = next((name for start, name in _MAGIC.items() if magic.startswith(start)), None)
        self._stream = pa.CompressedInputStream(self._raw, codec) if codec else self._raw
        self.is_compressed = codec is not None
        self._held = b""

    def __enter__(self) -> ByteSource:
        return self

    def __exit__(
        self, kind: type[BaseException] | None, error: BaseException | None, trace: TracebackType | None
    ) -> None:
        with contextlib.suppress(OSError, pa.ArrowInvalid):
            self._stream.close()
            self._raw.close()

    def head(self, size: int = 4096) -> bytes:
        """Return the first bytes without using them up; what a broken compression gives before it breaks."""
        with contextlib.suppress(OSError, pa.ArrowInvalid):
            self._held = self._stream.read(size)
        return self._held

    def chunks(self, report: ReadReport, progress: Progress, size: int = CHUNK) -> Iterator[bytes]:
        """Yield the bytes in order.

        A compressed stream that breaks off ends the iteration and is listed as a problem; what came before
        is kept.
        """
        if self._held:
            held, self._held = self._held, b""
            yield held
        delivered = 0
        while True:
            progress.step(min(self._raw.tell() / self._size, 1.0), f"reading {self.path.name}")
            try:
                chunk = self._stream.read(size)
            except (OSError, pa.ArrowInvalid) as error:
                report.add_problem(f"byte {delivered}", f"the compressed data break off here ({error})")
                return
            if not chunk:
                return
            delivered += len(chunk)
            yield chunk
