"""Puts the Rehearse desk together: what is connected, the score, the composer, the log; rehearsals at the right."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QHideEvent, QShowEvent
from PyQt6.QtWidgets import QMessageBox, QSplitter, QVBoxLayout, QWidget

from ...app.live import LiveHere
from ...app.session import Session
from ...widgets.parts import DeskHead, button, hairline, scrolled
from ...widgets.side_tabs import SideTabs
from ...widgets.when_shown import WhenShown
from ...widgets.words import counted
from ..desk import NARROW, Desk
from .composer import Composer
from .connecting import Connecting
from .devices import Devices
from .log import Log
from .log_line import LogLine
from .rehearsals import Rehearsals
from .replays import Replays
from .score import Score
from .trips import Trips

_REPAINT_MS = 100


class RehearseDesk(Desk):
    """Sends and listens.

    Attributes
    ----------
    side
        The panel for the right side: rehearsals, the round trip of the message in hand, register devices, replays.
    connecting, score, composer, log, log_line
    """

    name = "Rehearse"
    side: SideTabs
    # a message to send is chosen by its name alone
    left_from = NARROW
    # room for its own lanes, a message and a log besides those of the strip
    strip_from = 960

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.live: LiveHere = session.live
        self._offer_when_shown = WhenShown(self, self._offer).refresh
        self.head = DeskHead("Rehearse", "listen to a bus, send what a layout says, run what is written")
        self.stop_all = button("Send nothing", "Stop everything that goes out, on every lane (Ctrl .)")
        self.connecting = Connecting(self.live)
        self.score = Score(self.live)
        self.composer = Composer(self.live)
        self.log = Log()
        self.log_line = LogLine(session, self.log, self.score)
        self.rehearsing, self.registers = session.rehearsing, session.registers
        author = lambda: session.edits.line.author  # noqa: E731
        self.rehearsals = Rehearsals(self.rehearsing, session.jobs, lambda: session.library, author)
        self.trips = Trips(session.jobs, lambda: self.composer.chosen)
        self.devices = Devices(self.registers)
        self.replays = Replays(session, session.replaying)
        self.side = SideTabs("Rehearse", {
            "Steps": self.rehearsals, "Round trip": self.trips, "Devices": self.devices, "Replay": self.replays,
        })  # fmt: skip
        self._timer = QTimer(self)
        self._timer.setInterval(_REPAINT_MS)
        self._build()
        self._connect()

    def keys_first(self) -> tuple[QWidget, ...]:
        return (self.log,)

    def step_frame(self, by: int) -> bool:
        """Go so many frames on in the log; say that this desk has a list of its own."""
        self.log.go(by)
        return True

    def _build(self) -> None:
        self.head.row.addWidget(self.stop_all)
        below = QWidget()
        under = QVBoxLayout(below)
        under.setContentsMargins(0, 0, 0, 0)
        under.setSpacing(0)
        under.addWidget(hairline())
        under.addWidget(self.log_line)
        under.addWidget(self.log, 1)
        split = QSplitter(Qt.Orientation.Vertical)
        split.setHandleWidth(1)
        split.setChildrenCollapsible(False)
        area = scrolled(self.score)
        area.setMinimumHeight(90)
        for part in (area, self.composer, below):
            split.addWidget(part)
        split.setSizes([192, 230, 240])
        split.setStretchFactor(2, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.head)
        column.addWidget(hairline())
        column.addWidget(self.connecting)
        column.addWidget(hairline())
        column.addWidget(split, 1)

    def _connect(self) -> None:
        session, live = self._session, self.live
        live.came.connect(self.log.add)
        live.changed.connect(self._refresh)
        live.writing.recorded.connect(lambda _files: self.connecting.refresh())
        self.rehearsing.asked.connect(self._ask)
        live.changed.connect(self.devices.refresh)
        self.stop_all.clicked.connect(live.sending.stop_all)
        self.score.picked.connect(self.composer.pick)
        self.score.drawn.connect(self._take_curve)
        self.composer.changed.connect(self.trips.refresh)
        self.trips.mirrored.connect(self._take_mirror)
        self._timer.timeout.connect(self._tick)
        session.on_opened(self._on_layouts)
        session.layouts_changed.connect(self._on_layouts)
        session.in_hand.changed.connect(self._take_kind)
        self._refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        self.live.hearing.is_watched = True
        super().showEvent(event)

    def hideEvent(self, event: QHideEvent | None) -> None:
        self.live.hearing.is_watched = False
        super().hideEvent(event)

    def _on_layouts(self) -> None:
        # what comes is asked with the layouts of now, whether anybody looks or not
        self.log_line.ask_again()
        # thousands of messages are put into words, which no edit elsewhere has to wait for
        self._offer_when_shown()

    def _offer(self) -> None:
        layouts = self._session.edits.layouts()
        self.composer.offer(layouts)
        self.trips.offer(layouts)
        self.devices.offer(layouts)
        self.rehearsals.read()
        self.connecting.offer(self.live.examples())

    def _take_kind(self) -> None:
        """Compose what is in hand in the roster."""
        session = self._session
        if not self.isVisible():
            return
        layout = session.in_hand.layout
        if layout is not None:
            self.composer.choose(layout.name)
        elif session.in_hand.kind is not None and self.live.is_live:
            at = session.store.frame_at(session.in_hand.kind, None, session.clock.cursor_ns)
            self.composer.take_heard(*session.kinds.origin(session.in_hand.kind), at.payload if at is not None else b"")

    def _take_curve(self, name: str, field: str, words: str) -> None:
        """Let a curve that was drawn feed its field."""
        self.composer.pick(name)
        self.composer.entries.give(field, words)

    def _take_mirror(self, layout: Any, left_out: tuple[str, ...]) -> None:
        """Keep a sender's layout that was made from its receiver's."""
        if self._session.edits.change(layout, f"Mirror {self.trips.receiver.currentText()}"):
            said = " ".join(left_out) or "Every field arrives as it is meant."
            self._session.told.emit("wrong" if left_out else "good", f"{layout.name} sends what is read. {said}")

    def _refresh(self) -> None:
        live = self.live
        entries = len(live.sending.entries)
        if live.is_live:
            allowed = sum(live.sending.may_send(name) for name in live.lanes)
            self.head.words.setText(f"{counted(len(live.lanes), 'lane')}, {allowed} may send; "
                                    f"{counted(entries, 'message')} going out")  # fmt: skip
        else:
            self.head.words.setText("connect bench:yuzu to try it, or a bus of your own")
        self.stop_all.setVisible(live.is_live)
        (self._timer.start if live.is_live else self._timer.stop)()

    def _tick(self) -> None:
        if self.isVisible():
            self.score.update()
            self.connecting.arm_line.tell()

    def _ask(self, text: str, answer: Any) -> None:
        """Put a rehearsal's question to the person."""
        asked = QMessageBox(QMessageBox.Icon.Question, "Rehearsal", text,
                            QMessageBox.StandardButton.Yes | QMessageBox.StandardButton.No, self)  # fmt: skip
        asked.setModal(False)
        asked.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        asked.finished.connect(lambda code: answer(code == QMessageBox.StandardButton.Yes.value))
        asked.show()
