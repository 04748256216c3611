"""Who did something and when, as every table of the library writes it."""

from __future__ import annotations

import time
from datetime import UTC, datetime

_LATEST_US = 253_402_300_799_000_000
"""The last second of the year 9999."""


def signed(author: str) -> dict[str, object]:
    """Return the columns that say who and when.

    A server puts the login it knows in the place of ours; in a file the name that people go by stands for it.
    """
    return {"author": author, "login": author, "time_us": now_us()}


def now_us() -> int:
    """Return the time of this machine as the tables hold it, microseconds since 1970."""
    return time.time_ns() // 1000


def moment(time_us: int) -> datetime:
    """Return a column of time, microseconds since 1970, as a moment in UTC."""
    # beyond any calendar is as good as its end: a wrong time is no reason not to read the rest
    return datetime.fromtimestamp(min(max(time_us, 0), _LATEST_US) / 1_000_000, UTC)
