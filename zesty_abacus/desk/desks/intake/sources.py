"""The list of sources at the left of Intake, and what was wrong with the chosen one."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent
from PyQt6.QtWidgets import QFileDialog, QFrame, QSizePolicy, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...widgets.one_stop import OneStop
from ...widgets.parts import USES_SPACE, Panel, button, hairline, label, one_shot
from ...widgets.theme import figure_font, look, text_font
from ...widgets.words import counted, grouped

_LISTED_PROBLEMS = 100


def _unbroken(number: int) -> str:
    """Write a count so that no line breaks within it."""
    return grouped(number).replace(chr(0x2009), chr(0x202F))


class SourceCard(QFrame):
    """One source in the list.

    Events
    ------
    picked
        The card was clicked or Enter was pressed on it.
    """

    picked = pyqtSignal()

    def __init__(self, title: str, words: str, state: str, *, tone: str, chosen: bool) -> None:
        super().__init__()
        self.setProperty(USES_SPACE, True)
        self.setAccessibleName(f"{title}, {words}, {state}")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        if chosen:
            theme = look.theme
            self.setStyleSheet(f"SourceCard {{ background: {theme.selected}; border-left: 3px solid {theme.zest}; }}")
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 7, 12, 7)
        column.setSpacing(1)
        name = label(title)
        name.setFont(text_font(bold=True))
        for part in (name, label(words, "quiet", wrap=True), label(state, tone, wrap=True)):
            column.addWidget(part)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        self.picked.emit()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.picked.emit()
        else:
            super().keyPressEvent(event)


class SourceList(Panel):
    """What was brought in, and where to drop more.

    Events
    ------
    picked
        (number) another source was chosen.
    """

    picked = pyqtSignal(int)

    def __init__(self, session: Session) -> None:
        super().__init__("Brought in")
        self._session = session
        self._chosen = 0
        self._chosen_card: SourceCard | None = None
        self._stop = OneStop(self)
        self._reveal = one_shot(self, 0, self._show_chosen)
        self.body.setContentsMargins(0, 0, 0, 0)
        self.body.setSpacing(0)
        session.on_opened(self.refresh)
        look.changed.connect(self.refresh)

    def refresh(self) -> None:
        """List the sources again."""
        session = self._session
        self._chosen_card = None
        had_keys = self._stop.place
        self.clear()
        cards: list[SourceCard] = []
        count = len(session.outcomes)
        chosen: SourceCard | None = None
        self.note.setText(f"{count} source{'s' if count != 1 else ''}")
        self._chosen = min(self._chosen, max(count - 1, 0))
        for number, outcome in enumerate(session.outcomes):
            card = self._card(number, outcome)
            card.picked.connect(lambda number=number: self.choose(number))
            if number == self._chosen:
                chosen = card
            cards.append(card)
            self.body.addWidget(card)
            self.body.addWidget(hairline())
        for reference in session.trial.file.references if session.trial is not None else ():
            card = SourceCard(reference, "reference measurements", "kept with the trial", tone="good", chosen=False)
            self.body.addWidget(card)
            self.body.addWidget(hairline())
        self.body.addWidget(self._drop_zone())
        self.body.addStretch(1)
        self._stop.hold(cards, chosen, had_keys)
        if chosen is not None:
            self._chosen_card = chosen
            self._reveal.start()

    def _show_chosen(self) -> None:
        if self._chosen_card is not None and self._chosen_card.parent() is not None:
            self.area.ensureWidgetVisible(self._chosen_card, 0, 60)

    def choose(self, number: int) -> None:
        """Choose a source."""
        self._chosen = number
        self.refresh()
        self.picked.emit(number)

    def _card(self, number: int, outcome: engine.SourceOutcome) -> SourceCard:
        state, tone = self._state_of(outcome)
        words = self._words_of(outcome)
        return SourceCard(outcome.path.name, words, state, tone=tone, chosen=number == self._chosen)

    def _words_of(self, outcome: engine.SourceOutcome) -> str:
        report = outcome.report
        if outcome.error:
            return str(report.format_name)
        if outcome.holds == "lines":
            kinds = f"{len(report.lanes)} channel{'s' if len(report.lanes) != 1 else ''}"
            count = f"{_unbroken(outcome.samples)} {outcome.counted}"
            return f"{report.format_name} · {kinds} · {count}"
        if outcome.holds == "reference":
            return f"reference · {counted(outcome.samples, 'row')}"
        return f"{report.format_name} · {counted(report.frames, 'frame')}"

    def _state_of(self, outcome: engine.SourceOutcome) -> tuple[str, str]:
        """Return the state in words and its tone."""
        if outcome.error:
            return "could not be read", "wrong"
        if outcome.needs_recipe:
            return "needs a recipe", "unexplained"
        if outcome.report.problem_count:
            return f"{counted(outcome.report.problem_count, 'problem')}, the rest is read", "wrong"
        if outcome.looks_like:
            return f"looks like {outcome.looks_like}", "unexplained"
        if outcome.recipe:
            return f"recipe “{outcome.recipe}” · {counted(outcome.report.frames, 'frame')}", "good"
        return "as reference" if outcome.holds == "reference" else "read whole", "good"

    def _drop_zone(self) -> QWidget:
        zone = button("Drop recordings here\nor choose (Ctrl O)", "Bring more recordings into this trial")
        zone.setStyleSheet(f"QPushButton {{ border: 1px dashed {look.theme.rod}; border-radius: 8px; "
                           f"padding: 16px 2px; margin: 14px 12px; color: {look.theme.quiet}; }}")  # fmt: skip
        zone.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        zone.clicked.connect(self._ask)
        return zone

    def _ask(self) -> None:
        names, _ = QFileDialog.getOpenFileNames(self, "Bring recordings in")
        if names:
            self._session.trials.open_paths([Path(name) for name in names])


class ProblemPanel(Panel):
    """Everything that was left out, with its place in the file."""

    def __init__(self) -> None:
        super().__init__("Problems")

    def show_outcome(self, outcome: engine.SourceOutcome | None) -> None:
        """List the problems of a source."""
        self.clear()
        if outcome is None:
            self.note.setText("")
            self.body.addStretch(1)
            return
        report = outcome.report
        self.note.setText(grouped(report.problem_count + bool(outcome.error)))
        if outcome.error:
            self.body.addWidget(label(outcome.error, "wrong", wrap=True, selectable=True))
        elif not report.problem_count:
            self.body.addWidget(label("Nothing was left out of this recording.", "quiet", wrap=True))
        for problem in report.problems[:_LISTED_PROBLEMS]:
            place = label(problem.place, selectable=True)
            place.setFont(figure_font(12, bold=True))
            self.body.addWidget(place)
            self.body.addWidget(label(problem.reason, "quiet", wrap=True))
            self.body.addWidget(hairline())
        more = report.problem_count - _LISTED_PROBLEMS
        if more > 0:
            self.body.addWidget(label(f"and {grouped(more)} more", "quiet"))
        self.body.addStretch(1)
