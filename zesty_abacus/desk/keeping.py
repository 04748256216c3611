"""Writes edits into the library, one after another, each on top of what is kept there.

Everything here runs on the library's thread; the window hears of it by the answers.
"""

from __future__ import annotations

import contextlib
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any
from uuid import UUID

from ..core.errors import AbacusError

if TYPE_CHECKING:
    from . import engine as heavy


@dataclass(frozen=True, slots=True)
class EditStep:
    """One edit: a layout before and after; None where it did not exist; whether it is for a draft only."""

    layout_id: UUID
    before: heavy.Layout | None
    after: heavy.Layout | None
    reason: str
    draft: bool = False


def as_waiting(step: EditStep) -> tuple[Any, ...]:
    """Return what is written down of a step that waits."""
    return step.layout_id, step.before, step.after, step.reason, step.draft


@dataclass(frozen=True, slots=True)
class DraftInHand:
    """A draft: the revision and the state it began from; None for a new layout."""

    parent: int | None
    base: heavy.Layout | None


@dataclass(frozen=True, slots=True)
class Drafted:
    """Answer: the edit is in a draft; None if the draft was of a new layout that is gone again."""

    draft: DraftInHand | None


@dataclass(frozen=True, slots=True)
class Proposed:
    """Answer: the change waits for others to agree."""

    name: str


