"""Sends one message at planned times that do not drift, and nothing else; what fails ends it."""

from __future__ import annotations

import math
import threading
import time
from collections.abc import Callable

from ..live.endpoint import Outgoing
from ..live.receiving import wait_until
from .course import PlannedCourse
from .kept import Kept
from .message import Outward
from .occasion import Planned


def send_planned(
    message: Outward, send: Callable[[Outgoing], None], occasion: Planned, for_ns: int | None, stopped: threading.Event
) -> Kept:
    """Send frames, the first at once, each at its own time after the first.

    Parameters
    ----------
    for_ns
        None goes on until the occasion has no more frames, or until it is stopped.

    Raises
    ------
    AbacusError
        What making or sending raises.
    """
    kept = Kept()
    course = PlannedCourse(message, time.monotonic(), occasion)
    most = math.inf if for_ns is None else max(occasion.number_at(for_ns), 1)
    while course.number < most and (due_s := course.due_s) < math.inf:
        frame = course.frame()
        if wait_until(due_s, stopped):
            break
        if frame is not None:
            send(frame)
            kept.add(time.monotonic() - due_s)
        course.went(is_trouble=False)
    return kept
