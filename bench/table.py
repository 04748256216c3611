"""A line of the table, and how a figure is taken."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass


@dataclass(frozen=True, slots=True)
class Line:
    """What was measured, what came out, what it is to reach, and whether it does."""

    what: str
    measured: str
    reach: str = ""
    reached: bool = True


def best(work: Callable[[], object], rounds: int = 5) -> float:
    """Return the shortest time of several rounds in seconds; one round before them loads what is loaded once."""
    work()
    shortest = float("inf")
    for _ in range(rounds):
        begin = time.perf_counter()
        work()
        shortest = min(shortest, time.perf_counter() - begin)
    return shortest
