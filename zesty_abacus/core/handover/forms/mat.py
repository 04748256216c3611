"""Tables as MAT files of level 5: a variable a column, and one that tells what the columns were called."""

from __future__ import annotations

import re
from collections.abc import Iterable, Sequence
from typing import BinaryIO

import numpy as np
import pyarrow as pa

from ...errors import DataError
from ..form import TableForm
from ..gathered import array_of, gathered

_LONGEST = 63
_MOST_BYTES = (1 << 31) - (1 << 16)
"""An element of level 5 says its length in 32 bits."""


class TooLargeError(DataError):
    """A column that the form has no room for."""


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables, column after column."""
    from scipy.io import savemat  # slow to load, and few tables leave in this form

    names = variable_names(schema.names)
    with gathered(schema, tables) as table:
        for name, variable in zip(schema.names, names, strict=True):
            array = array_of(table.column(name))
            if array.nbytes > _MOST_BYTES:
                raise TooLargeError(
                    f"{name} has {len(array)} rows, more than a MAT file of level 5 holds.",
                    hint="Take fewer messages or a shorter stretch, or npz, arrow or parquet.",
                )
            # an array of objects becomes cells, in which texts may differ in length
            held = array.astype(object) if array.dtype.kind == "U" else array
            savemat(stream, {variable: held}, do_compression=True, oned_as="column")
    told = {"columns": np.array(schema.names, object)}
    told |= {_identifier(key.decode()): said.decode() for key, said in (schema.metadata or {}).items()}
    savemat(stream, told, do_compression=True, oned_as="column")


def variable_names(columns: Sequence[str]) -> list[str]:
    """Return what columns are called as variables: letters, digits and underscores, each only once."""
    taken: set[str] = {"columns"}
    made = []
    for column in columns:
        plain = _identifier(column)
        name, number = plain, 1
        while name in taken:
            number += 1
            ending = f"_{number}"
            name = plain[: _LONGEST - len(ending)] + ending
        taken.add(name)
        made.append(name)
    return made


def _identifier(name: str) -> str:
    plain = re.sub(r"[^A-Za-z0-9]+", "_", name).strip("_")
    plain = plain if plain[:1].isalpha() else f"v_{plain}"
    return plain[:_LONGEST]


FORM = TableForm("mat", write, "MAT, level 5")
