"""Bytes of a recording, plain or compressed, in chunks of bounded size."""

from __future__ import annotations

import contextlib
import os
from collections.abc import Iterator
from pathlib import Path
from types import TracebackType

import pyarrow as pa

from ..files.errors import file_errors, file_errors_as
from ..files.reading import open_file
from ..progress import Progress
from .report import CaptureReadError, ReadReport
from .text_form import as_known_text

CHUNK = 1 << 18
"""Small enough that a chunk and what is made of it stay in memory that is already there: first touches are slow."""
_MAGIC = {b"\x1f\x8b": "gzip", b"\x28\xb5\x2f\xfd": "zstd"}
_BEGINNING = 4096
_PAIRED = (".sigmf-meta", ".sigmf-data")
"""Endings of recordings that are two files."""
COMPRESSED_SUFFIXES = {".gz": "gzip", ".zst": "zstd"}


def bare_name(path: Path) -> str:
    """Return the file name without the suffix of a compression."""
    return path.stem if path.suffix.lower() in COMPRESSED_SUFFIXES else path.name


def files_of_source(path: Path) -> list[Path]:
    """Return the files that a recording named by one of them is made of, whether they are there or not."""
    return [path, *(path.with_suffix(ending) for ending in _PAIRED if path.suffix in _PAIRED and ending != path.suffix)]


class ByteSource:
    """A recording as a stream of chunks; gzip, Zstandard and UTF-16 are recognised by their first bytes.

    Parameters
    ----------
    path
        The file.
    as_stored
        Give bytes as they are stored, also of text in a form that readers of text do not know.

    Raises
    ------
    CaptureReadError
        If it cannot be opened.
    """

    def __init__(self, path: Path, *, as_stored: bool = False) -> None:
        self.path = path
        with file_errors_as(CaptureReadError):
            self._raw = open_file(path)
            with file_errors(path):
                self._size = max(os.fstat(self._raw.fileno()).st_size, 1)
                beginning = self._raw.read(_BEGINNING)
                self._raw.seek(0)
        codec = next((name for start, name in _MAGIC.items() if beginning.startswith(start)), None)
        if codec is not None:
            self._stream = pa.CompressedInputStream(pa.PythonFile(self._raw, mode="r"), codec)
        else:
            self._stream = (None if as_stored else as_known_text(self._raw, beginning)) or self._raw
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


def head_of(path: Path) -> str:
    """Return the first lines of a text table."""
    with ByteSource(path) as source:
        return source.head(1 << 15).decode("utf-8", "replace")
