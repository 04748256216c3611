"""Text as other systems write it made what readers know: UTF-16 as UTF-8, other ends of lines as line feeds."""

from __future__ import annotations

import codecs
from typing import BinaryIO

_MARKS = {b"\xff\xfe": "utf-16-le", b"\xfe\xff": "utf-16-be"}
_UTF_32 = (b"\xff\xfe\x00\x00", b"\x00\x00\xfe\xff")
_LEAST_LINES = 3
_CONTROLS = frozenset(range(32)) - {0x09, 0x0D}


def as_known_text(raw: BinaryIO, beginning: bytes) -> TextStream | None:
    """Return a stream of the same text in the form that readers know, None where it has that form already.

    Parameters
    ----------
    raw
        The file, at its beginning.
    beginning
        Its first bytes.
    """
    encoding = _MARKS.get(beginning[:2]) if not beginning.startswith(_UTF_32) else None
    if encoding is not None:
        raw.seek(2)
        return TextStream(raw, encoding)
    if beginning.count(b"\r") >= _LEAST_LINES and _CONTROLS.isdisjoint(beginning):
        return TextStream(raw, "")
    return None


class TextStream:
    """A file of text in another form, read piece by piece.

    Parameters
    ----------
    encoding
        Of the file; empty for bytes of text that only end their lines otherwise.
    """

    def __init__(self, raw: BinaryIO, encoding: str) -> None:
        self._raw = raw
        self._decoder = codecs.getincrementaldecoder(encoding)("replace") if encoding else None

    def read(self, size: int) -> bytes:
        """Return some of the text, at most a few times ``size`` bytes; nothing at its end."""
        while True:
            piece = self._raw.read(size)
            if self._decoder is None:
                return piece.replace(b"\r", b"\n")
            text = self._decoder.decode(piece, final=not piece)
            # a piece may be half of a character
            if text or not piece:
                return text.encode("utf-8", "replace")

    def close(self) -> None:
        """Leave the file to who opened it."""
