"""The history of a layout: who, when, why, and what changed; any state can be restored.

Above it stands what is on its way, and what was said.
"""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout

from ...app.session import Session
from ...around.agreement import AgreementSection
from ...around.talk import TalkSection
from ...widgets.parts import Panel, hairline, label, let_go
from ...widgets.when_shown import WhenShown
from ...widgets.words import counted
from .history_entry import Change, HistoryEntry, changes_of

_SHOWN = 60


class HistoryPanel(Panel):
    """Changes of the layout in hand, newest first.

    Events
    ------
    compare_wanted
        (layout, when) a state is to be shown beside the newest.
    """

    compare_wanted = pyqtSignal(object, str)

    def __init__(self, session: Session) -> None:
        super().__init__("History")
        self._session = session
        self.changes: list[Change] = []
        self._layout_id: Any = None
        self.author = QLineEdit()
        self.author.setAccessibleName("Your changes are kept as")
        self.author.setToolTip("The name in the history of what you change from now on")
        self.author.setMaxLength(80)
        self.author.editingFinished.connect(self._take_author)
        row = QHBoxLayout()
        row.addWidget(label("you are", "section"))
        row.addWidget(self.author, 1)
        self.body.addLayout(row)
        self.body.addWidget(hairline())
        self.agreement = AgreementSection(session)
        self.talk = TalkSection(session)
        self.body.addWidget(self.agreement)
        self.body.addWidget(self.talk)
        self._below_talk = hairline()
        self.body.addWidget(self._below_talk)
        self._list = QVBoxLayout()
        self._list.setSpacing(5)
        self._hint = label("Choose a message with a layout to see who changed it, when and why.", "quiet", wrap=True)
        self._shown: dict[Change, HistoryEntry] = {}
        self.body.addWidget(self._hint)
        self.body.addLayout(self._list)
        self.body.addStretch(1)
        refresh = WhenShown(self, self.refresh).refresh
        for event in (session.edits.kept, session.opened, session.in_hand.changed, session.shared.seen):
            event.connect(refresh)
        refresh()

    def refresh(self) -> None:
        """Read the history again, on a thread."""
        session = self._session
        layout = session.in_hand.layout
        self._layout_id = layout.id if layout is not None else None
        self.author.setText(session.edits.line.author)
        self.agreement.show_layout(layout)
        self.talk.show_about(self._layout_id)
        # without a layout nothing is drawn of them, and no lines between nothing
        for part in (self.agreement, self._below_talk):
            part.setVisible(layout is not None)
        if layout is None:
            self._show([])
            return
        library, layout_id = session.library, layout.id

        def work(_progress: Any) -> Any:
            revisions = library.layouts.history(layout_id)[:_SHOWN]
            states = [None if item.removed else library.layouts.state_at(item.id) for item in revisions]
            return changes_of(revisions, states)

        session.jobs.start("history", "reading the history", work, self._show)

    def _take_author(self) -> None:
        # leaving the entry takes nothing over that was not typed into it
        if self._session.capture is not None and self.author.isModified():
            self._session.set_author(self.author.text())
            self.author.setText(self._session.edits.line.author)

    def _show(self, changes: list[Change]) -> None:
        self.changes = changes
        self.note.setText(counted(len(changes), "change") if changes else "")
        self._hint.setVisible(not changes)
        # mostly one has come on top: to make all others anew would take longer than the change itself
        for change in self._shown.keys() - set(changes):
            let_go(self._shown.pop(change))
        for number, change in enumerate(changes):
            if change not in self._shown:
                self._shown[change] = HistoryEntry(change, self.restore, self._compare)
                self._list.insertWidget(number, self._shown[change])

    def restore(self, change: Change) -> None:
        """Make the state after a change the newest again, as a change of its own."""
        assert change.layout is not None
        self._session.edits.change(change.layout, f"restored the state of {change.when}")

    def _compare(self, change: Change) -> None:
        self.compare_wanted.emit(change.layout, change.when)
