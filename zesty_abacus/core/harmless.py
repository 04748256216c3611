"""Texts of others, made harmless where they leave: for terminals, markup and spreadsheets.

A name, a reason or an author may hold anything that JSON can say. On a terminal a control character moves the cursor
or renames the window (ECMA-48), a mark of direction turns a line round (UAX 9), in XML most of them may not stand at
all (XML 1.0, 2.2), and a spreadsheet runs a cell that begins with ``=`` as a formula.
"""

from __future__ import annotations

import re

_CONTROLS = re.compile(
    "[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ud800-\udfff\ufffe\uffff]"
)
"""Everything that is no letter and acts: all but tab and line feed."""
_LINES = re.compile("[\t\n]")
_FORMULA = "=+-@\t\r"
_NUMBER = re.compile(r"[+-]?(\d+\.?\d*|\.\d+)([eE][+-]?\d+)?")


def visible(text: str) -> str:
    """Return a text whose characters that act are written as escapes; tabs and line feeds stay."""
    return _CONTROLS.sub(_escape, text)


def visible_line(text: str) -> str:
    r"""Return a text as one line: a name with a line feed in it must not look like two lines, so it becomes ``\n``."""
    return _LINES.sub(lambda found: r"\n" if found[0] == "\n" else " ", visible(text))


def json_text(document: str) -> str:
    """Return a JSON document in which characters that act stand as escapes; it says the same to whoever parses it."""
    return _CONTROLS.sub(lambda found: f"\\u{ord(found[0]):04x}", document)


def cell(text: str) -> str:
    """Return a cell of a table that no spreadsheet runs and no terminal obeys.

    A number stays one, also with a sign before it. Anything else that begins as a formula gets an apostrophe before it.
    """
    text = visible(text)
    return f"'{text}" if is_formula(text) else text


def meant(text: str) -> str:
    """Return what :func:`cell` was given, as far as formulas go."""
    return text[1:] if text[:1] == "'" and is_formula(text[1:]) else text


def is_formula(text: str) -> bool:
    """Return whether a spreadsheet may run a cell."""
    return text[:1] in _FORMULA and len(text) > 1 and _NUMBER.fullmatch(text) is None


def _escape(found: re.Match[str]) -> str:
    code = ord(found[0])
    return f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}"
