"""Text cells of tables made harmless before they leave as CSV."""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import pyarrow as pa
import pyarrow.compute as pc

from ..harmless import cell

_ACTS = (
    r"^[=+\-@\t\r]|[\x00-\x08\x0b-\x1f\x{7f}-\x{9f}\x{61c}\x{200e}\x{200f}\x{2028}-\x{202e}\x{2066}-\x{2069}"
    r"\x{fffe}\x{ffff}]"
)
"""What may need a change; each cell that has it is looked at by itself."""


def harmless_tables(schema: pa.Schema, tables: Iterable[pa.Table]) -> tuple[pa.Schema, Iterator[pa.Table]]:
    """Return the schema and the tables with texts, and names of columns, that no spreadsheet runs."""
    names = [cell(name) for name in schema.names]
    places = [number for number, field in enumerate(schema) if pa.types.is_string(field.type)]
    made = pa.schema([field.with_name(name) for field, name in zip(schema, names, strict=True)], schema.metadata)
    return made, (_harmless(table, names, places) for table in tables)


def _harmless(table: pa.Table, names: list[str], places: list[int]) -> pa.Table:
    for place in places:
        column = table.column(place)
        found = pc.match_substring_regex(column, _ACTS)
        # most columns hold nothing of the kind, and cost one look
        if pc.any(found).as_py():
            # each text once: labels and names repeat in every row
            words = pc.unique(pc.filter(column, found))
            into = pa.array([cell(word) for word in words.to_pylist()], pa.string())
            changed = into.take(pc.index_in(column, words))
            table = table.set_column(place, table.field(place), pc.if_else(pc.fill_null(found, False), changed, column))
    return table.rename_columns(names)
