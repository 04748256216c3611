"""The open recording sent again, on the lanes of its own names."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QCheckBox, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.replaying import Replaying
from ...app.session import Session
from ...widgets.parts import Choice, button, label

_WHOLE, _VIEW = "the whole capture", "what the bracket shows"


class Replays(QWidget):
    """Replays the open capture, or what the bracket shows of it.

    Attributes
    ----------
    stretch, speed, loop, start
    where, change
        Only frames in which a condition holds; values that are worked out anew.
    """

    def __init__(self, session: Session, replaying: Replaying) -> None:
        super().__init__()
        self._session, self._replaying = session, replaying
        self.stretch = Choice()
        self.stretch.setAccessibleName("What is replayed")
        self.stretch.addItems([_VIEW, _WHOLE])
        self.speed = QLineEdit("1")
        self.speed.setAccessibleName("How many times as fast")
        self.speed.setMaximumWidth(60)
        self.loop = QCheckBox("again and again")
        self.where = QLineEdit()
        self.where.setAccessibleName("Only frames where")
        self.where.setPlaceholderText("only where: a condition, such as size > 4")
        self.change = QLineEdit()
        self.change.setAccessibleName("Changed on the way")
        self.change.setPlaceholderText("changed: `Hook state`.pull = value * 2; …")
        self.change.setToolTip(
            "Values that are worked out anew on the way, a semicolon between them; checks agree again"
        )
        self.start = button("Replay", "Send it on the connected lanes of the same names that may send")
        self.said = label("", "quiet", wrap=True)
        line = QHBoxLayout()
        line.setSpacing(6)
        line.addWidget(self.speed)
        line.addWidget(label("times as fast", "quiet"))
        line.addStretch(1)
        act = QHBoxLayout()
        act.addWidget(self.start)
        act.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 12, 12)
        column.setSpacing(8)
        column.addWidget(label("Recorded frames go out again, as far apart in time as they were, on the connected "
                               "lanes of their own names that may send. Connect one as thruster=can:vcan0.",
                               "quiet", wrap=True))  # fmt: skip
        column.addWidget(self.stretch)
        column.addLayout(line)
        column.addWidget(self.where)
        column.addWidget(self.change)
        column.addWidget(self.loop)
        column.addLayout(act)
        column.addWidget(self.said)
        column.addStretch(1)
        self.start.clicked.connect(self.run)
        replaying.changed.connect(self._refresh)

    def run(self) -> None:
        """Begin, or stop what runs."""
        if self._replaying.is_running:
            self._replaying.stop()
            return
        session = self._session
        speed = _number(self.speed.text())
        if session.capture is None or speed is None:
            self.said.setText("The speed is a number above 0." if speed is None else "Open a recording first.")
            return
        self.said.setText("")
        clock = session.clock
        span = (clock.view_first_ns, clock.view_last_ns) if self.stretch.currentText() == _VIEW else None
        changes = [text for part in self.change.text().split(";") if (text := part.strip())]
        self._replaying.start(
            session.reading.meaning, span, speed, self.loop.isChecked(), known=session.asking.known(),
            condition=self.where.text().strip(), changes=changes,
        )  # fmt: skip
        self._refresh()

    def _refresh(self) -> None:
        self.start.setText("Stop" if self._replaying.is_running else "Replay")


def _number(text: str) -> Any:
    try:
        found = float(text)
    except ValueError:
        return None
    return found if 0 < found <= 1000 else None
