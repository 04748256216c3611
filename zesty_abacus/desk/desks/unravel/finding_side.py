"""Findings of the message in hand, or of the whole capture: the list, and below it the one in hand."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QVBoxLayout, QWidget

from ...app.doors import found
from ...app.questions import Pair
from ...app.session import Session
from ...widgets.parts import EDGE, Choice, button, hairline, label
from ...widgets.words import counted
from .finding_hand import FindingInHand
from .finding_rows import FindingRows
from .question_lines import ActionLine, QuestionLine, ReferenceLine, StretchLine, ValueLine
from .shown_bits import shown_bits

HERE, WHOLE = range(2)
QUESTIONS = {
    "I know a value": ValueLine,
    "I have a reference": ReferenceLine,
    "I did something": ActionLine,
    "compare two stretches": StretchLine,
}
"""The questions that can be asked, in the order of the choice."""
SCOPES = ("in this message", "in the whole capture", *QUESTIONS)


class FindingSide(QWidget):
    """What the program found out.

    Events
    ------
    refreshed
        What is asked, or what is known of it, changed.

    Attributes
    ----------
    scope, keep_all, lines, rows, hand
        Of which messages, or which question; keeping all that is likely; where questions are asked; the list; the one
        in hand.
    """

    refreshed = pyqtSignal()

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._findings = session.findings
        self._place = 0
        self.scope = Choice()
        self.scope.addItems(SCOPES)
        self.scope.setAccessibleName("Whose findings")
        # in a narrow panel it gives way to the button beside it
        self.scope.setSizeAdjustPolicy(Choice.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.keep_all = button("Keep all likely", "Make all that is likely here a part of the layout (Shift K)")
        self.lines: list[QuestionLine] = [make(session) for make in QUESTIONS.values()]
        self.rows = FindingRows(session)
        self.hand = FindingInHand(session)
        self.hint = label("", "quiet", wrap=True)
        self._build()
        findings = self._findings
        findings.changed.connect(self.refresh)
        session.questions.changed.connect(self.refresh)
        findings.hand_changed.connect(self.rows.show_current)
        session.in_hand.changed.connect(self._on_kind)
        self.scope.currentTextChanged.connect(self._on_scope)
        self.keep_all.clicked.connect(self.keep_all_likely)
        self.rows.chosen.connect(lambda pair: self.take(*pair))
        self.rows.keep_wanted.connect(self.hand.keep_it)
        self.rows.pointed.connect(self._light)
        self.hand.kept.connect(self._on_kept)
        self.refresh()

    def _build(self) -> None:
        head = QVBoxLayout()
        head.setContentsMargins(EDGE - 4, 6, EDGE - 4, 4)
        line = QHBoxLayout()
        line.setSpacing(8)
        line.addWidget(self.scope, 1)
        line.addWidget(self.keep_all)
        head.addLayout(line)
        for question in self.lines:
            head.addWidget(question)
        head.addWidget(self.hint)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addLayout(head)
        column.addWidget(hairline())
        column.addWidget(self.rows, 1)
        column.addWidget(self.hand)

    def begin(self) -> None:
        """Put the hands on the list."""
        self.rows.setFocus()

    @property
    def question(self) -> QuestionLine | None:
        """What is asked; None where just findings are listed."""
        number = self.scope.currentIndex() - len((HERE, WHOLE))
        return self.lines[number] if number >= 0 else None

    def ask(self, number: int) -> None:
        """Begin with one of the questions, by its number."""
        self.scope.setCurrentIndex(number + len((HERE, WHOLE)))
        self.lines[number].begin()

    def _on_scope(self) -> None:
        self.refresh()
        if self._findings.in_hand not in self.rows.things:
            self._findings.take(None)
        if self.question is not None:
            self.question.begin()

    def refresh(self) -> None:
        """List what is known now."""
        for line in self.lines:
            line.setVisible(line is self.question)
        if self.question is not None:
            self.question.show_state()
        pairs = self._listed()
        here = self.scope.currentIndex() == HERE
        self.rows.names_kinds = not here
        self.rows.list_things(pairs)
        likely = sum(one.confidence >= found.LIKELY and one.kind in found.KEPT for _, one in pairs)
        self.keep_all.setVisible(here)
        self.keep_all.setEnabled(likely > 0)
        self.hint.setText(self.question.hint() if self.question is not None else self._hint(len(pairs)))
        self.hint.setVisible(bool(self.hint.text()))
        self.refreshed.emit()

    def _listed(self) -> list[Pair]:
        if self.question is not None:
            return self.question.answers()
        kind = self._session.in_hand.kind
        if self.scope.currentIndex() == WHOLE:
            return self._findings.everything()
        return [(kind, one) for one in self._findings.of(kind)] if kind is not None else []

    def _hint(self, listed: int) -> str:
        if self._session.capture is None:
            return "What the program finds out about bits will be here."
        if self._session.in_hand.kind is None and self.scope.currentIndex() == HERE:
            return "Choose a message in the roster."
        looking = "Looking on…" if self._findings.is_looking else ""
        if listed:
            return looking
        return looking or "Nothing is left to find out here, as far as can be seen."

    def take(self, kind: int, finding: found.Finding) -> None:
        """Take a finding in hand: its bits light up, and are read every way."""
        session = self._session
        self._place = next((row for row, pair in enumerate(self.rows.things) if pair == (kind, finding)), 0)
        session.in_hand.take_kind(kind)
        self._findings.take(kind, finding)
        session.in_hand.select_bits(shown_bits(session, kind, finding))

    def step(self, by: int) -> None:
        """Go to the next finding of the list, or with -1 to the one before."""
        if self.rows.count():
            self.rows.go(by)

    def _light(self, pair: tuple[int, found.Finding] | None) -> None:
        same = pair is not None and pair[0] == self._session.in_hand.kind
        self._findings.light(shown_bits(self._session, *pair) if same and pair is not None else ())

    def _on_kind(self) -> None:
        in_hand = self._findings.in_hand
        if in_hand is not None and in_hand[0] != self._session.in_hand.kind:
            self._findings.take(None)
        self.refresh()

    def _on_kept(self) -> None:
        """Go on with the one that has taken its place in the list."""
        pairs = self.rows.things
        if pairs:
            self.take(*pairs[min(self._place, len(pairs) - 1)])
        else:
            self._session.in_hand.select_bits(frozenset())
        self.rows.setFocus()

    def keep_all_likely(self) -> bool:
        """Make everything likely in the message in hand a part of its layout; return whether anything was."""
        session, kind = self._session, self._session.in_hand.kind
        if kind is None:
            return False
        layout, count = session.keeping.with_all_likely(kind, self.hand.message_name(kind))
        if not count:
            session.told.emit("", "Nothing here is likely enough to be kept unseen.")
            return False
        words = f"{counted(count, 'finding')} kept"
        if not session.edits.change(layout, words):
            return False
        session.told.emit("good", f"{words} in {layout.name}; Ctrl Z takes all of them back.")
        return True
