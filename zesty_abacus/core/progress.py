"""Progress and cancel for long work, without knowing who listens."""

from __future__ import annotations

import threading
from collections.abc import Callable


class Cancelled(Exception):  # noqa: N818 - an outcome the user asked for, not an error
    """Raised inside long work after its :class:`Progress` was cancelled."""


class Progress:
    """Carries how far a piece of work is, and the wish to stop it.

    Parameters
    ----------
    listener
        Called from the working thread with (share done in 0..1, what is being done).
    """

    def __init__(self, listener: Callable[[float, str], None] | None = None) -> None:
        self._listener = listener
        self._stop = threading.Event()

    def cancel(self) -> None:
        """Ask the work to stop at its next step; may be called from any thread."""
        self._stop.set()

    @property
    def is_cancelled(self) -> bool:
        """Whether :meth:`cancel` was called."""
        return self._stop.is_set()

    def quiet(self) -> Progress:
        """Return a progress that reports nothing and stops with this one: for parts that run side by side."""
        part = Progress()
        part._stop = self._stop
        return part

    def part(self, first: float, last: float) -> Progress:
        """Return a progress for a part of the work, which goes from one share of the whole to another."""
        assert 0 <= first <= last <= 1, f"no part of a whole goes from {first} to {last}"
        listener = self._listener
        part = Progress(
            None if listener is None else lambda share, note: listener(first + (last - first) * share, note)
        )
        part._stop = self._stop
        return part

    def check(self) -> None:
        """Raise :class:`Cancelled` if the work should stop; for inside of a step."""
        if self._stop.is_set():
            raise Cancelled

    def step(self, share: float, note: str = "") -> None:
        """Report a step.

        Raises
        ------
        Cancelled
            If the work should stop.
        """
        self.check()
        if self._listener is not None:
            self._listener(min(max(share, 0.0), 1.0), note)
