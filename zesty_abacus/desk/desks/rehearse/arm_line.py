"""What a recording waits for: a condition, how much around it is kept, and what follows."""

from __future__ import annotations

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ....core.errors import AbacusError
from ...app.doors import going
from ...app.live import LiveHere
from ...app.live_writing import Arming
from ...widgets.parts import Choice, ElidedLabel, button, label
from ...widgets.words import counted

_THEN = {"then stop": "stop", "wait for the next": "again", "only mark it": "mark"}


class ArmLine(QWidget):
    """Arms a recording, and says how often what it waits for happened.

    Attributes
    ----------
    line, before, after, then
        The condition, the times around it, and what follows.
    arm, now
        Arms it or ends it; keeps what is there as if the condition held.
    """

    def __init__(self, live: LiveHere) -> None:
        super().__init__()
        self._live = live
        self.line = QLineEdit()
        self.line.setAccessibleName("Condition to wait for")
        self.line.setPlaceholderText("a condition: flag(\"error\"), `Hook state`.closed == 0 …")  # fmt: skip
        self.before, self.after = QLineEdit("10 s"), QLineEdit("2 s")
        self.then = Choice()
        self.then.addItems(list(_THEN))
        self.then.setAccessibleName("What follows")
        self.then.setToolTip("Once it held: it is over, or waits for the next time, or goes on with a moment there")
        for entry, words in ((self.before, "Kept before it"), (self.after, "Kept after it")):
            entry.setAccessibleName(words)
            entry.setMaximumWidth(64)
        self._waits, self.said = ElidedLabel(), label("", "quiet")
        self._once, self._holds = label("once", "quiet"), label("holds", "quiet")
        self.now = button("Keep now", "Keep the last seconds, as if the condition held")
        self.arm = button("Arm", "Record when the condition holds")
        self._asks = QWidget()
        self._build()
        self.arm.clicked.connect(self._on_arm)
        self.line.returnPressed.connect(self._on_arm)
        self.now.clicked.connect(live.writing.trigger)
        live.changed.connect(self.refresh)
        self.refresh()

    def _build(self) -> None:
        first, second = QHBoxLayout(), QHBoxLayout(self._asks)
        second.setContentsMargins(0, 0, 0, 0)
        for row, parts in (
            (first, (self._once, self.line, self._holds, self._waits, self.said, self.now, self.arm)),
            (second, (label("keep", "quiet"), self.before, label("before it and", "quiet"), self.after,
                      label("after it,", "quiet"), self.then)),
        ):  # fmt: skip
            row.setSpacing(8)
            for part in parts:
                row.addWidget(part, 1 if part in (self.line, self._waits) else 0)
        second.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 0, 14, 7)
        column.setSpacing(6)
        column.addLayout(first)
        column.addWidget(self._asks)

    def _on_arm(self) -> None:
        writing = self._live.writing
        if writing.arming is not None:
            writing.keep_recording()
            return
        try:
            before, after = (going.duration_ns(entry.text()) for entry in (self.before, self.after))
        except AbacusError as error:
            self._live.told.emit("wrong", str(error))
            return
        if not self.line.text().strip():
            self._live.told.emit("wrong", "Say what to wait for: a condition.")
            self.line.setFocus()
            return
        writing.record(Arming(self.line.text().strip(), before, after, _THEN[self.then.currentText()]))

    def refresh(self) -> None:
        """Show what can be done now."""
        writing = self._live.writing
        is_armed = writing.arming is not None
        # what is said once it is armed stands in the place of what was typed
        for part in (self._once, self.line, self._holds, self._asks):
            part.setVisible(not is_armed)
        for part in (self._waits, self.said):
            part.setVisible(is_armed)
        self.arm.setEnabled(is_armed or not writing.is_recording)
        self.tell()

    def tell(self) -> None:
        """Say how often it held until now, and what can be done meanwhile."""
        writing = self._live.writing
        arming, armed = writing.arming, writing.armed
        self.arm.setText("Disarm" if writing.waits else "Stop" if arming is not None else "Arm")
        self.now.setVisible(writing.waits)
        if arming is None or armed is None:
            return
        does = "waits for" if armed.waits else "marks" if armed.then == going.Then.MARK else "keeps what is around"
        self._waits.setText(f"{does}  {arming.condition}")
        self.said.setText(f"held in {counted(armed.hits, 'frame')}")
