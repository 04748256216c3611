"""Writes tables as CSV, JSON lines or Parquet, to a file or a stream."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from ..discover import discover
from ..errors import DataError, MisuseError
from ..files.errors import file_errors, file_errors_as
from ..files.writing import Target, check_targets, target_of
from ..origin import Origin, origin_target, write_origin
from ..progress import Progress
from . import forms
from .cells import harmless_tables
from .form import TableForm


class ExportError(DataError):
    """A table that cannot be written."""


ORIGIN_KEY = b"zesty_abacus.origin"
"""Key of the origin in the metadata of a Parquet file."""


def _known_forms() -> dict[str, TableForm]:
    return {form.word: form for form in discover(forms, "FORM")}


WRITERS: dict[str, TableForm] = _known_forms()
"""Formats by the word used on the command line and as file ending."""


def write_tables(
    stream: BinaryIO, form: str, schema: pa.Schema, tables: Iterable[pa.Table], *, as_is: bool = False
) -> None:
    """Write tables to a stream.

    Parameters
    ----------
    as_is
        Write texts as they are also where a spreadsheet would run them as formulas, or a terminal obey them.

    Raises
    ------
    MisuseError
        If there is no such format.
    """
    if form not in WRITERS:
        raise MisuseError(f"there is no format {form!r}.", hint=f"Known are {', '.join(WRITERS)}.")
    if form == "csv" and not as_is:
        schema, tables = harmless_tables(schema, tables)
    WRITERS[form].write(stream, schema, tables)


def export_tables(
    where: Path | Target,
    form: str,
    schema: pa.Schema,
    tables: Iterable[pa.Table],
    progress: Progress | None = None,
    expected_tables: int = 1,
    origin: Origin | None = None,
    *,
    as_is: bool = False,
) -> int:
    """Write tables to a file that appears only when it is whole; return how many rows it has.

    Where the values come from stands beside the file, and in it where its form has room.

    A device or a pipe is written to as it is: putting a file in its place would take it away from everybody.

    Parameters
    ----------
    where
        A path alone replaces nothing.
    as_is
        As of :func:`write_tables`.

    Raises
    ------
    ExportError
        If the file cannot be written, or is there and must not be replaced.
    Cancelled
        If the progress was cancelled; no file is left.
    """
    progress = progress or Progress()
    target = target_of(where)
    rows = 0
    if origin is not None:
        schema = schema.with_metadata({ORIGIN_KEY: origin.to_json()})

    def counted() -> Iterable[pa.Table]:
        nonlocal rows
        for number, table in enumerate(tables):
            progress.step(number / max(expected_tables, 1), f"writing {target.path.name}")
            rows += table.num_rows
            yield table

    with file_errors_as(ExportError):
        check_targets([target] if origin is None or target.is_stream else [target, origin_target(target)])
        with target.writing() as stream, file_errors(target.path, "the file cannot be written"):
            write_tables(stream, form, schema, counted(), as_is=as_is)
        if origin is not None:
            write_origin(target, origin)
    progress.step(1.0, "written")
    return rows
