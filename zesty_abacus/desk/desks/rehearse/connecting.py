"""What is connected: a line to connect more, to record what comes, and to let go."""

from __future__ import annotations

from PyQt6.QtWidgets import QCompleter, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.live import LiveHere
from ...widgets.parts import button, with_offers
from .arm_line import ArmLine

_BENCH = "bench:yuzu"


class Connecting(QWidget):
    """Connects endpoints, and records what comes from them.

    Attributes
    ----------
    line
        Where an endpoint is typed.
    arms, arm_line
        Shows the line in which a recording is armed, and that line.
    """

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self.line = QLineEdit()
        self.line.setAccessibleName("Endpoint")
        self.line.setPlaceholderText("an endpoint: bench:yuzu, can:vcan0, modbus://127.0.0.1:502/1 …")
        self.connect_button = button("Connect", "Listen to this endpoint")
        self.bench = button("Yuzu live", f"Connect {_BENCH}: the tug, simulated, to try things on")
        self.record = button("Record", "Write what comes into the open trial")
        self.record.setCheckable(True)
        self.arms = button("Arm…", "Record when something happens, with what came before it")
        self.arms.setCheckable(True)
        self.arm_line = ArmLine(live)
        self.let_go = button("Let go", "Disconnect everything")
        line = QHBoxLayout()
        line.setContentsMargins(14, 7, 14, 7)
        line.setSpacing(8)
        for part in (self.line, self.connect_button, self.bench, self.record, self.arms, self.let_go):
            line.addWidget(part, 1 if part is self.line else 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(line)
        column.addWidget(self.arm_line)
        self.connect_button.clicked.connect(self._connect)
        self.line.returnPressed.connect(self._connect)
        self.bench.clicked.connect(lambda: live.connect_to(_BENCH))
        self.record.clicked.connect(self._record)
        self.arms.clicked.connect(self._on_arms)
        self.let_go.clicked.connect(live.let_go)
        live.changed.connect(self.refresh)
        self.refresh()

    def offer(self, examples: list[str]) -> None:
        """Offer endpoints while one is typed."""
        self.line.setCompleter(with_offers(QCompleter(examples)))

    def _connect(self) -> None:
        text = self.line.text().strip()
        if text:
            self._live.connect_to(text)

    def _record(self, on: bool) -> None:
        if on:
            self._live.writing.record()
        else:
            self._live.writing.keep_recording()

    def toggle_arm(self) -> None:
        """Show or hide what a recording may wait for, or end one that waits."""
        (self.arm_line.arm if self._live.writing.arming is not None else self.arms).click()

    def _on_arms(self, on: bool) -> None:
        self.arm_line.setVisible(on)
        if on:
            self.arm_line.line.setFocus()

    def refresh(self) -> None:
        """Show what can be done now."""
        live = self._live
        is_armed = live.writing.arming is not None
        self.bench.setVisible(not live.is_live)
        # what is armed is ended where it says what it waits for
        self.record.setVisible(live.is_live and not is_armed)
        self.record.setChecked(live.writing.is_recording)
        self.record.setText("Stop recording" if live.writing.is_recording else "Record")
        self.arms.setVisible(live.is_live and not is_armed)
        self.arm_line.setVisible(live.is_live and (is_armed or self.arms.isChecked()))
        self.arm_line.refresh()
        self.let_go.setVisible(live.is_live)
