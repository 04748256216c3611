"""Tables as CSV (RFC 4180)."""

from __future__ import annotations

import re

import pyarrow as pa
import pyarrow.compute as pc

from ..cell_text import RowStyle, holds_any
from ..form import TextForm

_SPECIAL = r'[",\r\n]'
_NEEDS_QUOTES = re.compile(_SPECIAL)


class _CSV(RowStyle):
    """Texts are quoted where they need it; a cell that holds nothing is empty."""

    null = b""
    end = b"\n"
    point_zero = False
    says_nan = True
    infinite = "inf"

    def lead(self, number: int, name: str) -> bytes:
        return b"," if number else b""

    def word(self, text: str) -> bytes:
        if _NEEDS_QUOTES.search(text):
            text = '"' + text.replace('"', '""') + '"'
        return text.encode()

    def words(self, texts: pa.StringArray) -> pa.StringArray:
        if not holds_any(texts, b'",\r\n'):
            return texts
        special = pc.match_substring_regex(texts, _SPECIAL)
        quoted = pc.binary_join_element_wise('"', pc.replace_substring(texts, '"', '""'), '"', "")
        return pc.if_else(special, quoted, texts)


def _head(schema: pa.Schema) -> bytes:
    return b",".join(_CSV().word(name) for name in schema.names) + b"\n"


FORM = TextForm("csv", _head, _CSV(), "CSV")
