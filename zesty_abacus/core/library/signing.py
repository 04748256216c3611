"""Who did something and when, as every table of the library writes it."""

from __future__ import annotations

import time
from datetime import UTC, datetime


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
    return datetime.fromtimestamp(time_us / 1_000_000, UTC)
