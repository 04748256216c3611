"""Edits of layouts: shown at once, kept in the library one after another on a thread.

What is shown, and what has become of each edit, is in one ledger (:mod:`..core.library.ledger`), which belongs to the
interface thread; a writer on the library's thread hands back answers.
"""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine, laid
from .drafts import Drafts
from .edit_line import EditLine
from .jobs import Jobs
from .undo import Undo, Undoable

_TOLD_ONE_BY_ONE = 3
_Change = tuple["engine.Layout | None", "engine.Layout"]


class Edits(QObject):
    """The layouts as the user sees them.

    Attributes
    ----------
    release
        The release that is shown in the place of the newest state; empty for none.
    drafts
        Layouts that are edited as drafts.
    line
        What sends edits to the library.

    Events
    ------
    changed
        (ids) these layouts are others now; once for all that changed together.
    kept
        The library has taken an edit, so its history has grown.
    refused
        (sentence) an edit was not taken; the window shows what the library holds, with later edits on top.
    clashed
        (clash) somebody else changed the same thing; the edit is kept in the window until it is chosen.
    told
        (sentence) what others did, or what became of an edit.
    """

    changed = pyqtSignal(object)
    kept = pyqtSignal()
    refused = pyqtSignal(str)
    clashed = pyqtSignal(object)
    told = pyqtSignal(str)

    def __init__(self, jobs: Jobs, undo: Undo) -> None:
        super().__init__()
        self._undo = undo
        self._ledger: laid.Ledger | None = None
        self._pinned: dict[UUID, engine.Layout] | None = None
        self.release = ""
        self.line = EditLine(jobs)
        self.drafts = Drafts(jobs, self.line, self.may_edit)
        self.line.changed.connect(self.changed)
        self.line.answered.connect(self._on_answered)
        self.line.failed.connect(self.refused)
        self.drafts.shown.connect(self.changed)
        self.drafts.ended.connect(self._on_draft_ended)
        self.drafts.clashed.connect(self.clashed)
        self.drafts.told.connect(self.told)
        self.drafts.refused.connect(self.refused)

    def start(self, library: Any, heads: list[engine.LayoutHead]) -> None:
        """Begin with another library."""
        self._ledger = laid.Ledger(heads)
        self._undo.forget(lambda about: isinstance(about, frozenset))
        self.pin("", None)
        self.line.start(library, self._book)
        self.drafts.start(self._book)

    @property
    def _book(self) -> laid.Ledger:
        assert self._ledger is not None, "there are no edits before a library is open"
        return self._ledger

    # what is shown

    def pin(self, release: str, layouts: list[engine.Layout] | None) -> None:
        """Show the layouts of a release, which cannot be edited; None shows the newest state again."""
        self._pinned = {layout.id: layout for layout in layouts} if layouts is not None else None
        self.release = release if layouts is not None else ""

    def layouts(self) -> list[engine.Layout]:
        """Return all layouts as the window shows them."""
        if self._pinned is not None:
            return list(self._pinned.values())
        return self._ledger.layouts() if self._ledger is not None else []

    def layout(self, layout_id: UUID) -> engine.Layout | None:
        """Return a layout by its id."""
        if self._pinned is not None:
            return self._pinned.get(layout_id)
        return self._ledger.layout(layout_id) if self._ledger is not None else None

    def known(self) -> engine.Known:
        """Return all that frames are read by."""
        return engine.Known(self.layouts(), self.release)

    @property
    def number_waiting(self) -> int:
        """How many edits the library has not taken yet."""
        return len(self._book.open_steps()) if self._ledger is not None else 0

    # edits

    def may_edit(self) -> bool:
        """Return whether layouts can be edited now; if not, it is told why."""
        if self._pinned is not None:
            self.refused.emit(
                f"This trial is decoded with the release {self.release}, which never changes. To edit, choose the "
                "newest state among the releases of the library."
            )
        return self._pinned is None

    def change(self, after: engine.Layout, reason: str = "") -> bool:
        """Keep a changed or new layout; return whether it is an edit that is made."""
        return self.change_all([after], reason) == 1

    def change_all(self, layouts: list[engine.Layout], reason: str = "") -> int:
        """Keep changed or new layouts, taken back as one; return how many differ from what was there."""
        if not self.may_edit():
            return 0
        changes: list[_Change] = []
        for after in layouts:
            before = self._book.layout(after.id)
            if after.registers is not None and after.registers.window is not None:
                # an edit made on what one exchange shows of a register map, or the beginning of one
                after = engine.from_window(engine.begun_in(after) if before is None else before, after)
            if before != after:
                changes.append((before, after))
        if changes:
            said = [reason or engine.describe_change(*change) for change in changes]
            self._make([(after.id, after, words) for (_, after), words in zip(changes, said, strict=True)])
            self._undo.did(self._way_back(changes, said))
        return len(changes)

    def _way_back(self, changes: list[_Change], said: list[str]) -> Undoable:
        def move(*, back: bool) -> bool:
            if not self.may_edit():
                return False
            steps = []
            for (before, after), words in zip(changes, said, strict=True):
                was, to = (after, before) if back else (before, after)
                reason = f"undone: {words}" if back else words
                steps.append((after.id, self._onto_now(after.id, was, to), reason))
            self._make(steps)
            return True

        words = said[0] if len(said) == 1 else f"{len(said)} layouts changed"
        about = frozenset(after.id for _, after in changes)
        return Undoable(words, about, lambda: move(back=True), lambda: move(back=False))

    def _onto_now(self, layout_id: UUID, was: Any, to: Any) -> Any:
        """Return where a step back or on leads; what others changed since the edit stays."""
        now = self._book.layout(layout_id)
        if was is not None and to is not None and now is not None and now != was:
            return laid.merge_layouts(was, to, now).layout
        return to

    def _make(self, changes: list[tuple[UUID, engine.Layout | None, str]]) -> None:
        steps = [self._book.make(*change) for change in changes]
        self.changed.emit({step.layout_id for step in steps})
        for step in steps:
            self.line.send(step)

    # what became of them

    def _on_answered(self, step: laid.EditStep, answer: Any) -> None:
        if isinstance(answer, laid.ClashError):
            self.clashed.emit(answer)
            return
        if isinstance(answer, laid.Refused):
            self._forget_way_back(step.layout_id)
            self.refused.emit(answer.sentence)
            return
        if isinstance(answer, laid.Proposed):
            self._forget_way_back(step.layout_id)
            self.told.emit(f"Removing {answer.name} is proposed; it happens when others agree.")
            self.drafts.changed.emit()
        elif isinstance(answer, laid.Drafted):
            if answer.draft is not None and not step.is_draft:
                self.told.emit(
                    "Others agree to changes of this library: your edit is a draft. Propose it when it is ready."
                )
            self.drafts.changed.emit()
        elif step.after is not None and answer.layout != step.after and not self._book.open_steps(step.layout_id):
            self.told.emit(f"{answer.head.state.name}: {answer.head.revision.reason}.")
        self.kept.emit()

    def _forget_way_back(self, layout_id: UUID) -> None:
        self._undo.forget(lambda about: isinstance(about, frozenset) and layout_id in about)

    def _on_draft_ended(self, layout_id: UUID) -> None:
        self._forget_way_back(layout_id)
        self.kept.emit()

    def choose(self, layout: engine.Layout, theirs: engine.LayoutHead) -> None:
        """Keep what was chosen of a clash, as a change of the newest state."""
        words = f"chosen after a clash: {engine.describe_change(theirs.state, layout)}"
        step = self._book.choose(layout, theirs, words)
        self.changed.emit({layout.id})
        if step.is_draft:
            # it was a draft that was to be kept
            self._book.take(step, laid.Drafted(self._book.drafts[layout.id]))
            self.drafts.keep(layout.id)
        else:
            self.line.send(step)

    def take_news(self, heads: list[engine.LayoutHead], removed: dict[UUID, int]) -> None:
        """Show what others kept, with the own edits that are open, and the own drafts, on top.

        Parameters
        ----------
        removed
            Layouts that are gone, and the revision that removed each.
        """
        book = self._book
        news = [head for head in heads if book.is_news(head)]
        names = {key: layout.name for key in removed if (layout := book.layout(key)) is not None}
        changed = book.learn(heads, removed)
        if changed:
            self.changed.emit(changed)
        said = [f"{one.revision.author} changed {one.state.name}: {one.revision.reason}." for one in news]
        said += [f"{names[key]} was removed." for key in names if key in changed and book.layout(key) is None]
        if len(said) > _TOLD_ONE_BY_ONE:
            authors = ", ".join(dict.fromkeys(one.revision.author for one in news))
            said = [f"{len(said)} layouts were changed{f' by {authors}' if authors else ''}."]
        for sentence in said:
            self.told.emit(sentence)
        if heads or removed:
            self.kept.emit()