class Keeper:
    """What the library is known to hold, and the writing.

    Attributes
    ----------
    parents
        The newest revision of each layout that is known.
    kept
        What the library holds of each; None where it was removed.
    drafts
    """

    def __init__(self, engine: Any, library: Any, heads: list[heavy.LayoutHead], waiting: Any) -> None:
        self._laid, self.library = engine.laid, library
        self._waiting = waiting
        self._not_kept: list[EditStep] = []
        self.drafts: dict[UUID, DraftInHand] = {}
        self.take(heads)

    def take(self, heads: list[heavy.LayoutHead]) -> None:
        """Know only this of the library."""
        self.parents: dict[UUID, int | None] = {head.layout.id: head.revision.id for head in heads}
        self.kept: dict[UUID, heavy.LayoutHead | None] = {head.layout.id: head for head in heads}

    def learn(self, head: heavy.LayoutHead) -> None:
        """Know a newer state of a layout."""
        self.parents[head.layout.id], self.kept[head.layout.id] = head.revision.id, head

    def forget(self, layout_id: UUID, revision: int) -> None:
        """Know that a layout was removed."""
        self.parents[layout_id], self.kept[layout_id] = revision, None

    def begin_draft(self, layout_id: UUID) -> DraftInHand:
        """Let further edits of a layout go into a draft."""
        kept = self.kept.get(layout_id)
        draft = DraftInHand(self.parents.get(layout_id) if kept else None, kept.layout if kept else None)
        return self.drafts.setdefault(layout_id, draft)

    def rebase_draft(self, head: heavy.LayoutHead) -> DraftInHand:
        """Let a draft begin from the newest state, with which it was brought together."""
        draft = DraftInHand(head.revision.id, head.layout)
        self.drafts[head.layout.id] = draft
        return draft

    def read_drafts(self, author: str) -> list[tuple[heavy.Layout, DraftInHand]]:
        """Return one's drafts with the state each began from."""
        found = []
        for draft in self.library.drafts.of(author):
            base = self.library.layout_at(draft.parent) if draft.parent is not None else None
            found.append((draft.layout, DraftInHand(draft.parent, base)))
        return found

    def write(self, step: EditStep, author: str) -> Any:
        """Write one edit.

        A clash and a library that does not answer are answers too: the edit is not lost with them.
        """
        try:
            answer = self._answer(step, author)
        except Exception:
            self._not_kept.append(step)
            raise
        if isinstance(answer, self._laid.ClashError):
            self._not_kept.append(step)
        return answer

    def keep_unheard(self, unheard: list[EditStep], undecided: list[EditStep]) -> None:
        """Write down what was refused, or clashed, and nobody is left to hear of: it comes up the next time.

        Raises
        ------
        FileError
            If the disk does not take it.
        """
        for step in [*self._not_kept, *undecided]:
            if any(step is one for one in (*unheard, *undecided)):
                self._waiting.add(self._laid.WaitingEdit(*as_waiting(step)))

    def _note(self, step: EditStep) -> None:
        # a disk that does not take it is told when the answer arrives; the edit is still in the window
        with contextlib.suppress(AbacusError):
            self._waiting.add(self._laid.WaitingEdit(*as_waiting(step)))

    def _answer(self, step: EditStep, author: str) -> Any:
        laid = self._laid
        try:
            if step.draft or step.layout_id in self.drafts:
                return self._write_draft(step, author)
            try:
                return self._write(step, author)
            except laid.AgreementNeededError:
                return self._write_draft(step, author)
        except laid.ClashError as error:
            return error
        except laid.UnreachableError as error:
            # written down here, on this thread: the window may be gone before it hears of it
            self._note(step)
            return error

    def _write(self, step: EditStep, author: str) -> Any:
        parent = self.parents.get(step.layout_id)
        if step.after is None:
            revision = self.library.remove(step.layout_id, parent=parent, author=author, reason=step.reason)
            self.forget(step.layout_id, revision.id)
            return revision
        head = self.library.commit_merged(
            self._onto_kept(step, step.after), parent=parent, author=author, reason=step.reason
        )
        self.learn(head)
        return head

    def _onto_kept(self, step: EditStep, after: heavy.Layout) -> heavy.Layout:
        """Return a step's layout on top of what the library holds, where that is not what the step began from.

        So it is when the edit before was merged with somebody's change, or when the step has waited for long.
        """
        kept = self.kept.get(step.layout_id)
        if kept is None or step.before is None or kept.layout == step.before:
            return after
        return self._laid.merge_onto(step.before, after, kept, str(self.library.address))

    def _write_draft(self, step: EditStep, author: str) -> Drafted | Proposed:
        known = self.kept.get(step.layout_id)
        if step.after is None and known is not None and step.layout_id not in self.drafts:
            return self._propose(
                step.layout_id, None, DraftInHand(known.revision.id, known.layout), author, step.reason
            )
        draft = self.begin_draft(step.layout_id)
        if step.after is None or step.after == draft.base:
            # nothing is left to keep; what is edited next, or done again, is for the draft all the same
            self.library.drafts.drop(step.layout_id, author=author)
            if step.after is None:
                del self.drafts[step.layout_id]
                return Drafted(None)
            return Drafted(draft)
        self.library.drafts.keep(step.after, parent=draft.parent, author=author, reason=step.reason)
        return Drafted(draft)

    # what becomes of a draft

    def propose(self, layout: heavy.Layout, author: str, reason: str) -> Proposed:
        """Propose a draft; it is a draft no more. In a talk of one's own that is open, it is proposed there."""
        draft = self.drafts[layout.id]
        made = self._propose(layout.id, layout, draft, author, reason)
        self.drop_draft(layout.id, author)
        return made

    def _propose(
        self, layout_id: UUID, after: heavy.Layout | None, draft: DraftInHand, author: str, reason: str
    ) -> Proposed:
        shelf = self.library.proposals
        own = [one for one in shelf.of_layout(layout_id) if one.is_open and one.author == author]
        if own:
            shelf.propose_again(own[-1].id, after, parent=draft.parent, author=author, reason=reason)
        else:
            shelf.propose(layout_id, after, parent=draft.parent, author=author, reason=reason)
        named = after or draft.base
        return Proposed(named.name if named is not None else str(layout_id))

    def keep_draft(self, layout: heavy.Layout, author: str, reason: str) -> Any:
        """Keep a draft at once, merged with what others kept; a clash is an answer, and the draft stays."""
        draft = self.drafts[layout.id]
        try:
            head = self.library.commit_merged(layout, parent=draft.parent, author=author, reason=reason)
        except self._laid.ClashError as error:
            return error
        self.learn(head)
        self.drop_draft(layout.id, author)
        return head

    def drop_draft(self, layout_id: UUID, author: str) -> None:
        """Throw a draft away."""
        self.library.drafts.drop(layout_id, author=author)
        self.drafts.pop(layout_id, None)
