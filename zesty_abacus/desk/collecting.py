"""Lets Python's collector of circles run on the thread of the window only.

A window that was closed hangs together in circles, and whoever allocates next collects them: on a thread that receives
frames Qt's objects would be destroyed where they do not live, which ends the program.
"""

from __future__ import annotations

import gc

from PyQt6.QtCore import QObject, QTimer

_EVERY_MS = 250
_USUAL = (700, 10, 10)
"""Python's own thresholds; a command looks less often, which a window that is open for a day cannot do."""


class Collecting(QObject):
    """Collects as often as Python would, between two events of the window."""

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        gc.disable()
        gc.set_threshold(*_USUAL)
        self._timer = QTimer(self)
        self._timer.setInterval(_EVERY_MS)
        self._timer.timeout.connect(collect_due)
        self._timer.start()


def collect_due() -> None:
    """Collect the oldest generation whose time has come by Python's own thresholds."""
    counts, thresholds = gc.get_count(), gc.get_threshold()
    due = [age for age in range(len(counts)) if counts[age] > thresholds[age] > 0]
    if due:
        gc.collect(due[-1])
    if due and due[-1] == len(counts) - 1:
        # 300 000 objects take 175 ms to look at, and nearly all last as long as the program: once is enough
        gc.freeze()


def look_at_all_again() -> None:
    """Let the next full collection look at everything: something large was let go, such as a trial."""
    gc.unfreeze()
