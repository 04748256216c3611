"""Bytes out to a file, compressed when its name says so."""

from __future__ import annotations

from pathlib import Path

import pyarrow as pa

from ..errors import DataError
from .source import COMPRESSED_SUFFIXES


class CaptureWriteError(DataError):
    """A recording that cannot be written."""


class ByteOutput:
    """A file being written; ``.gz`` and ``.zst`` endings compress.

    Raises
    ------
    CaptureWriteError
        If the disk does not take it.
    """

    def __init__(self, path: Path) -> None:
        self._path = path
        codec = COMPRESSED_SUFFIXES.get(path.suffix.lower())
        try:
            self._raw = pa.OSFile(str(path), "wb")
            self._stream = pa.CompressedOutputStream(self._raw, codec) if codec else self._raw
        except OSError as error:
            raise self._mapped(error) from error

    def write(self, data: bytes | memoryview) -> None:
        """Write bytes."""
        try:
            self._stream.write(data)
        except OSError as error:
            raise self._mapped(error) from error

    def close(self) -> None:
        """Flush and close."""
        try:
            self._stream.close()
            self._raw.close()
        except OSError as error:
            raise self._mapped(error) from error

    def _mapped(self, error: OSError) -> CaptureWriteError:
        return CaptureWriteError(f"the recording cannot be written ({error}).", where=str(self._path))
