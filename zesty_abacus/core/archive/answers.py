"""What recordings answered, on disk until all have: in whatever order they answer, they are put out in another."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from pathlib import Path

import pyarrow as pa

from ..files.errors import file_errors


class Answers:
    """Tables of recordings.

    Attributes
    ----------
    count
        Rows of all.
    schema
        Of the tables; None before the first.

    Parameters
    ----------
    folder
        For what does not stay in memory.
    """

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._files: dict[str, Path] = {}
        self.count = 0
        self.schema: pa.Schema | None = None

    def put(self, path: str, table: pa.Table) -> None:
        """Keep what a recording answered.

        Raises
        ------
        FileError
            If the disk does not take it.
        """
        file = self._folder / f"{len(self._files)}.arrow"
        with (
            file_errors(file, "an answer cannot be kept"),
            pa.OSFile(str(file), "wb") as sink,
            pa.ipc.new_file(sink, table.schema) as writer,
        ):
            writer.write_table(table)
        self._files[path] = file
        self.count += table.num_rows
        self.schema = self.schema or table.schema

    def tables(self, paths: Iterable[str]) -> Iterator[pa.Table]:
        """Yield the tables of recordings in the order of their paths; who gave none is left out."""
        for path in paths:
            if path in self._files:
                with pa.memory_map(str(self._files[path])) as source:
                    yield pa.ipc.open_file(source).read_all()
