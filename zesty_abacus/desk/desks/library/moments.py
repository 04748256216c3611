"""The words for moments that the team has agreed on; they are offered wherever a moment is written down."""

from __future__ import annotations

from typing import Any

from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import laid
from ...app.session import Session
from ...widgets.parts import Hint, button, clear_layout, hairline, label, scrolled_column
from ...widgets.theme import text_font


class MomentsView(QWidget):
    """The catalogues of moments.

    Attributes
    ----------
    line
        Words, or words = meaning; Return adds them.
    add
        Adds the moments of the open trial.
    shown
        The words that are shown.
    """

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.shown: list[str] = []
        self.line = QLineEdit()
        self.line.setPlaceholderText("hook released = the tow line is off the hook")
        self.line.setAccessibleName("Words for a moment, and what they mean")
        tip = "So that the same thing is called the same in every recording"
        self.add = button("Add the moments of this trial", tip)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(4)
        row = QHBoxLayout()
        row.addWidget(self.line, 1)
        row.addWidget(self.add)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolled_column(row, self._rows))
        self.line.returnPressed.connect(self._add_line)
        self.add.clicked.connect(self._add_own)
        session.shared.moments_changed.connect(self._show)
        self._show()

    def _add_line(self) -> None:
        text = self.line.text().strip()
        if text and self._session.library is not None:
            self._keep([laid.parse_moment(text)])
            self.line.clear()

    def _add_own(self) -> None:
        session = self._session
        if session.trial is not None:
            parse = laid.NamedMoment
            self._keep([parse(moment.text) for moment in session.trial.file.moments])

    def _keep(self, fresh: list[Any]) -> None:
        session = self._session
        add, author = laid.add_moments, session.edits.line.author

        def done(made: Any) -> None:
            session.told.emit("good", f"{made.reason}." if made is not None else "All of these are there already.")
            session.shared.read_moments()

        session.shared.ask("keeping moments", lambda library: add(library, fresh, author=author), done)

    def _show(self) -> None:
        clear_layout(self._rows)
        moments = self._session.shared.moments
        self.shown = [one.text for one in moments]
        for one in moments:
            name = label(one.text, wrap=True)
            name.setFont(text_font(bold=True))
            self._rows.addWidget(name)
            if one.meaning:
                self._rows.addWidget(label(one.meaning, wrap=True))
            self._rows.addWidget(hairline())
        if not moments:
            self._rows.addWidget(
                Hint("No words are agreed on yet. They are offered when a moment is written down (M).")
            )
