"""Tables as a NumPy archive: an array a column, under the column's name."""

from __future__ import annotations

import zipfile
from collections.abc import Iterable
from typing import BinaryIO

import numpy as np
import pyarrow as pa

from ..form import TableForm
from ..gathered import array_of, gathered


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables; what they carry besides, such as their origin, is an array of one text."""
    with gathered(schema, tables) as table, zipfile.ZipFile(stream, "w", zipfile.ZIP_DEFLATED) as archive:
        for name in table.column_names:
            _put(archive, name, array_of(table.column(name)))
        for key, said in (schema.metadata or {}).items():
            _put(archive, key.decode(), np.array(said.decode()))


def _put(archive: zipfile.ZipFile, name: str, array: np.ndarray) -> None:
    # a stroke would make a folder in the archive, and NumPy asks for names as they stand
    with archive.open(f"{name.replace('/', '|')}.npy", "w", force_zip64=True) as file:
        np.lib.format.write_array(file, array, allow_pickle=False)


FORM = TableForm("npz", write, "NumPy archive")
