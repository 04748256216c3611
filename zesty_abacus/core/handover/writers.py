"""Writes tables as CSV, JSON lines or Parquet, to a file or a stream."""

from __future__ import annotations

from collections.abc import Iterable
from pathlib import Path
from typing import BinaryIO

import pyarrow as pa

from ..ahead import Ahead
from ..discover import discover
from ..errors import DataError, MisuseError
from ..files.errors import file_errors, file_errors_as
from ..files.writing import Target, check_targets, target_of
from ..origin import Origin, origin_target, write_origin
from ..progress import Progress
from . import forms
from .block import AnyBlock, Blocks, block_of
from .cells import harmless_blocks
from .form import Form, Written


class ExportError(DataError):
    """A table that cannot be written."""


ORIGIN_KEY = b"zesty_abacus.origin"
"""Key of the origin in the metadata of a Parquet file."""


def _known_forms() -> dict[str, Form]:
    return {form.word: form for form in discover(forms, "FORM")}


WRITERS: dict[str, Form] = _known_forms()
"""Formats by the word used on the command line and as file ending."""


Rows = Iterable[pa.Table] | Iterable[AnyBlock]
"""A table in pieces: :data:`~zesty_abacus.core.handover.block.Blocks`, or whatever yields tables or blocks."""


def write_tables(
    stream: BinaryIO,
    form: str,
    schema: pa.Schema,
    tables: Rows,
    *,
    as_is: bool = False,
    written: Written = lambda _rows, _frames: None,
) -> None:
    """Write a table to a stream.

    Parameters
    ----------
    as_is
        Write texts as they are also where a spreadsheet would run them as formulas, or a terminal obey them.
    written
        Told of each piece.

    Raises
    ------
    MisuseError
        If there is no such format.
    """
    if form not in WRITERS:
        raise MisuseError(f"there is no format {form!r}.", hint=f"Known are {', '.join(WRITERS)}.")
    blocks: Blocks = Ahead.of(tables).then(block_of)
    if form == "csv" and not as_is:
        schema, blocks = harmless_blocks(schema, blocks)
    WRITERS[form].put(stream, schema, blocks, written)


def export_tables(
    where: Path | Target,
    form: str,
    schema: pa.Schema,
    tables: Rows,
    progress: Progress | None = None,
    expected_frames: int = 0,
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
    rows = frames = 0
    if origin is not None:
        schema = schema.with_metadata({ORIGIN_KEY: origin.to_json()})

    def count(more_rows: int, more_frames: int) -> None:
        nonlocal rows, frames
        progress.step(frames / max(expected_frames, 1), f"writing {target.path.name}")
        rows += more_rows
        frames += more_frames

    with file_errors_as(ExportError):
        check_targets([target] if origin is None or target.is_stream else [target, origin_target(target)])
        with target.writing() as stream, file_errors(target.path, "the file cannot be written"):
            write_tables(stream, form, schema, tables, as_is=as_is, written=count)
        if origin is not None:
            write_origin(target, origin)
    progress.step(1.0, "written")
    return rows
