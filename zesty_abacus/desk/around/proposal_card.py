"""A proposal as a card: what it would change, who said what about it, and what one can do."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QPushButton, QVBoxLayout

from ..app.doors import engine, laid
from ..app.session import Session
from ..widgets.parts import button, label, plain_tip
from ..widgets.theme import text_font
from ..widgets.words import when_text
from .changed_curves import ChangedCurves

_OTHERS = (
    ("Agree", "agree", "The change is right: keep it, if that is enough"),
    ("Reply", "reply", "Say what is in the line above"),
    ("Send back", "send_back", "Ask its author to change what the line above says"),
)
_OWN = (
    ("Reply", "reply", "Say what is in the line above"),
    ("Propose anew", "renew", "Put it on top of what others kept since; who agreed agrees anew"),
    ("Withdraw", "withdraw", "End the proposal without keeping it"),
)


class ProposalCard(QFrame):
    """One proposal.

    Parameters
    ----------
    whole
        Whether it stands by itself, with the name of its layout and what it makes of the open capture; beside the
        layout there is neither need nor room.

    Events
    ------
    compare_wanted
        (proposal) its before and after are to be shown.

    Attributes
    ----------
    line
        What one says with an answer.
    buttons
        By what they do.
    curves
        What it makes of the open capture, None where that is not shown.
    """

    compare_wanted = pyqtSignal(object)

    def __init__(self, session: Session, proposal: laid.Proposal, *, whole: bool) -> None:
        super().__init__()
        self._session, self.proposal = session, proposal
        self.buttons: dict[str, QPushButton] = {}
        self.setObjectName("card")
        self.setAccessibleName(f"Proposal for {proposal.name} by {proposal.author}")
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 8, 10, 8)
        column.setSpacing(4)
        title = label(f"{proposal.name}: {proposal.reason}" if whole else proposal.reason, wrap=True)
        title.setFont(text_font(bold=True))
        column.addWidget(title)
        change = self._change()
        if change != proposal.reason:
            column.addWidget(label(change, wrap=True))
        self.curves: ChangedCurves | None = None
        if whole and proposal.is_open and proposal.before is not None and proposal.after is not None:
            self.curves = ChangedCurves(session, proposal.before, proposal.after, ("now", "as proposed"))
            column.addWidget(self.curves)
        self.standing = label(self._standing(), "quiet", wrap=True)
        column.addLayout(self._standing_row())
        for event in proposal.events[1:]:
            said = f": {event.text}" if event.text else ""
            row = label(f"{event.author} {event.step.value}{said}", "quiet", wrap=True)
            row.setToolTip(plain_tip(f"{when_text(event.time)}, logged in as {event.login}"))
            column.addWidget(row)
        self.line = QLineEdit()
        self.line.setPlaceholderText("what you say about it")
        self.line.setAccessibleName("What you say about the proposal")
        if proposal.is_open:
            column.addWidget(self.line)
        column.addLayout(self._actions())

    def _change(self) -> str:
        before, after = self.proposal.before, self.proposal.after
        if after is None:
            return "the layout is removed"
        return str(engine.describe_change(before, after))

    def _standing(self) -> str:
        one, rules = self.proposal, self._session.shared.proposals.rules
        words = f"{one.author} · {when_text(one.events[0].time)}"
        if not one.is_open or one.standing is laid.Step.SENT_BACK:
            return f"{words} · {one.standing.value}"
        needed = max(rules.needed if rules is not None else 0, 1)
        return f"{words} · {len(one.agreed)} of {needed} agreed"

    def _actions(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(8)
        one = self.proposal
        is_own = one.author == self._session.edits.line.author
        for words, step, tip in (_OWN if is_own else _OTHERS) if one.is_open else ():
            made = button(words, tip, main=step == "agree", link=step != "agree")
            made.clicked.connect(lambda _on, step=step: self._answer(step))
            self.buttons[step] = made
            row.addWidget(made)
        sent_back = one.standing is laid.Step.SENT_BACK
        if "agree" in self.buttons:
            self.buttons["agree"].setEnabled(not sent_back)
        row.addStretch(1)
        return row

    def _standing_row(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.addWidget(self.standing, 1)
        tip = "Show before and after on the open capture, in beads, words and curves"
        self.buttons["compare"] = button("Compare", tip, link=True)
        self.buttons["compare"].clicked.connect(lambda: self.compare_wanted.emit(self.proposal))
        row.addWidget(self.buttons["compare"])
        return row

    def _answer(self, step: str) -> None:
        self._session.shared.proposals.answer(self.proposal, step, self.line.text())
