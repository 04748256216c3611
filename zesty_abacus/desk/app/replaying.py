"""Sends recorded frames again from a window."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from typing import Any

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.errors import AbacusError
from .doors import asked, going
from .live import LiveHere


class Replaying(QObject):
    """Replays a capture on the lanes of its own names.

    Events
    ------
    changed
        It began or is over.
    """

    changed = pyqtSignal()

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self._over = threading.Event()
        self._over.set()
        live.sending.stopping.connect(self.stop)

    @property
    def is_running(self) -> bool:
        """Whether recorded frames go out."""
        return not self._over.is_set()

    def stop(self) -> None:
        """Replay no more."""
        self._over.set()

    def start(
        self, meaning: Any, span: tuple[int, int] | None, speed: float, loop: bool, *,
        known: Any = None, condition: str = "", changes: Sequence[str] = (),
    ) -> bool:  # fmt: skip
        """Send the frames of an open capture again; return whether it was begun. What is wrong is told.

        Lanes go out by the connected lane of the same name, if it may send; others are not sent.

        Parameters
        ----------
        known
            What the condition may name.
        condition
            Only frames in which it holds; empty is all.
        changes
            Values that are worked out anew, as they are typed.
        """
        capture = meaning.capture
        try:
            changing = going.Changing(meaning, [going.parse_change(one) for one in changes]) if changes else None
            term = asked.bind(condition, known) if condition else None
        except AbacusError as error:
            self._live.told.emit("wrong", str(error))
            return False
        outlets, told = self._live.sending.outlets, self._live.told
        allowed = outlets.allowed if outlets is not None else frozenset()
        mine = [number for number, lane in enumerate(capture.lanes) if lane.name in allowed]
        rows = going.rows_to_send(capture, mine)
        if span is not None:
            times = capture.frames.times(rows)
            rows = rows[(times >= span[0]) & (times <= span[1])]
        if outlets is None or not len(rows):
            told.emit("wrong", "No recorded lane is connected under its own name and may send.")
            return False
        send = outlets.send

        def to(name: str) -> Any:
            return lambda frame: send(name, frame)

        targets = {number: to(capture.lanes[number].name) for number in mine}
        change = changing.changed if changing is not None else None
        self.stop()
        over = self._over = threading.Event()

        def work() -> None:
            try:
                chosen = rows if term is None else rows[np.isin(rows, asked.find(meaning, term).rows)]
                replay = going.Replay(capture, chosen, targets, speed, change)
                kept = replay.run(over, None if loop else 1)
                told.emit("good", f"Replayed: {kept.words()}.")
            except AbacusError as error:
                told.emit("wrong", str(error))
            finally:
                over.set()
                self.changed.emit()

        threading.Thread(target=work, daemon=True, name="replay").start()
        self.changed.emit()
        return True
