"""Commands that go on until somebody stops them: an interrupt or an end asked for is a good end."""

from __future__ import annotations

import signal
import sys
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from types import FrameType
from typing import Any

_SWITCH_S = 0.0005


@contextmanager
def stopped_by_signals() -> Iterator[threading.Event]:
    """Give an event that SIGINT and SIGTERM set; a second one ends the program as usual."""
    stopped = threading.Event()
    # threads that keep times must not wait for one that works; the usual 5 ms would be a late frame
    sys.setswitchinterval(_SWITCH_S)
    before: dict[int, Any] = {}

    def stop(number: int, _frame: FrameType | None) -> None:
        stopped.set()
        signal.signal(number, before[number] or signal.SIG_DFL)

    for number in (int(signal.SIGINT), int(signal.SIGTERM)):
        before[number] = signal.signal(number, stop)
    try:
        yield stopped
    finally:
        for number, handler in before.items():
            signal.signal(number, handler or signal.SIG_DFL)
