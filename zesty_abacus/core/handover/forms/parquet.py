"""Tables as Parquet, compressed."""

from __future__ import annotations

from collections.abc import Iterable
from typing import BinaryIO

import pyarrow as pa

from ..form import TableForm


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables; what they carry besides, such as their origin, stands in the schema of the file."""
    import pyarrow.parquet  # brings all file systems of Arrow along, of which few commands have a use

    with pyarrow.parquet.ParquetWriter(stream, schema, compression="zstd") as writer:
        for table in tables:
            writer.write_table(table.replace_schema_metadata(schema.metadata))


FORM = TableForm("parquet", write, "Parquet")
