"""How a composed message goes out: on which lane, when, and what is made wrong on purpose."""

from __future__ import annotations

from collections.abc import Callable, Iterable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.live import LiveHere
from ...widgets.parts import Choice, button, label, say_in, with_offers

_NO_FAULT = "no fault"
_OCCASIONS = (
    "every 50 ms", "5 times every 10 ms", "5 times every 10 ms, again every 1 s", "on change",
    "on change, at least every 1 s", "in answer to size == 8",
)  # fmt: skip


class SendBar(QWidget):
    """Sends what is composed, and says before what may go wrong.

    Attributes
    ----------
    lane
        Where it goes out; stands elsewhere.
    when
        Where an occasion is typed.
    fault
        What is made wrong on purpose.
    once, again, stop
    said

    Events
    ------
    lane_changed, fault_changed
    """

    lane_changed = pyqtSignal()
    fault_changed = pyqtSignal()

    def __init__(self, live: LiveHere, made: Callable[[], Any]) -> None:
        """Send what ``made`` gives: a message, None for none; it raises AbacusError if there cannot be one."""
        super().__init__()
        self._live, self._made = live, made
        self._name, self._is_on_any = "", False
        self.lane = Choice()
        self.lane.setAccessibleName("Lane to send on")
        self.lane.setMinimumWidth(124)
        self.when = QLineEdit("every 50 ms")
        self.when.setAccessibleName("When it goes out")
        self.when.setToolTip("When it goes out by itself: a period, so many times, on change, in answer to a condition")
        self.when.setCompleter(with_offers(QCompleter(list(_OCCASIONS))))
        self.fault = Choice()
        self.fault.setAccessibleName("Made wrong on purpose")
        self.fault.setToolTip("What is made wrong on purpose, to see what the other side does")
        self.fault.addItem(_NO_FAULT)
        self.fault.setMaximumWidth(112)
        self.once = button("Send once", "Send it now (Ctrl Return)", main=True)
        self.again = button("Repeat", "Send it like this by itself, until it is stopped")
        self.stop = button("Stop", "Send this message no more")
        self.said = label("", "quiet", wrap=True)
        act = QHBoxLayout()
        act.setSpacing(8)
        for part in (self.once, self.when, self.again, self.stop, self.fault):
            act.addWidget(part, 1 if part is self.when else 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addLayout(act)
        column.addWidget(self.said)
        self._connect()

    def _connect(self) -> None:
        self.once.clicked.connect(self.send_once)
        self.again.clicked.connect(self.send_again)
        self.stop.clicked.connect(lambda: self._live.sending.stop(self._name))
        self.when.returnPressed.connect(self.send_again)
        # of a long condition the beginning says what it is
        self.when.editingFinished.connect(lambda: self.when.setCursorPosition(0))
        self.lane.currentIndexChanged.connect(lambda _index: self.lane_changed.emit())
        self.fault.currentTextChanged.connect(lambda _text: self.fault_changed.emit())
        self._live.changed.connect(self.refresh)
        self.refresh()

    def offer_faults(self) -> None:
        """Offer what can be made wrong.

        Not before somebody looks: the words stand in the part that a window without a bus never loads.
        """
        if self.fault.count() == 1:
            self.fault.addItems(list(going.FAULT_WORDS))

    def take(self, name: str, *, is_on_any: bool) -> None:
        """Take a message in hand by the name under which it goes out; one that has no lane goes out on any."""
        self._name, self._is_on_any = name, is_on_any
        self.refresh()

    @property
    def going_out(self) -> Any:
        """The message in hand as it goes out by itself, None if it does not."""
        return self._live.sending.entries.get(self._name)

    def wanted_lane(self) -> str:
        """Return the lane chosen; empty is the message's own, or the first one if it has none."""
        chosen: str = self.lane.currentData() or ""
        return chosen or (next(iter(self._live.lanes), "") if self._is_on_any else "")

    def choose_lane(self, name: str) -> bool:
        """Choose a lane; return whether it is connected."""
        place = self.lane.findData(name)
        if place >= 0:
            self.lane.setCurrentIndex(place)
        return place >= 0

    def faults(self) -> Any:
        """Return what is made wrong."""
        word = self.fault.currentText()
        return going.faults_of([word] if word != _NO_FAULT else [])

    def say(self, words: str, role: str = "quiet") -> None:
        """Say what becomes of it."""
        say_in(self.said, words, role)

    def warn(self, message: Any) -> None:
        """Say what may go wrong when a message is sent like this."""
        said = list(self._warnings(message))
        self.say(" ".join(one[:1].upper() + one[1:] for one in said[:2]))

    def _warnings(self, message: Any) -> Iterable[str]:
        try:
            name = self._live.sending.lane_for(message.layout, self.wanted_lane())
        except AbacusError:
            name = ""
        lane = self._live.lanes.get(name)
        # what goes out already is in the load
        every_s = _every_s(self.when.text()) if self.going_out is None else None
        bits = self._live.hearing.lately.bits_a_second(name, self._live.now_ns)
        load, rate = (lane.load(bits) or 0.0, lane.bit_rate) if lane is not None else (0.0, None)
        heard = self._live.hearing.others_on(name)
        return going.before_sending(message, heard=heard, every_s=every_s, load=load, bit_rate=rate)

    def send_once(self) -> None:
        """Send it now."""
        self._send(lambda message: self._live.sending.send_once(message, self.wanted_lane()))

    def send_again(self) -> None:
        """Send it on its occasions from now on."""
        self._send(lambda message: self._live.sending.start(message, self.wanted_lane(), self.when.text()))

    def _send(self, send: Callable[[Any], object]) -> None:
        try:
            message = self._made()
            if message is not None:
                send(message)
        except AbacusError as error:
            self.say(str(error), "wrong")

    def refresh(self) -> None:
        """Show what can be done now; a lane that is chosen stays as long as it is connected."""
        lanes = list(self._live.lanes)
        if [self.lane.itemData(n) for n in range(self.lane.count())] != ["", *lanes]:
            chosen = self.lane.currentData() or ""
            self.lane.blockSignals(True)
            self.lane.clear()
            self.lane.addItem("its own lane", "")
            for name in lanes:
                self.lane.addItem(name, name)
            self.lane.setCurrentIndex(max(self.lane.findData(chosen), 0))
            self.lane.blockSignals(False)
            if self.lane.currentData() != chosen:
                self.lane_changed.emit()
        goes_out = self.going_out is not None
        self.stop.setVisible(goes_out)
        self.again.setVisible(not goes_out)


def _every_s(when: str) -> float | None:
    """Return how far frames are from each other on an occasion, None where that is not said."""
    try:
        occasion = going.parse_occasion(when)
    except AbacusError:
        return None
    if isinstance(occasion, going.Every):
        return float(occasion.period_ns / 1e9)
    return float(occasion.apart_ns / 1e9) if isinstance(occasion, going.Bursts) else None
