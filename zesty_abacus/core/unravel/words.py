"""How reasons say figures."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from ..words import grouped


def count_of(number: int, what: str) -> str:
    """Return ``1 frame`` or ``12 frames``."""
    return f"{grouped(number)} {what}" + ("" if number == 1 else "s")


def share_words(some: int, total: int, what: str = "pair") -> str:
    """Return ``all 1 200 pairs`` or ``1 190 of 1 200 pairs``."""
    if some == total:
        return f"all {count_of(total, what)}" if total != 1 else f"the one {what}"
    return f"{grouped(some)} of {count_of(total, what)}"


def followed_words(parameters: Mapping[str, Any]) -> str:
    """Return what a finding of kind ``reference`` follows: a column, or that it is above or below a value."""
    column = str(parameters["column"])
    if "on_at" not in parameters:
        return column
    side, place = ("above", "on_at") if parameters["gain"] > 0 else ("below", "off_at")
    return f"{column} {side} {parameters[place]:.3g}"
