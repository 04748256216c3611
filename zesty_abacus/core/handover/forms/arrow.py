"""Tables as Arrow files, which other programs read without copying them."""

from __future__ import annotations

from collections.abc import Iterable
from typing import BinaryIO

import pyarrow as pa

from ..form import TableForm


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables in the file form of Arrow's inter-process communication."""
    with pa.ipc.new_file(stream, schema) as writer:
        for table in tables:
            writer.write_table(table.replace_schema_metadata(schema.metadata))


FORM = TableForm("arrow", write, "Arrow")
