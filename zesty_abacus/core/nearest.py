"""How sentences repeat what somebody wrote, and name what he may have meant."""

from __future__ import annotations

import difflib
from collections.abc import Iterable

_LONG = 40


def short(text: str) -> str:
    """Return a text as a sentence repeats it."""
    return text if len(text) <= _LONG else text[: _LONG - 1] + "…"


def nearest(text: str, known: Iterable[str], *, most: int = 8) -> str:
    """Return a hint that names what comes nearest, or a few of what there is."""
    known = sorted({word for word in known if word}, key=str.casefold)
    near = difflib.get_close_matches(text, known, 3, 0.6)
    if near:
        return f"Did you mean {' or '.join(near)}?"
    few = ", ".join(known[:most])
    return f"There is {few}{', …' if len(known) > most else ''}." if known else ""
