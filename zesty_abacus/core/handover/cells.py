"""Text cells of tables made harmless before they leave as CSV."""

from __future__ import annotations

from collections.abc import Callable

import pyarrow as pa
import pyarrow.compute as pc

from ..harmless import cell
from .block import AnyBlock, Blocks

_ACTS = (
    r"^[=+\-@\t\r]|[\x00-\x08\x0b-\x1f\x{7f}-\x{9f}\x{61c}\x{200e}\x{200f}\x{2028}-\x{202e}\x{2066}-\x{2069}"
    r"\x{fffe}\x{ffff}]"
)
"""What may need a change, where there are too many different texts to look at each by itself."""
_OURS = ("direction", "flags", "payload", "valid", "where", "words")
"""Columns whose words are the program's own."""
_FEW = 20_000


def harmless(schema: pa.Schema) -> tuple[pa.Schema, Callable[[AnyBlock], AnyBlock]]:
    """Return the schema with harmless names of columns, and what makes the texts of a block harmless."""
    names = [cell(name) for name in schema.names]
    places = {n for n, field in enumerate(schema) if pa.types.is_string(field.type) and field.name not in _OURS}
    made = pa.schema([field.with_name(name) for field, name in zip(schema, names, strict=True)], schema.metadata)
    return made, lambda block: block.words_changed(_harmless, made, places)


def harmless_blocks(schema: pa.Schema, blocks: Blocks) -> tuple[pa.Schema, Blocks]:
    """Return the schema and the blocks with texts, and names of columns, that no spreadsheet runs."""
    made, change = harmless(schema)
    return made, blocks.then(change)


def _harmless(column: pa.Array) -> pa.Array:
    if pa.types.is_dictionary(column.type):
        words = [word if word is None else cell(word) for word in column.dictionary.to_pylist()]
        return pa.DictionaryArray.from_arrays(column.indices, pa.array(words, pa.string()))
    changed = _changed_words(column)
    if not changed:
        return column
    words = pa.array(list(changed), pa.string())
    into = pa.array(list(changed.values()), pa.string()).take(pc.index_in(column, words))
    return pc.if_else(pc.fill_null(pc.is_in(column, words), False), into, column)


def _changed_words(column: pa.StringArray) -> dict[str, str]:
    """Return the texts of a column that must not stay as they are, with what takes their place.

    Names and labels repeat in every row, so each is looked at once; a pattern over all rows would take longer.
    """
    words = pc.unique(column)
    if len(words) > _FEW:
        words = pc.filter(words, pc.match_substring_regex(words, _ACTS))
    return {word: made for word in words.to_pylist() if word is not None and (made := cell(word)) != word}
