"""Composes a message: values, beads and hex digits, each following the others."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.live import LiveHere
from ...widgets.parts import Choice, label, scrolled
from .by_hand_line import ByHandLine
from .field_entries import FieldEntries
from .payload_view import PayloadView
from .send_bar import SendBar

_MOST_BYTES = 64
BY_HAND = "a frame by hand"
_BYTE_NAMES = {f"B{byte}" for byte in range(_MOST_BYTES)}


class Composer(QWidget):
    """Makes one message of the library ready to go out.

    A click on a bead turns it, and so does the space bar. A frame of which no layout is known has an entry a byte.

    Attributes
    ----------
    message
        Where a message is chosen.
    by_hand
        Address and sort of a frame of which no layout is known.
    entries
        The values of its fields, or what feeds them.
    payload
        As beads, hex and text.
    out
        On which lane it goes out, when, and what is made wrong.

    Events
    ------
    changed
        Another message, or another payload.
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
        self.payload = PayloadView()
        self.by_hand = ByHandLine()
        self.by_hand.hide()
        self.entries = FieldEntries()
        self.out = SendBar(live, self.made)
        self._build()
        self.message.currentTextChanged.connect(self._take)
        self.entries.typed.connect(self._on_typed)
        self.by_hand.typed.connect(self._take_by_hand)
        self.payload.given.connect(self._take_payload)
        self.payload.refused.connect(lambda sentence: self.out.say(sentence, "wrong"))
        self.out.lane_changed.connect(self._on_lane)
        self.out.fault_changed.connect(self._on_fault)

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
        head.addWidget(self.out.lane)
        right = QVBoxLayout()
        right.setSpacing(6)
        area = scrolled(self.entries)
        area.setMinimumHeight(64)
        right.addWidget(self.by_hand)
        right.addWidget(area, 1)
        right.addWidget(self.out)
        middle = QHBoxLayout()
        middle.setSpacing(12)
        middle.addWidget(self.payload)
        middle.addLayout(right, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 6, 14, 6)
        column.setSpacing(5)
        column.addLayout(head)
        column.addLayout(middle, 1)

    # what is composed

    def offer(self, layouts: Iterable[Any]) -> None:
        """Offer the messages of the library; one that is being composed stays."""
        self.out.offer_faults()
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

    def pick(self, name: str) -> None:
        """Take something in hand that goes out."""
        entry = self._live.sending.entries.get(name)
        if name in self._layouts or entry is None:
            self.choose(name)
        elif self._layout is None or self._layout.name != name:
            frame = entry.message.frame(0, 0.0)
            self._take_bare(entry.lane, frame.address, frame.flags, len(frame.payload))

    def take_heard(self, lane: str, address: int, flags: int, payload: bytes) -> None:
        """Take a frame in hand of which no layout is known, as it was heard."""
        if self._take_bare(lane, address, flags, len(payload)):
            self._follow(payload[: going.MOST_BYTES])

    def _take_bare(self, lane: str, address: int, flags: int, count: int) -> bool:
        if lane not in self._live.lanes:
            # nothing can be sent there
            return False
        self.message.setCurrentText(BY_HAND)
        self.out.choose_lane(lane)
        self.by_hand.take(address, flags, count)
        self._take_by_hand()
        return self._layout is not None

    @property
    def _is_by_hand(self) -> bool:
        return self.message.currentText() == BY_HAND

    def _take(self, name: str) -> None:
        self.by_hand.setVisible(name == BY_HAND)
        layout = self._layouts.get(name)
        if layout is None:
            self.entries.show_fields((), (), {})
            self._layout = None
            self.out.take("", is_on_any=self._is_by_hand)
            if self._is_by_hand:
                self._take_by_hand()
            return
        # with what it carries in its place, as it is sent
        whole = going.layout_named(list(self._layouts.values()), name, "the library")
        self._take_layout(layout, whole, 0, {})

    def _take_by_hand(self) -> None:
        """Take what is typed as a frame in hand; what feeds its bytes stays."""
        lane = self._live.lanes.get(self.out.wanted_lane())
        self.by_hand.offer(lane.protocol if lane is not None else "can")
        self._layout, typed = None, {name: line.text() for name, line in self.entries.lines.items()}
        self.out.take("", is_on_any=True)
        try:
            bare = self.by_hand.frame()
            feeds = {
                name: going.parse_feed(text) for name, text in typed.items() if text.strip() and name in _BYTE_NAMES
            }
        except AbacusError as error:
            self.out.say(str(error), "wrong")
            return
        if bare is None:
            self.out.say("Type the address of a frame, or choose a message that nobody knows in the roster.")
            return
        self._take_layout(bare.layout, bare.layout, bare.flags, feeds)

    def _take_layout(self, layout: Any, whole: Any, flags: int, feeds: Mapping[str, Any]) -> None:
        """Compose a layout; what it goes out with already stands in its entries."""
        self._layout, self._whole, self._flags = layout, whole, flags
        self.out.take(layout.name, is_on_any=self._is_by_hand)
        going_out = self.out.going_out
        known = {**feeds, **(going_out.message.feeds if going_out is not None else {})}
        self.entries.show_fields(_settable(whole), list(whole.lists()), known)
        self._encode()

    @property
    def chosen(self) -> Any:
        """The layout of the message in hand, None for none."""
        return self._layout

    # each follows the others

    def made(self) -> Any:
        """Return the message as it is composed, None where there is none in hand.

        Raises
        ------
        MisuseError
            If it cannot be sent like this.
        """
        if self._layout is None:
            return None
        return going.OutgoingMessage(
            self._whole, self.entries.feeds(), self.out.faults(), self._live.sending.listening, flags=self._flags
        )  # fmt: skip

    def _on_lane(self) -> None:
        if self._is_by_hand:
            self._take_by_hand()

    def _on_fault(self) -> None:
        self._encode()
        going_out = self.out.going_out
        if going_out is not None:
            going_out.message.make_wrong(self.out.faults())

    def _on_typed(self) -> None:
        self._encode()
        going_out = self.out.going_out
        if going_out is None:
            return
        # what goes out already follows what is typed, without being started again
        try:
            for name, feed in self.entries.feeds().items():
                going_out.message.set(name, feed)
        except AbacusError as error:
            self.out.say(str(error), "wrong")
        self._live.changed.emit()

    def _encode(self) -> None:
        if self._layout is None:
            return
        payload = self.payload.payload
        try:
            message = self.made()
            payload = message.frame(0, 0.0).payload
            self.out.warn(message)
        except AbacusError as error:
            self.out.say(str(error), "wrong")
        self.payload.show_payload(self._whole, payload)
        self.changed.emit()

    def _take_payload(self, data: bytes) -> None:
        """Compose what was typed as hex, or turned bead by bead."""
        if self._layout is None:
            return
        if len(data) > _MOST_BYTES and self._layout.applies.protocol == "can":
            self.out.say(f"A frame has at most {_MOST_BYTES} bytes.", "wrong")
            return
        if self._is_by_hand and len(data) != self.by_hand.count:
            self.by_hand.count = min(len(data), going.MOST_BYTES)
            self._take_by_hand()
        self._follow(data)

    def _follow(self, data: bytes) -> None:
        """Show what a payload says in the entries; what says nothing of itself is worked out again."""
        self.entries.follow(data)
        self._encode()


def _settable(layout: Any) -> list[tuple[int, Any]]:
    """Return the fields that a person gives, numbered as bits are; counters and checks run by themselves."""
    held = {key for check in layout.all_checks() for key in check.held_by()}
    worked_out = {value.id for value in layout.all_computed()}
    once = {field.id for field in layout.once_a_frame()} - held - worked_out
    return [(number, field) for number, field in enumerate(layout.all_fields()) if field.id in once]
