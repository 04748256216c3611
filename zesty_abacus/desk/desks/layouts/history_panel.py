"""The history of a layout: who, when, why, and what changed; any state can be restored.

Above it stands what is on its way, and what was said.
"""

from __future__ import annotations

from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QHBoxLayout, QLineEdit, QVBoxLayout, QWidget

from ...app.doors import engine
from ...app.session import Session
from ...around.agreement import AgreementSection
from ...around.talk import TalkSection
from ...widgets.parts import Panel, button, clear_layout, hairline, label
from ...widgets.theme import TINY_PX, figure_font, text_font
from ...widgets.words import when_text
from ...widgets.wrapping import WrappingRow

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
        self.entries: list[tuple[engine.Revision, engine.Layout | None]] = []
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
        self.body.addLayout(self._list)
        self.body.addStretch(1)
        session.edits.kept.connect(self.refresh)
        session.opened.connect(self.refresh)
        session.kind_changed.connect(self.refresh)
        session.shared.seen.connect(self.refresh)

    def refresh(self) -> None:
        """Read the history again, on a thread."""
        session = self._session
        layout = session.reading.layout_of(session.kind) if session.capture is not None else None
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
            return [(item, None if item.removed else library.layouts.state_at(item.id)) for item in revisions]

        session.jobs.start("history", "reading the history", work, self._show)

    def _take_author(self) -> None:
        # leaving the entry takes nothing over that was not typed into it
        if self._session.capture is not None and self.author.isModified():
            self._session.set_author(self.author.text())
            self.author.setText(self._session.edits.line.author)

    def _show(self, entries: list[tuple[engine.Revision, engine.Layout | None]]) -> None:
        self.entries = entries
        self.note.setText(f"{len(entries)} change{'s' if len(entries) != 1 else ''}" if entries else "")
        clear_layout(self._list)
        if not entries:
            text = "Choose a message with a layout to see who changed it, when and why."
            self._list.addWidget(label(text, "quiet", wrap=True))
        for number, (revision, layout) in enumerate(entries):
            before = entries[number + 1][1] if number + 1 < len(entries) else None
            self._list.addWidget(self._entry(revision, layout, before, is_newest=number == 0))
            self._list.addWidget(hairline())

    def _entry(
        self, revision: engine.Revision, layout: engine.Layout | None, before: engine.Layout | None, *, is_newest: bool
    ) -> QWidget:
        entry = QWidget()
        column = QVBoxLayout(entry)
        column.setContentsMargins(0, 2, 0, 4)
        column.setSpacing(3)
        what, _, why = revision.reason.partition(": ")
        headline = label(what if why else revision.reason, wrap=True)
        headline.setFont(text_font(bold=True))
        column.addWidget(headline)
        if why:
            column.addWidget(label(why, wrap=True))
        column.addWidget(label(f"{revision.author} · {when_text(revision.time)}", "quiet"))
        change = engine.describe_change(before, layout) if layout is not None and before is not None else ""
        if change and change not in revision.reason:
            detail = label(change, "quiet", wrap=True)
            detail.setFont(figure_font(TINY_PX))
            column.addWidget(detail)
        if not is_newest and layout is not None:
            row = WrappingRow(8)
            restore = button("Restore", "Make this state the newest again, as a change of its own", link=True)
            restore.clicked.connect(lambda: self._restore(revision, layout))
            compare = button("Compare with now", "Show this state beside the newest, in beads and words", link=True)
            when = when_text(revision.time)
            compare.clicked.connect(lambda: self.compare_wanted.emit(layout, when))
            row.addWidget(compare)
            row.addWidget(restore)
            column.addLayout(row)
        return entry

    def _restore(self, revision: engine.Revision, layout: engine.Layout) -> None:
        self._session.edits.change(layout, f"restored the state of {when_text(revision.time)}")
