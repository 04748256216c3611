"""Composes a message: values, beads and hex digits, each following the others."""

from __future__ import annotations

from collections.abc import Iterable
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.live import LiveHere
from ...widgets.parts import Choice, button, label, say_in, scrolled, with_offers
from .by_hand_line import ByHandLine
from .field_entries import FieldEntries
from .payload_view import PayloadView

_MOST_BYTES = 64
_NO_FAULT = "no fault"
BY_HAND = "a frame by hand"
_BYTE_NAMES = {f"B{byte}" for byte in range(_MOST_BYTES)}
_OCCASIONS = (
    "every 50 ms", "5 times every 10 ms", "5 times every 10 ms, again every 1 s", "on change",
    "on change, at least every 1 s", "in answer to size == 8",
)  # fmt: skip


class Composer(QWidget):
    """Makes one message of the library ready to go out.

    A click on a bead turns it, and so does the space bar. A frame of which no layout is known has an entry a byte.

    Attributes
    ----------
    message, when
        Where a message is chosen, and an occasion typed.
    payload
        As beads, hex and text.
    fault
        What is made wrong on purpose.
    by_hand
        Address and sort of a frame of which no layout is known.
    entries
        The values of its fields, or what feeds them.
    """

    changed = pyqtSignal()

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self._layouts: dict[str, Any] = {}
        self._layout: Any = None
        self._whole: Any = None
        self._flags = 0
        self.message = Choice()
        self.message.setAccessibleName("Message to compose")
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
        self.payload = PayloadView()
        self.by_hand = ByHandLine()
        self.by_hand.hide()
        self.entries = FieldEntries()
        self._build()
        self._connect()

    def _build(self) -> None:
        head = QHBoxLayout()
        head.setSpacing(8)
        title = label("Compose")
        font = title.font()
        font.setBold(True)
        title.setFont(font)
        head.addWidget(title)
        head.addWidget(self.message, 1)
        head.addWidget(label("on", "quiet"))
        head.addWidget(self.lane)
        act = QHBoxLayout()
        act.setSpacing(8)
        for part in (self.once, self.when, self.again, self.stop, self.fault):
            act.addWidget(part, 1 if part is self.when else 0)
        right = QVBoxLayout()
        right.setSpacing(6)
        area = scrolled(self.entries)
        area.setMinimumHeight(64)
        right.addWidget(self.by_hand)
        right.addWidget(area, 1)
        right.addLayout(act)
        right.addWidget(self.said)
        middle = QHBoxLayout()
        middle.setSpacing(12)
        middle.addWidget(self.payload)
        middle.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 14, 6)
        column.setSpacing(5)
        column.addLayout(head)
        column.addLayout(middle, 1)

    def _connect(self) -> None:
        self.message.currentTextChanged.connect(self._take)
        self.entries.typed.connect(self._on_typed)
        self.payload.given.connect(self._take_payload)
        self.payload.refused.connect(lambda sentence: self._say(sentence, "wrong"))
        self.once.clicked.connect(self.send_once)
        self.again.clicked.connect(self.send_again)
        self.stop.clicked.connect(self._stop)
        self.lane.currentIndexChanged.connect(lambda _index: self._on_lane())
        self.by_hand.typed.connect(self._take_by_hand)
        self.when.returnPressed.connect(self.send_again)
        # of a long condition the beginning says what it is
        self.when.editingFinished.connect(lambda: self.when.setCursorPosition(0))
        self.fault.currentTextChanged.connect(self._on_fault)
        self._live.changed.connect(self._refresh)
        self._refresh()

    # what can be composed

    def offer(self, layouts: Iterable[Any]) -> None:
        """Offer the messages of the library; one that is being composed stays."""
        if self.fault.count() == 1:
            # not before somebody looks: the words stand in the part that a window without a bus never loads
            self.fault.addItems(list(going.FAULT_WORDS))
        chosen = self.message.currentText()
        self._layouts = {one.name: one for one in sorted(layouts, key=lambda one: one.name.casefold())}
        self.message.blockSignals(True)
        self.message.clear()
        self.message.addItems([*self._layouts, BY_HAND])
        self.message.setCurrentText(chosen if chosen in self._layouts or chosen == BY_HAND else "")
        self.message.blockSignals(False)
        if chosen != BY_HAND and (chosen not in self._layouts or self._layouts[chosen] != self._layout):
            self._take(self.message.currentText())

    def choose(self, name: str) -> None:
        """Take a message in hand by its name."""
        if name in self._layouts:
            self.message.setCurrentText(name)

    def take_heard(self, lane: str, address: int, flags: int, payload: bytes) -> None:
        """Take a frame in hand of which no layout is known, as it was heard."""
        if self._take_bare(lane, address, flags, len(payload)):
            self._follow(payload[: going.MOST_BYTES])

    def _take_bare(self, lane: str, address: int, flags: int, count: int) -> bool:
        place = self.lane.findData(lane)
        if place < 0:
            # of a lane that is not connected nothing can be sent
            return False
        self.message.setCurrentText(BY_HAND)
        self.lane.setCurrentIndex(place)
        self.by_hand.take(address, flags, count)
        self._take_by_hand()
        return self._layout is not None

    def pick(self, name: str) -> None:
        """Take something in hand that goes out."""
        entry = self._live.sending.entries.get(name)
        if name in self._layouts or entry is None:
            self.choose(name)
            return
        frame = entry.message.frame(0, 0.0)
        if self._layout is None or self._layout.name != name:
            self._take_bare(entry.lane, frame.address, frame.flags, len(frame.payload))

    def _lane_by_hand(self) -> str:
        """Return the lane on which a frame by hand goes out: the one chosen, or the first that is connected."""
        return self.lane.currentData() or next(iter(self._live.lanes), "")

    def _on_lane(self) -> None:
        if self.message.currentText() == BY_HAND:
            self._take_by_hand()

    def _take_by_hand(self) -> None:
        """Take what is typed as a frame in hand; what feeds its bytes stays."""
        lane = self._live.lanes.get(self._lane_by_hand())
        self.by_hand.offer(lane.protocol if lane is not None else "can")
        self._layout, typed = None, {name: line.text() for name, line in self.entries.lines.items()}
        try:
            bare = self.by_hand.frame()
            feeds = {
                name: going.parse_feed(text) for name, text in typed.items() if text.strip() and name in _BYTE_NAMES
            }
        except AbacusError as error:
            self._say(str(error), "wrong")
            return
        if bare is None:
            self._say("Type the address of a frame, or choose a message that nobody knows in the roster.", "")
            return
        self._layout = self._whole = bare.layout
        self._flags = bare.flags
        going_out = self._live.sending.entries.get(bare.layout.name)
        feeds |= going_out.message.feeds if going_out is not None else {}
        self.entries.show_fields(_settable(bare.layout), (), feeds)
        self._encode()
        self._refresh()

    def _stop(self) -> None:
        if self._layout is not None:
            self._live.sending.stop(self._layout.name)

    def _take(self, name: str) -> None:
        self.by_hand.setVisible(name == BY_HAND)
        if name == BY_HAND:
            self.entries.show_fields((), (), {})
            self._take_by_hand()
            return
        self._flags = 0
        self._layout = self._layouts.get(name)
        if self._layout is None:
            self.entries.show_fields((), (), {})
            return
        going_out = self._live.sending.entries.get(name)
        feeds = going_out.message.feeds if going_out is not None else {}
        # with what it carries in its place, as it is sent
        self._whole = going.layout_named(list(self._layouts.values()), name, "the library")
        self.entries.show_fields(_settable(self._whole), list(self._whole.lists()), feeds)
        self._encode()
        self._refresh()

    @property
    def chosen(self) -> Any:
        """The layout of the message in hand, None for none."""
        return self._layout

    # each follows the others

    def made(self) -> Any:
        """Return the message as it is composed.

        Raises
        ------
        MisuseError
            If it cannot be sent like this.
        """
        return going.OutgoingMessage(
            self._whole, self.entries.feeds(), self._faults(), self._live.sending.listening, flags=self._flags
        )  # fmt: skip

    def _faults(self) -> Any:
        word = self.fault.currentText()
        return going.faults_of([word] if word != _NO_FAULT else [])

    def _on_fault(self) -> None:
        if self._layout is None:
            return
        self._encode()
        going_out = self._live.sending.entries.get(self._layout.name)
        if going_out is not None:
            going_out.message.make_wrong(self._faults())

    def _on_typed(self) -> None:
        self._encode()
        going_out = self._live.sending.entries.get(self._layout.name)
        if going_out is None:
            return
        # what goes out already follows what is typed, without being started again
        try:
            for name, feed in self.entries.feeds().items():
                going_out.message.set(name, feed)
        except AbacusError as error:
            self._say(str(error), "wrong")
        self._live.changed.emit()

    def _encode(self) -> None:
        if self._layout is None:
            return
        payload = self.payload.payload
        try:
            message = self.made()
            payload = message.frame(0, 0.0).payload
            said = list(self._warnings(message))
            self._say(" ".join(one[:1].upper() + one[1:] for one in said[:2]), "")
        except AbacusError as error:
            self._say(str(error), "wrong")
        self.payload.show_payload(self._whole, payload)
        self.changed.emit()

    def _warnings(self, message: Any) -> Iterable[str]:
        name = self._lane_state(message)
        lane = self._live.lanes.get(name)
        # what goes out already is in the load
        is_new = message.layout.name not in self._live.sending.entries
        every_s = _every_s(self.when.text()) if is_new else None
        load, rate = (lane.load or 0.0, lane.bit_rate) if lane is not None else (0.0, None)
        heard = self._live.hearing.others_on(name)
        return going.before_sending(message, heard=heard, every_s=every_s, load=load, bit_rate=rate)

    def _lane_state(self, message: Any) -> str:
        try:
            return self._live.sending.lane_for(message.layout, self._wanted_lane())
        except AbacusError:
            return ""

    def _take_payload(self, data: bytes) -> None:
        """Compose what was typed as hex, or turned bead by bead."""
        if self._layout is None:
            return
        if len(data) > _MOST_BYTES and self._layout.applies.protocol == "can":
            self._say(f"A frame has at most {_MOST_BYTES} bytes.", "wrong")
            return
        if self.message.currentText() == BY_HAND and len(data) != self.by_hand.count:
            self.by_hand.count = min(len(data), going.MOST_BYTES)
            self._take_by_hand()
        self._follow(data)

    def _follow(self, data: bytes) -> None:
        """Show what a payload says in the entries; what says nothing of itself is worked out again."""
        self.entries.follow(data)
        self._encode()

    # sending

    def _wanted_lane(self) -> str:
        return self._lane_by_hand() if self.message.currentText() == BY_HAND else self.lane.currentData() or ""

    def send_once(self) -> None:
        """Send it now."""
        if self._layout is None:
            return
        try:
            self._live.sending.send_once(self.made(), self._wanted_lane())
        except AbacusError as error:
            self._say(str(error), "wrong")

    def send_again(self) -> None:
        """Send it on its occasions from now on."""
        if self._layout is None:
            return
        try:
            self._live.sending.start(self.made(), self._wanted_lane(), self.when.text())
        except AbacusError as error:
            self._say(str(error), "wrong")

    def _say(self, words: str, role: str) -> None:
        say_in(self.said, words, role or "quiet")

    def _refresh(self) -> None:
        lanes = list(self._live.lanes)
        if [self.lane.itemData(n) for n in range(1, self.lane.count())] != lanes:
            self.lane.clear()
            self.lane.addItem("its own lane", "")
            for name in lanes:
                self.lane.addItem(name, name)
        goes_out = self._layout is not None and self._layout.name in self._live.sending.entries
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


def _settable(layout: Any) -> list[tuple[int, Any]]:
    """Return the fields that a person gives, numbered as bits are; counters and checks run by themselves."""
    held = {key for check in layout.all_checks() for key in check.held_by()}
    worked_out = {value.id for value in layout.all_computed()}
    once = {field.id for field in layout.once_a_frame()} - held - worked_out
    return [(number, field) for number, field in enumerate(layout.all_fields()) if field.id in once]
