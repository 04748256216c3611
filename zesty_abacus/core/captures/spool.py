"""Columns that grow on disk while a recording is read, and are mapped into memory afterwards."""

from __future__ import annotations

from pathlib import Path
from typing import BinaryIO, Self

import numpy as np
from numpy.typing import NDArray

from .report import CaptureReadError


class ColumnSpool:
    """Plain files of one dtype each, written piece by piece; as a context it closes them whatever happens.

    Parameters
    ----------
    folder
        Made if it is not there.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._files: dict[str, tuple[BinaryIO, np.dtype]] = {}
        folder.mkdir(parents=True, exist_ok=True)

    def __enter__(self) -> Self:
        return self

    def __exit__(self, *_error: object) -> None:
        self.close()

    def append(self, name: str, values: NDArray) -> None:
        """Add values to a column.

        Raises
        ------
        CaptureReadError
            If the disk does not take them.
        """
        try:
            if name not in self._files:
                self._files[name] = ((self._folder / name).open("wb"), values.dtype)
            self._files[name][0].write(np.ascontiguousarray(values).data)
        except OSError as error:
            raise CaptureReadError(
                f"the samples cannot be kept ({error.strerror}).",
                where=str(self._folder),
                hint="Free some space or choose another folder.",
            ) from error

    def column(self, name: str, dtype: type[np.generic]) -> NDArray:
        """Return a finished column, mapped; an empty one if nothing was added."""
        if name not in self._files:
            return np.empty(0, dtype)
        file, _ = self._files[name]
        file.close()
        path = self._folder / name
        return np.memmap(path, dtype, mode="r") if path.stat().st_size else np.empty(0, dtype)

    def close(self) -> None:
        """Close what is still open."""
        for file, _ in self._files.values():
            file.close()
