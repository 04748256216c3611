"""The waves of a recording above what came out of them."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QHBoxLayout, QPushButton, QSplitter, QVBoxLayout, QWidget

from ...app.payload_form import PAYLOAD_FORMS
from ...app.session import Session
from ...widgets.parts import button, label
from ...widgets.theme import look, text_font
from ...widgets.when_shown import WhenShown
from ...widgets.words import counted
from .bench import Bench
from .came_out import CameOut


class WavesPage(QSplitter):
    """Waves, and below them the list with how many frames there are and how their payloads are shown.

    Attributes
    ----------
    forms
        A button for each way to show a payload.
    """

    def __init__(
        self, session: Session, bench: Bench, waves: QWidget, condition: QWidget, came_out: CameOut
    ) -> None:  # fmt: skip
        super().__init__(Qt.Orientation.Vertical)
        self._bench, self._came_out = bench, came_out
        self.forms: dict[str, QPushButton] = {}
        below = QWidget()
        title = label("What came out", "title")
        title.setFont(text_font(bold=True))
        self.came_note = label("", "quiet")
        row = QHBoxLayout()
        row.setContentsMargins(18, 5, 14, 3)
        row.setSpacing(10)
        row.addWidget(title)
        row.addWidget(self.came_note, 1)
        row.addWidget(label("show", "quiet"))
        for form in PAYLOAD_FORMS:
            word = button(form, f"Show payloads as {form} ({form[0].upper()})", link=True)
            word.clicked.connect(lambda _on, form=form: session.form.ask(form))
            self.forms[form] = word
            row.addWidget(word)
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(row)
        column.addWidget(condition)
        column.addWidget(came_out, 1)
        self.setHandleWidth(1)
        self.addWidget(waves)
        self.addWidget(below)
        self.setStretchFactor(0, 3)
        self.setStretchFactor(1, 2)
        self.setSizes([340, 230])
        self.setChildrenCollapsible(False)
        # a style sheet takes fonts back that are set before a button is shown for the first time
        show_form = WhenShown(self, self._show_form).refresh
        session.form.changed.connect(show_form)
        bench.outcome_changed.connect(show_form)
        look.changed.connect(show_form)
        show_form()

    def show_counts(self) -> None:
        """Say how many frames came out."""
        outcome = self._bench.outcome
        if outcome is None:
            self.came_note.setText("")
            return
        count = len(outcome.result.frames)
        part = "" if self._bench.is_whole else " in view"
        waves = self._bench.opened is not None and self._bench.opened.recording is not None
        self.came_note.setText(f"{counted(count, 'frame')}{part}" + (" · click one to see its wave" if waves else ""))

    def _show_form(self) -> None:
        for form, word in self.forms.items():
            font = text_font(bold=form == self._came_out.form())
            word.setFont(font)
