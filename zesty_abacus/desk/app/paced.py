"""Work that is done again while things change all the time, for a small part of the time only."""

from __future__ import annotations

import time
from collections.abc import Callable

from PyQt6.QtCore import QObject

from ..widgets.parts import one_shot

_TIMES_AS_LONG = 9
"""How many times as long as the work itself nothing is done after it."""
_LEAST_MS = 200


class Paced(QObject):
    """Does something soon after it is wanted, and again if it was wanted meanwhile; after long work it rests long.

    Parameters
    ----------
    do
        Begins the work; :meth:`done` has to be called when it is over.
    """

    def __init__(self, parent: QObject, do: Callable[[], object]) -> None:
        super().__init__(parent)
        self._do = do
        self._is_wanted = False
        self._began_s: float | None = None
        self._rest = one_shot(self, _LEAST_MS, self._go)

    def want(self) -> None:
        """Let it be done, once more if it is being done."""
        self._is_wanted = True
        if self._began_s is None and not self._rest.isActive():
            self._go()

    def done(self) -> None:
        """Say that the work is over, well or not."""
        if self._began_s is not None:
            took_ms = (time.monotonic() - self._began_s) * 1e3
            self._began_s = None
            self._rest.start(max(_LEAST_MS, round(_TIMES_AS_LONG * took_ms)))

    def stop(self) -> None:
        """Want nothing any more; what is being done is forgotten."""
        self._is_wanted, self._began_s = False, None
        self._rest.stop()

    def _go(self) -> None:
        if self._is_wanted:
            self._is_wanted, self._began_s = False, time.monotonic()
            self._do()
