"""Runs written rehearsals in a window."""

from __future__ import annotations

import threading
from collections.abc import Callable
from typing import Any

from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from .doors import going
from .live import LiveHere

_MOST_ASKED_S = 600.0


class Rehearsing(QObject):
    """Runs one rehearsal at a time, on a thread of its own.

    Attributes
    ----------
    outcome
        Of the rehearsal that runs or ran last, None before.

    Events
    ------
    stepped
        (step outcome) a step began or is over.
    asked
        (question, answer) the person is asked; ``answer`` takes yes or no.
    ended
        It is over.
    """

    stepped = pyqtSignal(object)
    asked = pyqtSignal(str, object)
    ended = pyqtSignal()

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self.outcome: Any = None
        self._runs = threading.Event()
        self._stopped = threading.Event()
        live.sending.stopping.connect(self.stop)

    @property
    def is_running(self) -> bool:
        """Whether a rehearsal runs."""
        return self._runs.is_set()

    def stop(self) -> None:
        """End what runs at the next chance."""
        self._stopped.set()

    def run(self, rehearsal: Any, others: Callable[[str], Any]) -> None:
        """Run a rehearsal on the lanes that may send; its steps are told as they go."""
        live = self._live
        receiving, outlets = live.receiving, live.sending.outlets
        if receiving is None or outlets is None or self.is_running:
            live.told.emit("wrong", "Connect something first." if receiving is None else "A rehearsal runs already.")
            return
        try:
            prepared = going.Prepared(rehearsal, list(live.layouts()), outlets, others)
        except AbacusError as error:
            live.told.emit("wrong", str(error))
            return
        self._stopped.clear()
        runner = going.Runner(
            prepared, receiving, outlets, ask=self._ask, came=live.take, stepped=self.stepped.emit,
            stopped=self._stopped,
        )  # fmt: skip
        self.outcome = runner.outcome
        self._runs.set()
        live.lend(True)

        def work() -> None:
            try:
                outcome = runner.run()
                words = "passed" if outcome.is_passed else "failed"
                tone = "good" if outcome.is_passed else "wrong"
                live.told.emit(tone, f"{rehearsal.name} {words} in {outcome.seconds:.1f} s.")
            finally:
                live.lend(False)
                self._runs.clear()
                self.ended.emit()

        threading.Thread(target=work, daemon=True, name="rehearsal").start()

    def _ask(self, text: str) -> bool:
        """Ask the person in the window; called on the rehearsal's own thread, which waits."""
        answered, said = threading.Event(), []

        def answer(yes: bool) -> None:
            said.append(yes)
            answered.set()

        self.asked.emit(text, answer)
        waited = 0.0
        while not answered.wait(0.1) and not self._stopped.is_set() and waited < _MOST_ASKED_S:
            waited += 0.1
        return bool(said and said[0])
