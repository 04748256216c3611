"""What waits for somebody: proposals of others and one's own, and one's drafts."""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QVBoxLayout, QWidget

from ...app.doors import laid
from ...app.session import Session
from ...around.proposal_card import ProposalCard
from ...widgets.parts import Hint, clear_layout, is_in_hand, label, scrolled_column


class Inbox(QWidget):
    """Proposals as cards, those that wait first for you.

    Events
    ------
    compare_wanted
        (proposal) its before and after are to be shown.

    Attributes
    ----------
    cards
    ended
        Whether those that ended are shown, too.
    """

    compare_wanted = pyqtSignal(object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self.cards: list[ProposalCard] = []
        self.ended = QCheckBox("also those that ended")
        self.rules = label("", "quiet", wrap=True)
        self._rows = QVBoxLayout()
        self._rows.setSpacing(10)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(scrolled_column(self.rules, self.ended, self._rows))
        session.shared.proposals.changed.connect(self.refresh)
        self.ended.toggled.connect(lambda _on: self.refresh())

    def refresh(self) -> None:
        """Show what waits, when somebody looks; what ended is read on a thread."""
        if not self.isVisible():
            return
        shared = self._session.shared
        rules = shared.proposals.rules.words() if shared.proposals.rules is not None else ""
        # beside what waits, that others are kept at once is only half of it
        waits = " What is proposed waits until somebody else agrees." if shared.proposals.waiting else ""
        self.rules.setText(rules + waits)
        if not self.ended.isChecked():
            self._show(shared.proposals.waiting)
            return
        shared.ask("reading proposals", lambda library: library.proposals.all(), self._show)

    def _show(self, proposals: list[laid.Proposal]) -> None:
        if any(is_in_hand(card.line) for card in self.cards):
            return
        clear_layout(self._rows)
        author = self._session.edits.line.author
        # what waits for you comes first, then what you wait for, then what is over
        ordered = sorted(
            proposals, key=lambda one: (not one.is_open, one.author == author, -one.events[0].time.timestamp())
        )
        self.cards = [ProposalCard(self._session, one, whole=True) for one in ordered]
        for card in self.cards:
            card.compare_wanted.connect(self.compare_wanted)
            self._rows.addWidget(card)
        if not self.cards:
            self._rows.addWidget(Hint(
                "Nothing waits for agreement. To propose a change, work on a draft of a layout on the Layouts desk "
                "and press Propose."
            ))  # fmt: skip

    def showEvent(self, event: Any) -> None:
        super().showEvent(event)
        self.refresh()
