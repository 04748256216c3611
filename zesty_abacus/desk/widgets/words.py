"""Times, lengths of time and counts as the window writes them."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path

from ...core.words import counted, figure_text, grouped, later_text, listed, number_text, share_text, span_text

__all__ = [
    "counted", "exact_time", "figure_text", "grouped", "home_short", "later_text", "listed", "number_text",
    "share_text", "span_text", "time_text", "when_text",
]  # fmt: skip


def time_text(seconds: float, digits: int = 3) -> str:
    """Write seconds with a thin space before the microseconds: ``412.371 204``."""
    text = f"{seconds:.{digits}f}".replace("-", "−")
    whole, _, part = text.partition(".")
    groups = [part[i : i + 3] for i in range(0, len(part), 3)]
    return f"{whole}.{chr(0x2009).join(groups)}" if part else whole


def exact_time(nanoseconds: int, digits: int) -> str:
    """Write a whole number of nanoseconds in seconds, without rounding on the way through a float."""
    unit = 10 ** (9 - digits)
    rounded = (abs(nanoseconds) + unit // 2) // unit
    whole, part = divmod(rounded, 10**digits)
    sign = "−" if nanoseconds < 0 and rounded else ""
    text = f"{part:0{digits}d}"
    return f"{sign}{whole}.{chr(0x2009).join(text[i : i + 3] for i in range(0, digits, 3))}"


def when_text(moment: datetime) -> str:
    """Return a time near to now in words: ``today 10:42``, ``3 Nov``, ``3 Nov 2025``."""
    local = moment.astimezone()
    now = datetime.now(UTC).astimezone()
    if local.date() == now.date():
        return f"today {local:%H:%M}"
    return f"{local.day} {local:%b}" if local.year == now.year else f"{local.day} {local:%b %Y}"


def home_short(path: Path) -> str:
    """Return a path with the user's own folder as ``~``."""
    home = Path.home()
    return f"~/{path.relative_to(home)}" if path.is_relative_to(home) else str(path)
