"""The round trip: what becomes of values on their way, within one layout or to another one."""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from typing import Any

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QShowEvent
from PyQt6.QtWidgets import QGridLayout, QVBoxLayout, QWidget

from ...app.doors import engine, going
from ...app.jobs import Jobs
from ...widgets.parts import Choice, button, clear_grid, in_room, label
from ...widgets.words import figure_text

_SAME = "the same layout"
_MOST_DECIMALS = 9


class Trips(QWidget):
    """Shows, field by field, the value that loses most, what it becomes, and why.

    Attributes
    ----------
    receiver
        Which layout reads what is sent.
    trips
        What is shown.

    Events
    ------
    mirrored
        (layout, what was left out) the sender's layout was made anew from the receiver's.
    """

    mirrored = pyqtSignal(object, object)

    def __init__(self, jobs: Jobs, sender: Callable[[], Any]) -> None:
        super().__init__()
        self._jobs = jobs
        self._sender = sender
        self._asked: tuple[Any, Any] | None = None
        self._layouts: dict[str, Any] = {}
        self.trips: list[Any] = []
        self.receiver = Choice()
        self.receiver.setAccessibleName("Read by")
        self.make_mirror = button("Make the mirror", "Let the sender write what the receiver reads")
        self.title = label("", "quiet", wrap=True)
        self._grid = QGridLayout()
        self._grid.setHorizontalSpacing(10)
        self._grid.setVerticalSpacing(4)
        inner = QWidget()
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(12, 4, 12, 12)
        inside.addLayout(self._grid)
        inside.addStretch(1)
        head = QVBoxLayout()
        head.setContentsMargins(12, 8, 12, 4)
        head.setSpacing(6)
        head.addWidget(self.title)
        head.addWidget(self.receiver)
        head.addWidget(self.make_mirror, alignment=Qt.AlignmentFlag.AlignLeft)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addLayout(head)
        column.addWidget(in_room(inner), 1)
        self.receiver.currentTextChanged.connect(lambda _text: self.refresh())
        self.make_mirror.clicked.connect(self._mirror)

    def offer(self, layouts: Iterable[Any]) -> None:
        """Offer the layouts that may read what is sent."""
        chosen = self.receiver.currentText()
        self._layouts = {one.name: one for one in sorted(layouts, key=lambda one: one.name.casefold())}
        self.receiver.blockSignals(True)
        self.receiver.clear()
        self.receiver.addItems([_SAME, *self._layouts])
        if chosen in self._layouts:
            self.receiver.setCurrentText(chosen)
        self.receiver.blockSignals(False)
        self.refresh()

    def showEvent(self, a0: QShowEvent | None) -> None:
        super().showEvent(a0)
        self.refresh()

    def refresh(self) -> None:
        """Work it out again for other layouts: what is entered for a message goes its own way, and changes nothing."""
        sender, receiver = self._sender(), self._layouts.get(self.receiver.currentText())
        self.make_mirror.setEnabled(sender is not None and receiver is not None and receiver.id != sender.id)
        if not self.isVisible() or (sender, receiver) == self._asked:
            return
        self._asked = sender, receiver
        if sender is None:
            self._show([])
            self.title.setText("Choose a message to compose; what its values lose on the way stands here.")
            return
        self.title.setText(f"{sender.name}, sent and read again; worst over the whole range, read by")
        self._jobs.start("round trip", "trying the round trip", lambda _progress: going.round_trip(sender, receiver),
                         self._show)  # fmt: skip

    def _show(self, trips: list[Any]) -> None:
        clear_grid(self._grid)
        self.trips = trips
        for place, words in enumerate(("field", "meant", "arrives", "loss")):
            self._grid.addWidget(label(words, "quiet"), 0, place)
        row = 1
        for trip in self.trips:
            for place, words in enumerate((trip.name, *figures_of(trip))):
                self._grid.addWidget(label(words), row, place)
            row += 1
            for sentence in trip.words:
                self._grid.addWidget(label(sentence[:1].upper() + sentence[1:], "wrong", wrap=True), row, 0, 1, 4)
                row += 1
        if not self.trips and self._asked is not None and self._asked[0] is not None:
            self._grid.addWidget(label("It has no numbers.", "quiet"), 1, 0, 1, 4)
        self._grid.setColumnStretch(0, 1)

    def _mirror(self) -> None:
        sender, receiver = self._sender(), self._layouts.get(self.receiver.currentText())
        if sender is not None and receiver is not None:
            self.mirrored.emit(*going.mirror(sender, receiver))


def figures_of(trip: Any) -> tuple[str, str, str]:
    """Return what was meant, what arrives and what is lost, with as many decimals as it takes to see the loss."""
    if trip.arrives is None or trip.loss is None:
        return _figure(trip.meant), "nothing", "nothing"
    lost = float(trip.loss)
    decimals = min(max(1 - math.floor(math.log10(lost)), 0), _MOST_DECIMALS) if lost else None
    return _figure(trip.meant, decimals), _figure(trip.arrives, decimals), _figure(trip.loss)


def _figure(value: Any, decimals: int | None = None) -> str:
    if value is None:
        return "nothing"
    return figure_text(float(value)) if decimals is None else engine.wording.number_text(float(value), decimals)
