"""Work for processes of tests, some of which die of it."""

from __future__ import annotations

import os
import signal
from pathlib import Path


def doubled(number: int) -> int:
    return number * 2


def dies_once(place: tuple[str, int]) -> int:
    """Kill its own process the first time."""
    folder, number = place
    mark = Path(folder) / str(number)
    if number % 3 == 0 and not mark.exists():
        mark.write_text("x")
        os.kill(os.getpid(), signal.SIGKILL)
    return number


def dies_always(number: int) -> int:
    if number == 2:
        os.kill(os.getpid(), signal.SIGKILL)
    return number
