"""Tables as CSV (RFC 4180)."""

from __future__ import annotations

from collections.abc import Iterable
from typing import BinaryIO

import pyarrow as pa
import pyarrow.csv

from ..form import TableForm


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables; texts are quoted where they need it."""
    options = pyarrow.csv.WriteOptions(quoting_style="needed")
    with pyarrow.csv.CSVWriter(stream, schema, write_options=options) as writer:
        for table in tables:
            writer.write_table(table)


FORM = TableForm("csv", write)
