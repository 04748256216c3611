"""Characters that no line of text can show, written so that it can."""

from __future__ import annotations

import re

from ..errors import MisuseError

_MEANT = {"\\": "\\", "r": "\r", "n": "\n", "t": "\t", "0": "\0"}
_WRITTEN = {meant: f"\\{code}" for code, meant in _MEANT.items()}
_ESCAPE = re.compile(r"\\(x[0-9a-fA-F]{2}|.|$)", re.DOTALL)


def escaped_text(text: str) -> str:
    r"""Return a text with ``\r``, ``\n``, ``\t``, ``\0``, ``\x1B`` and ``\\`` in the place of what cannot be shown."""
    inner = text.strip(" ")
    # a line loses blanks at its ends
    before, behind = text.split(inner, 1) if inner else (text, "")
    blanks = ["\\x20" * len(before), "\\x20" * len(behind)]
    written = (_WRITTEN.get(one, one if one.isprintable() else f"\\x{ord(one) & 255:02X}") for one in inner)
    return f"{blanks[0]}{''.join(written)}{blanks[1]}"


def read_escapes(text: str) -> str:
    """Return the text that an escaped one stands for.

    Raises
    ------
    MisuseError
        If an escape stands for nothing.
    """

    def meant(match: re.Match[str]) -> str:
        code = match[1]
        if len(code) == 3:
            return chr(int(code[1:], 16))
        if code not in _MEANT:
            raise MisuseError(f"\\{code} stands for nothing.", hint=r"There are \r, \n, \t, \0, \x1B and \\.")
        return _MEANT[code]

    return _ESCAPE.sub(meant, text)
