"""How large text and everything that goes with it is: chosen by keys, kept, and put on when the program starts.

Every size in the window follows one factor, which Qt takes before there is a window. So the program starts anew with
another one; everything is kept by then, and the trial opens again.
"""

from __future__ import annotations

import os
from collections.abc import MutableMapping

STEPS = (75, 90, 100, 110, 125, 150, 175, 200)
"""Sizes in percent."""
_FACTOR, _OURS = "QT_SCALE_FACTOR", "ZESTY_ABACUS_TEXT"


def next_size(now: int, by: int) -> int:
    """Return the size that is so many steps on from one; by 0 it is the plain one."""
    if not by:
        return 100
    place = min(range(len(STEPS)), key=lambda number: abs(STEPS[number] - now))
    return STEPS[min(max(place + by, 0), len(STEPS) - 1)]


def put_on(percent: int, environment: MutableMapping[str, str] = os.environ) -> None:
    """Let Qt draw in a size from its start on; what the user set for all programs goes before."""
    if _FACTOR in environment and _OURS not in environment:
        return
    # what starts from here must know that the factor is not the user's own
    environment[_OURS] = "1"
    environment[_FACTOR] = f"{percent / 100:g}"
