"""Texts of layouts inside markup."""

from __future__ import annotations

from html import escape

from ..harmless import visible


def escaped(text: str) -> str:
    """Return a text that stands in SVG or HTML as what it says: no markup, and no character that XML does not know."""
    return escape(visible(text))
