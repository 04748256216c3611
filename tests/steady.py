"""Tests about milliseconds count where the machine kept them.

A test that sends each 20 ms and looks whether they were kept says nothing on a machine that was busy elsewhere for 60
of them, and it must not be made so patient that it cannot fail. So the machine is watched meanwhile: what fails while
it stood still is tried again, what fails while it did not is a failure.
"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable

import pytest

_LOOK_S = 0.002
STOOD_STILL_S = 0.02
"""A pause of the machine by which a test about milliseconds may fail."""


class StoodStillError(Exception):
    """A test failed while the machine stood still, which says nothing of the program."""


KEEPS_TIME = [pytest.mark.keeps_time, pytest.mark.flaky(reruns=4, only_rerun=[StoodStillError.__name__])]
"""The marks of a test about milliseconds; those of a whole module as its ``pytestmark``."""


def keeps_time(test: Callable[..., object]) -> Callable[..., object]:
    """Mark a single test as one about milliseconds."""
    for mark in KEEPS_TIME:
        test = mark(test)
    return test


class Watched:
    """Notes, as long as it is entered, how long this process was not let run at most."""

    def __init__(self) -> None:
        self.longest_s = 0.0
        self._ended = threading.Event()
        self._thread = threading.Thread(target=self._watch, daemon=True)

    def __enter__(self) -> Watched:
        self._thread.start()
        return self

    def __exit__(self, *_: object) -> None:
        self._ended.set()
        self._thread.join()

    def _watch(self) -> None:
        seen_s = time.monotonic()
        while not self._ended.wait(_LOOK_S):
            now_s = time.monotonic()
            self.longest_s = max(self.longest_s, now_s - seen_s - _LOOK_S)
            seen_s = now_s
