"""Tables out of scripts: by the same writers as those of the window and the command line."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import chain
from pathlib import Path

import pyarrow as pa

from ..core.errors import MisuseError
from ..core.files.writing import Target
from ..core.handover.writers import export_tables


def write_table(
    table: pa.Table | Iterable[pa.Table], path: str | Path, form: str = "", *, replace: bool = False,
    as_is: bool = False,
) -> int:  # fmt: skip
    """Write a table, or tables of one schema as they come, to a file that appears when it is whole.

    Parameters
    ----------
    form
        ``csv``, ``jsonl``, ``parquet``, ``arrow``, ``xlsx``, ``mat`` or ``npz``; as the file's ending says if it is
        empty.
    replace
        Whether a file that is there may be replaced.
    as_is
        Whether texts of a CSV stay as they are, also where a spreadsheet would run them.

    Returns
    -------
    int
        How many rows were written.

    Raises
    ------
    MisuseError
        If there is no such form, or there are no tables.
    DataError
        If the file is there already, or cannot be written.
    """
    pieces = iter([table] if isinstance(table, pa.Table) else table)
    first = next(pieces, None)
    if first is None:
        raise MisuseError("there is no table to write.", hint="A table without rows says which columns there are.")
    target = Target(Path(path), replace)
    return export_tables(
        target, form or Path(path).suffix.removeprefix("."), first.schema, chain([first], pieces), as_is=as_is
    )
