"""All questions across kinds, also those that other packages add."""

from __future__ import annotations

from functools import cache

from ... import discover as _discover
from .. import across
from .question import Question


@cache
def questions() -> tuple[Question, ...]:
    """Return them in order of their modules' names."""
    return tuple(_discover.discover(across, "QUESTION", besides=frozenset({"registry", "question", "grid"})))
