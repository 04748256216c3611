"""The line above the log: what is listed of it, by words or by a condition; holding still; writing it out."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QWidget

from ...app.session import Session
from ...around.table_file import ask_table_file, frame_titles, write_table
from ...widgets.parts import Choice, button, label
from .log import Log
from .score import Score

_WORDS, _WHERE = "with the words", "where"
_HINTS = {
    _WORDS: "all frames; some words list those that have them",
    _WHERE: 'a condition, such as   lane == "thruster" and size > 4   and Enter',
}


class LogLine(QWidget):
    """Chooses what is listed.

    Attributes
    ----------
    by
        Whether the line says words or a condition.
    line
        A condition is asked with Enter, and lists frames from then on.
    hold
        Lets the log and the score stand still; nothing is lost meanwhile.
    """

    def __init__(self, session: Session, log: Log, score: Score) -> None:
        super().__init__()
        self._session, self._live, self._log, self._score = session, session.live, log, score
        self.by = Choice()
        self.by.setAccessibleName("List frames by")
        self.by.addItems([_WORDS, _WHERE])
        self.line = QLineEdit()
        self.line.setAccessibleName("Only these frames")
        self.line.setClearButtonEnabled(True)
        self.hold = button("Hold", "Let log and score stand still; what comes is kept all the same (Y)")
        self.hold.setCheckable(True)
        self.write = button("Write…", "Write everything that was sent and heard as a table")
        row = QHBoxLayout(self)
        row.setContentsMargins(14, 5, 14, 5)
        row.setSpacing(8)
        row.addWidget(label("Sent and heard"))
        row.addWidget(self.by)
        row.addWidget(self.line, 1)
        row.addWidget(self.hold)
        row.addWidget(self.write)
        self.by.currentTextChanged.connect(self._begin)
        self.line.textChanged.connect(self._on_text)
        self.line.returnPressed.connect(self._ask)
        self.hold.toggled.connect(self._hold)
        self.write.clicked.connect(self._ask_file)
        self._live.changed.connect(self._on_live)
        self._begin()
        self._on_live()

    @property
    def _is_condition(self) -> bool:
        return self.by.currentText() == _WHERE

    def _begin(self) -> None:
        """Begin with nothing asked."""
        self.line.setPlaceholderText(_HINTS[self.by.currentText()])
        self.line.clear()
        self._live.ask("")
        self._log.list_only("")

    def _on_text(self, text: str) -> None:
        if not self._is_condition:
            self._log.list_only(text)
        elif not text:
            self._ask()

    def _ask(self) -> None:
        text = self.line.text().strip()
        if self._is_condition and self._live.ask(text):
            self._log.list_where(text)

    def ask_again(self) -> None:
        """Ask the condition of what layouts say now."""
        if self._live.hearing.asked:
            self._live.ask(self._live.hearing.asked)

    def _on_live(self) -> None:
        """Forget a condition whose frames come no more."""
        self.hold.setEnabled(self._live.is_live)
        if not self._live.is_live:
            self.hold.setChecked(False)
            if self._is_condition and self.line.text():
                self._begin()

    def _hold(self, is_held: bool) -> None:
        self.hold.setText("Go on" if is_held else "Hold")
        self._log.hold(is_held)
        self._score.hold(is_held)

    def _ask_file(self) -> None:
        where = ask_table_file(self, "log", frame_titles())
        if where is not None:
            self.write_to(*where)

    def write_to(self, path: Path, form: str = "") -> None:
        """Write the log as the form that the file's name says, or else the one that was chosen."""
        write_table(self._session, "frames of the log", frame_titles(), self._live.writing.write_log, path, form)
