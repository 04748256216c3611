"""Drafts: edits that only their author sees, until they are proposed, kept, or thrown away."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine, laid
from .edit_line import EditLine
from .jobs import Jobs


class Drafts(QObject):
    """The drafts of a ledger.

    Events
    ------
    changed
        A draft began, or ended.
    shown
        (ids) these layouts are shown otherwise by that.
    ended
        (layout id) a draft is a draft no more: its edits cannot be taken back.
    clashed
        (clash) somebody else changed the same thing as a draft that was to be kept.
    told, refused
        (sentence) what became of one.
    """

    changed = pyqtSignal()
    shown = pyqtSignal(object)
    ended = pyqtSignal(object)
    clashed = pyqtSignal(object)
    told = pyqtSignal(str)
    refused = pyqtSignal(str)

    def __init__(self, jobs: Jobs, line: EditLine, may_edit: Callable[[], bool]) -> None:
        super().__init__()
        self._jobs, self._line, self._may_edit = jobs, line, may_edit
        self._ledger: laid.Ledger | None = None

    def start(self, ledger: laid.Ledger) -> None:
        """Begin with another library, and show the drafts that lie in it from earlier."""
        self._ledger = ledger
        writer, author = self._line.writer, self._line.author
        assert writer is not None

        def show(found: Any) -> None:
            if ledger is not self._ledger:
                return
            shown = ledger.take_drafts(found)
            if shown:
                self.shown.emit(shown)
            if found:
                self.changed.emit()

        self._jobs.start("drafts", "reading drafts", lambda _progress: writer.read_drafts(author), show,
                         lambda _sentence: None, in_line=True)  # fmt: skip

    def of(self, layout_id: UUID | None) -> laid.DraftInHand | None:
        """Return the draft of a layout that is being worked on, None if there is none."""
        if layout_id is None or self._ledger is None:
            return None
        return self._ledger.drafts.get(layout_id)

    def begin(self, layout_id: UUID) -> None:
        """Let further edits of a layout go into a draft that only its author sees."""
        assert self._ledger is not None
        if self._may_edit():
            self._ledger.begin_draft(layout_id)
            self.changed.emit()

    def propose(self, layout_id: UUID, reason: str) -> None:
        """Propose the draft of a layout; the window shows what is kept again."""
        writer, author = self._line.writer, self._line.author
        assert writer is not None
        self._end(layout_id, "proposing", reason, lambda layout, draft, said: writer.propose(
            layout_id, layout, draft, author, said))  # fmt: skip

    def keep(self, layout_id: UUID, reason: str = "") -> None:
        """Keep the draft of a layout at once, where the rules allow it."""
        writer, author = self._line.writer, self._line.author
        assert writer is not None
        self._end(layout_id, "keeping the draft", reason, lambda layout, draft, said: writer.keep_draft(
            layout, draft, author, said))  # fmt: skip

    def drop(self, layout_id: UUID) -> None:
        """Throw the draft of a layout away."""
        writer, author = self._line.writer, self._line.author
        assert writer is not None
        self._end(layout_id, "throwing the draft away", "dropped", lambda _layout, _draft, _said: writer.drop_draft(
            layout_id, author))  # fmt: skip

    def _end(self, layout_id: UUID, title: str, reason: str, work: Callable[[Any, Any, str], Any]) -> None:
        ledger = self._ledger
        assert ledger is not None
        layout, draft = ledger.layout(layout_id), ledger.drafts[layout_id]
        assert layout is not None, "a draft shows a layout"
        said = reason or engine.describe_change(draft.base, layout)

        def done(answer: Any) -> None:
            if ledger is self._ledger:
                self._on_ended(layout_id, answer)

        self._jobs.start("draft", title, lambda _progress: work(layout, draft, said), done, self.refused.emit,
                         in_line=True)  # fmt: skip

    def _on_ended(self, layout_id: UUID, answer: Any) -> None:
        ledger = self._ledger
        assert ledger is not None
        if isinstance(answer, laid.ClashError):
            self.clashed.emit(answer)
            return
        shown = ledger.end_draft(layout_id, answer.head if isinstance(answer, laid.Kept) else None)
        self.ended.emit(layout_id)
        self.changed.emit()
        if shown:
            self.shown.emit(shown)
        if isinstance(answer, laid.Proposed):
            self.told.emit(f"The change of {answer.name} is proposed; it is kept when others agree.")
