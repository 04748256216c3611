"""How reasons say figures."""

from __future__ import annotations

from ..words import grouped


def count_of(number: int, what: str) -> str:
    """Return ``1 frame`` or ``12 frames``."""
    return f"{grouped(number)} {what}" + ("" if number == 1 else "s")


def share_words(some: int, total: int, what: str = "pair") -> str:
    """Return ``all 1 200 pairs`` or ``1 190 of 1 200 pairs``."""
    if some == total:
        return f"all {count_of(total, what)}" if total != 1 else f"the one {what}"
    return f"{grouped(some)} of {count_of(total, what)}"
