"""Names of values as people write them: ``0 off, 1..3 on``; in text also ``"Y" yes, "N" no``."""

from __future__ import annotations

import re
from collections.abc import Iterable

from ..errors import MisuseError
from .fields import NamedValue

LONGEST_WORD = 8
"""Characters of a word in text that can have a name: as many as 64 bits hold codes of."""
_NUMBER = r"[+-]?(?:0[xX][0-9a-fA-F]+|\d+)"
_WORD = r'"[^"]{1,8}"'
_NAMED = re.compile(
    rf"(?P<raw>{_NUMBER}|{_WORD})(?:\s*\.\.\s*(?P<to>{_NUMBER}|{_WORD}))?\s*[=:\s]\s*(?P<label>\S.*)", re.DOTALL
)
_PARTS = re.compile(r'(?:"[^"]*"|[^,;\n|])+')


def parse_names(text: str) -> tuple[NamedValue, ...]:
    """Read names of values: ``0 off, 1 on`` or ``0=off; 1=on``, or a line each.

    Raises
    ------
    MisuseError
        If a part is no value and its name.
    """
    names = []
    for part in (one.strip() for one in _PARTS.findall(text)):
        if not part:
            continue
        match = _NAMED.fullmatch(part)
        if match is None:
            raise MisuseError(f"{part[:40]!r} is no value and its name.", hint="Write 0 off, 1..3 on.")
        to = None if match["to"] is None else _raw_of(match["to"])
        names.append(NamedValue(_raw_of(match["raw"]), match["label"].strip(), to))
    return tuple(names)


def names_text(names: Iterable[NamedValue], *, in_text: bool = False) -> str:
    """Write names of values; ``in_text`` writes the raw values of a column of text as the words they are there."""
    write = word_text if in_text else str

    def one(named: NamedValue) -> str:
        span = "" if named.to is None else f"..{write(named.to)}"
        return f"{write(named.raw)}{span} {named.label}"

    return ", ".join(map(one, names))


def word_text(raw: int) -> str:
    """Return a raw value in quotes if it is the codes of a word, else as a number."""
    word = word_of(raw)
    return f'"{word}"' if word else str(raw)


def word_of(raw: int) -> str:
    """Return the word in text whose characters' codes a raw value is, the first one highest; empty if it is none."""
    if raw < 32:
        return ""
    word = raw.to_bytes((raw.bit_length() + 7) // 8, "big").decode("latin-1")
    plain = word.isascii() and word.isprintable() and not word.isdigit() and not set(word) & set('",; |')
    return word if plain and len(word) <= LONGEST_WORD else ""


def _raw_of(text: str) -> int:
    if text.startswith('"'):
        return int.from_bytes(text[1:-1].encode("latin-1", "replace"), "big")
    return int(text, 0)
