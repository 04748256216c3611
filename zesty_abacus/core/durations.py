"""Lengths of time as people write them: ``50ms``, ``2 s``, ``1min``; a bare number is seconds."""

from __future__ import annotations

from .errors import MisuseError
from .expressions.quantities import read_quantity
from .expressions.tree import ExpressionError

_LONGEST_S = 366 * 86_400


def duration_ns(text: str) -> int:
    """Return a length of time in nanoseconds.

    Raises
    ------
    MisuseError
        If it is none, or not above 0.
    """
    try:
        seconds = read_quantity(text, "s")
    except ExpressionError:
        seconds = None
    if seconds is None or not 0 < seconds <= _LONGEST_S:
        raise MisuseError(f"{text[:40]!r} is no length of time.", hint="Write one such as 50ms, 2s or 1min.")
    return max(round(seconds * 1_000_000_000), 1)
