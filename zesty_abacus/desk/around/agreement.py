"""What is on its way for the layout in hand: one's own draft, and what others propose."""

from __future__ import annotations

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ..app.doors import engine
from ..app.session import Session
from ..widgets.parts import button, clear_layout, hairline, is_in_hand, label
from ..widgets.theme import text_font
from .proposal_card import ProposalCard


class AgreementSection(QWidget):
    """The draft and the proposals of the layout in hand; nothing where there are none.

    Events
    ------
    pair_wanted
        (before, after, titles) a change is to be shown.
    """

    pair_wanted = pyqtSignal(object, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: engine.Layout | None = None
        self.cards: list[ProposalCard] = []
        self.draft = DraftCard(session)
        self.draft.pair_wanted.connect(self.pair_wanted)
        self.here = label("", "quiet", wrap=True)
        self._proposals = QVBoxLayout()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        column.addWidget(self.here)
        column.addWidget(self.draft)
        column.addLayout(self._proposals)
        column.addWidget(hairline())
        shared = session.shared
        shared.proposals.changed.connect(self._show_proposals)
        shared.people_changed.connect(self._show_people)
        session.edits.drafts.changed.connect(lambda: self.draft.show_layout(self._layout))

    def show_layout(self, layout: engine.Layout | None) -> None:
        """Show what is on its way for a layout."""
        is_other = (layout.id if layout else None) != (self._layout.id if self._layout else None)
        self._layout = layout
        self.draft.show_layout(layout)
        self._show_people()
        if is_other:
            self._show_proposals()

    def _show_people(self) -> None:
        names = self._session.shared.names_at(self._layout.id if self._layout is not None else None)
        verb = "has" if len(names) == 1 else "have"
        self.here.setText(f"{' and '.join(names)} {verb} this open, too." if names else "")
        self.here.setVisible(bool(names))

    def _show_proposals(self) -> None:
        if any(is_in_hand(card.line) for card in self.cards):
            return
        clear_layout(self._proposals)
        layout = self._layout
        found = self._session.shared.proposals.of(layout.id) if layout is not None else []
        self.cards = [ProposalCard(self._session, one, whole=False) for one in found]
        for card in self.cards:
            card.compare_wanted.connect(lambda one: self.pair_wanted.emit(one.before, one.after, pair_titles(one)))
            self._proposals.addWidget(card)


class DraftCard(QFrame):
    """One's own draft of a layout, or the way to begin one.

    Attributes
    ----------
    reason
        Why, for those who are to agree.
    propose, keep, drop, begin
        What can be done.
    """

    pair_wanted = pyqtSignal(object, object, object)

    def __init__(self, session: Session) -> None:
        super().__init__()
        self._session = session
        self._layout: engine.Layout | None = None
        self.words = label("", wrap=True)
        self.reason = QLineEdit()
        self.reason.setPlaceholderText("why, for those who agree")
        self.reason.setAccessibleName("Why the draft is proposed")
        self.propose = button("Propose", "Let others agree to the draft", main=True)
        self.keep = button("Keep now", "Keep the draft as a change, without asking", link=True)
        self.drop = button("Throw away", "Show again what the library holds", link=True)
        self.compare = button("Compare", "Show what the draft changes", link=True)
        self.begin = button("Work on a draft", "Your edits stay with you until you propose or keep them", link=True)
        self._card = self._build()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self._card)
        column.addWidget(self.begin)
        self._connect()
        self.show_layout(None)

    def _build(self) -> QFrame:
        card = QFrame()
        card.setObjectName("card")
        column = QVBoxLayout(card)
        column.setContentsMargins(10, 8, 10, 8)
        title = label("Your draft")
        title.setFont(text_font(bold=True))
        head = QHBoxLayout()
        head.addWidget(title, 1)
        head.addWidget(self.compare)
        row = QHBoxLayout()
        for part in (self.propose, self.keep, self.drop):
            row.addWidget(part)
        row.addStretch(1)
        column.addLayout(head)
        column.addWidget(self.words)
        column.addWidget(self.reason)
        column.addLayout(row)
        return card

    def _connect(self) -> None:
        drafts = self._session.edits.drafts
        self.propose.clicked.connect(lambda: self._do(lambda key: drafts.propose(key, self.reason.text().strip())))
        self.reason.returnPressed.connect(self.propose.click)
        self.keep.clicked.connect(lambda: self._do(lambda key: drafts.keep(key, self.reason.text().strip())))
        self.drop.clicked.connect(lambda: self._do(drafts.drop))
        self.begin.clicked.connect(lambda: self._do(drafts.begin))
        self.compare.clicked.connect(self._compare)
        self._session.shared.proposals.changed.connect(lambda: self.show_layout(self._layout))

    def show_layout(self, layout: engine.Layout | None) -> None:
        """Show the draft of a layout, or offer to begin one."""
        self._layout = layout
        shared = self._session.shared
        edits = self._session.edits
        # of a release nothing can be edited
        layout = layout if not edits.release else None
        draft = edits.drafts.of(layout.id if layout is not None else None)
        self._card.setVisible(draft is not None)
        self.begin.setVisible(layout is not None and draft is None)
        if draft is None or layout is None:
            self.reason.clear()
            return
        now = self._session.edits.layout(layout.id)
        changed = draft.base is None or now != draft.base
        change = engine.describe_change(draft.base, now) if changed and now is not None else ""
        only = "Only you see it."
        self.words.setText(f"{change}. {only}" if change else f"Nothing is changed yet. {only}")
        rules = shared.proposals.rules
        self.keep.setVisible(rules is None or not rules.needed)
        for part in (self.propose, self.keep, self.compare):
            part.setEnabled(changed)

    def _do(self, call) -> None:  # type: ignore[no-untyped-def]
        if self._layout is not None:
            call(self._layout.id)

    def _compare(self) -> None:
        layout = self._layout
        draft = self._session.edits.drafts.of(layout.id if layout is not None else None)
        if layout is not None and draft is not None:
            now = self._session.edits.layout(layout.id)
            self.pair_wanted.emit(draft.base, now, (f"{layout.name}, as it was", "your draft"))


def pair_titles(proposal) -> tuple[str, str]:  # type: ignore[no-untyped-def]
    """Return what the two sides of a proposal are called."""
    return f"{proposal.name}, before", f"as {proposal.author} proposes"
