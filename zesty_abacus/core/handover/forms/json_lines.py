"""Tables as JSON lines: an object a row."""

from __future__ import annotations

from collections.abc import Iterable
from typing import BinaryIO

import msgspec
import pyarrow as pa

from ..form import TableForm

_ROWS = 10_000


def write(stream: BinaryIO, schema: pa.Schema, tables: Iterable[pa.Table]) -> None:
    """Write tables; raw integers, which are decimals in the tables, are numbers that say them exactly."""
    encoder = msgspec.json.Encoder(decimal_format="number")
    for table in tables:
        for batch in table.to_batches(max_chunksize=_ROWS):
            stream.write(encoder.encode_lines(batch.to_pylist()))


FORM = TableForm("jsonl", write)
