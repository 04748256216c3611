"""Tables as JSON lines: an object a row (RFC 8259)."""

from __future__ import annotations

import msgspec
import pyarrow as pa
import pyarrow.compute as pc

from ..cell_text import RowStyle, holds_any
from ..form import TextForm

_SPECIAL = r'["\\\x00-\x1f]'


class _JSONLines(RowStyle):
    """Raw integers are numbers that say them exactly.

    JSON has no word for what is no number, which is null, nor for infinity, which is a number that every float of 64
    bits rounds to it.
    """

    null = b"null"
    end = b"}\n"
    point_zero = True
    says_nan = False
    infinite = "1e999"

    def lead(self, number: int, name: str) -> bytes:
        return (b"," if number else b"{") + self.word(name) + b":"

    def word(self, text: str) -> bytes:
        return msgspec.json.encode(text)

    def words(self, texts: pa.StringArray) -> pa.StringArray:
        quoted = pc.binary_join_element_wise('"', texts, '"', "")
        if not holds_any(texts, b'"\\' + bytes(range(32))):
            return quoted
        special = pc.match_substring_regex(texts, _SPECIAL)
        written = [self.word(text).decode() for text in texts.filter(special).to_pylist()]
        return pc.replace_with_mask(quoted, special, pa.array(written, pa.string()))


FORM = TextForm("jsonl", lambda _schema: b"", _JSONLines(), "JSON lines")
