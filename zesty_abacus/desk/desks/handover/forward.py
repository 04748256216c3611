"""Readings for other programs: where to, which, how often; what was taken, and what waits."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QGridLayout, QHBoxLayout, QLineEdit, QPlainTextEdit, QVBoxLayout, QWidget

from ....core.durations import duration_ns
from ....core.errors import AbacusError
from ...app.forwarding import ForwardAsked, first_readings
from ...app.session import Session
from ...widgets.parts import button, hairline, label
from ...widgets.theme import SMALL_PX, figure_font
from ...widgets.words import counted, grouped
from .choices import Choices

_WHAT = (("open", "what is open, once"), ("live", "what comes in live"))
_HOW = (("every", "every one"), ("at-most", "at most every"), ("mean", "the mean of"), ("on-change", "only changes"))
_WITH_PERIOD = ("at-most", "mean")


class ForwardPage(QWidget):
    """Forwards readings, and shows how far it is."""

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._was_running = False
        self.what = Choices("Readings", _WHAT, self._refresh)
        self.how = Choices("How often", _HOW, self._refresh)
        self.period = QLineEdit("1 s")
        self.period.setAccessibleName("Length of time")
        self.period.setMaximumWidth(90)
        self.to = QLineEdit()
        self.to.setAccessibleName("Address")
        self.to.setPlaceholderText("mqtt://tug@harbour/tug/{lane}/{message}  or  https://harbour/readings")
        self.fields = QLineEdit()
        self.fields.setAccessibleName("Fields")
        self.fields.setPlaceholderText("all fields; or Motion.water speed=speed, Motion.heading=course")
        self.run_button = button("Forward", "Send the readings, and keep on until they are taken", main=True)
        self.stop_button = button("Stop", "End; what waits stays on disk and goes first the next time")
        self.problem = label("", "wrong", wrap=True)
        self.state = label("", "quiet", wrap=True)
        self.first = QPlainTextEdit()
        self.first.setReadOnly(True)
        self.first.setFont(figure_font(SMALL_PX))
        self.first.setLineWrapMode(QPlainTextEdit.LineWrapMode.NoWrap)
        self.first.setAccessibleName("First readings")
        self._build()
        self._connect()
        self._say("")

    def _build(self) -> None:
        often = QHBoxLayout()
        often.setSpacing(10)
        often.addWidget(self.how)
        often.addWidget(self.period)
        often.addStretch(1)
        target = QHBoxLayout()
        target.setSpacing(8)
        target.addWidget(self.to, 1)
        target.addWidget(self.run_button)
        target.addWidget(self.stop_button)
        grid = QGridLayout()
        grid.setContentsMargins(18, 12, 18, 8)
        grid.setVerticalSpacing(8)
        grid.setHorizontalSpacing(14)
        grid.setColumnStretch(1, 1)
        grid.addWidget(self.what, 0, 1)
        grid.addWidget(self.fields, 1, 1)
        grid.addLayout(often, 2, 1)
        grid.addLayout(target, 3, 1)
        grid.addWidget(self.problem, 4, 1)
        grid.addWidget(self.state, 5, 1)
        for row, title in enumerate(("what", "fields", "how often", "to")):
            grid.addWidget(label(title, "quiet"), row, 0)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(grid)
        column.addWidget(hairline())
        column.addWidget(self.first, 1)

    def _connect(self) -> None:
        session = self._session
        for event in (session.opened, session.layouts_changed):
            event.connect(self._refresh)
        session.forwarding.changed.connect(self._show_state)
        for line in (self.to, self.fields, self.period):
            line.editingFinished.connect(self._refresh)
            line.textEdited.connect(lambda _text: self._say(""))
        self.to.returnPressed.connect(self.run)
        self.run_button.clicked.connect(self.run)
        self.stop_button.clicked.connect(session.forwarding.stop)

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self._refresh()

    def _asked(self) -> ForwardAsked:
        """Return what is asked for; raises :class:`MisuseError` where a length of time is none."""
        how = self.how.value
        period = duration_ns(self.period.text()) if how in _WITH_PERIOD else 0
        return ForwardAsked(self.to.text().strip(), self.fields.text(), how, period)

    def run(self) -> None:
        """Begin to forward."""
        session = self._session
        if session.capture is None or session.forwarding.is_running:
            return
        is_live = self.what.value == "live"
        if is_live and not session.live.is_live:
            self._say("Nothing is connected; connect an endpoint on Rehearse first.")
            return
        try:
            asked = self._asked()
            meaning = None if is_live else session.reading.meaning
            session.forwarding.start(asked, meaning, list(session.edits.layouts()), session.trial)
        except AbacusError as error:
            self._say(str(error))
            return
        self._say("")

    def _refresh(self) -> None:
        """Show the first readings as they would be sent."""
        session = self._session
        self.period.setVisible(self.how.value in _WITH_PERIOD)
        self._show_state()
        meaning = session.reading.meaning
        if meaning is None or not self.isVisible():
            return
        if not self.to.text().strip():
            self.first.setPlainText("Write where the readings go. Their first ones are shown here before any is sent.")
            return
        try:
            asked = self._asked()
        except AbacusError as error:
            self.first.setPlainText(str(error))
            return
        session.jobs.start("first readings", "reading", lambda _progress: first_readings(asked, meaning),
                           self._take, self.first.setPlainText)  # fmt: skip

    def _take(self, readings: list[tuple[str, str]]) -> None:
        rows = [f"{place}  {body}" for place, body in readings]
        self.first.setPlainText("\n".join(rows) or "No frame has a good value of these fields.")

    def _show_state(self) -> None:
        here = self._session.forwarding
        self.run_button.setEnabled(not here.is_running)
        self.stop_button.setVisible(here.is_running)
        self.stop_button.setEnabled(not here.is_stopping)
        parts = ["Stopping, once the other side has answered"] if here.is_stopping else []
        if here.is_running and self.what.value == "open" and here.share < 1.0:
            parts.append(f"{here.share:.0%} looked at")
        if here.is_running or here.sent or here.waiting:
            parts += [f"{grouped(here.sent)} taken", f"{grouped(here.waiting)} waiting on disk"]
        self.state.setText(f"{', '.join(parts)}. {here.said}".strip(". ") + "." * bool(parts or here.said))
        self.state.setVisible(bool(parts or here.said))
        if self._was_running and not here.is_running:
            self._ended()
        self._was_running = here.is_running

    def _ended(self) -> None:
        here = self._session.forwarding
        what = f"{counted(here.sent, 'reading')} forwarded to {self.to.text().strip()}"
        is_whole = not here.waiting and not here.said
        self._session.told.emit("good" if is_whole else "wrong", what if is_whole else f"{what}. {here.said}")

    def _say(self, sentence: str) -> None:
        self.problem.setText(sentence)
        self.problem.setVisible(bool(sentence))
