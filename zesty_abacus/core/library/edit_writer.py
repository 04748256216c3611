"""Writes edits into a library, one after another, each on top of what is kept there.

A writer belongs to the thread that writes. It remembers only what it wrote itself: an edit that is made before the
answer to the one before has arrived must still be put on top of it.
"""

from __future__ import annotations

import contextlib
from collections.abc import Sequence
from dataclasses import dataclass
from uuid import UUID

from ..errors import AbacusError
from ..layouts.model import Layout
from .errors import AgreementNeededError, ClashError, LibraryError, UnreachableError
from .layout_shelf import merge_onto
from .steps import Answer, Drafted, DraftInHand, EditStep, Kept, Proposed, Refused
from .store import Library
from .unsent import WaitingEdit, WaitingEdits


@dataclass(slots=True, eq=False)
class Request:
    """An edit to be written, and what was known when it was made.

    Attributes
    ----------
    kept, draft
        Of its layout.
    behind
        What else waits: written down with it if the library does not answer.
    answer
        None until it is written.
    """

    step: EditStep
    kept: Kept | None
    draft: DraftInHand | None
    behind: Sequence[WaitingEdit] = ()
    answer: Answer | None = None


class EditWriter:
    """Writes requests of one ledger, in order."""

    def __init__(self, library: Library, waiting: WaitingEdits) -> None:
        self.library = library
        self._waiting = waiting
        self._own: dict[UUID, Kept] = {}
        self._drafts: dict[UUID, DraftInHand] = {}
        self._is_away = False

    def write(self, request: Request, author: str, *, again: bool = False) -> Answer:
        """Write one edit; what prevents it is an answer, too, so that no edit is lost with an error.

        After a library did not answer, edits wait behind the one that could not be written, until one is tried
        ``again``: else a later edit would be kept before an earlier one.
        """
        if self._is_away and not again:
            answer: Answer = UnreachableError("the library does not answer.", where=str(self.library.address))
        else:
            answer = self._answer(request, author)
        self._is_away = isinstance(answer, UnreachableError)
        if self._is_away:
            # written down here, on this thread: the program may be gone before it hears of it. A disk that does not
            # take it is told when the answer arrives; the edit is still in memory
            with contextlib.suppress(AbacusError):
                self._waiting.keep([*request.behind, request.step.as_waiting()])
        request.answer = answer
        return answer

    def _answer(self, request: Request, author: str) -> Answer:
        step = request.step
        try:
            if step.is_draft or self._draft_of(request) is not None:
                return self._write_draft(request, author)
            try:
                return self._write(request, author)
            except AgreementNeededError:
                return self._write_draft(request, author)
        except (ClashError, UnreachableError) as error:
            return error
        except AbacusError as error:
            return Refused(str(error), self._newest(step.layout_id))

    def _newest(self, layout_id: UUID) -> Kept | None:
        """Return what the library holds of a layout whose edit it refused, if it says."""
        with contextlib.suppress(LibraryError):
            head = self.library.layouts.head_of(layout_id)
            if head is not None:
                return Kept.of(head)
            changes = self.library.layouts.history(layout_id)
            return Kept(changes[0].id, None) if changes else None
        return None

    def _kept_of(self, request: Request) -> Kept | None:
        own, known = self._own.get(request.step.layout_id), request.kept
        if own is None or (known is not None and known.revision >= own.revision):
            return known
        return own

    def _draft_of(self, request: Request) -> DraftInHand | None:
        return request.draft or self._drafts.get(request.step.layout_id)

    def _write(self, request: Request, author: str) -> Kept:
        step, kept = request.step, self._kept_of(request)
        parent = kept.revision if kept is not None else None
        if step.after is None:
            if parent is None:
                raise LibraryError("the library never had this layout.", where=str(self.library.address))
            revision = self.library.layouts.remove(step.layout_id, parent=parent, author=author, reason=step.reason)
            made = Kept(revision.id, None)
        else:
            layout = self._onto_kept(step, step.after, kept)
            made = Kept.of(self.library.layouts.commit_merged(layout, parent=parent, author=author, reason=step.reason))
        self._own[step.layout_id] = made
        return made

    def _onto_kept(self, step: EditStep, after: Layout, kept: Kept | None) -> Layout:
        """Return a step's layout on top of what the library holds, where that is not what the step began from.

        So it is when the edit before was merged with somebody's change, when it was refused, or when the step has
        waited for long.
        """
        if kept is None or kept.head is None or step.before is None or kept.head.state == step.before:
            return after
        return merge_onto(step.before, after, kept.head, str(self.library.address))

    # drafts

    def _write_draft(self, request: Request, author: str) -> Drafted | Proposed:
        step, kept = request.step, self._kept_of(request)
        draft = self._draft_of(request)
        if step.after is None and kept is not None and kept.head is not None and draft is None:
            return self.propose(step.layout_id, None, DraftInHand(kept.revision, kept.layout), author, step.reason)
        if draft is None:
            is_there = kept is not None and kept.head is not None
            draft = DraftInHand(kept.revision, kept.layout) if is_there and kept else DraftInHand(None, None)
        if step.after is None or step.after == draft.base:
            # nothing is left to keep; what is edited next, or done again, is for the draft all the same
            self.library.drafts.drop(step.layout_id, author=author)
            if step.after is None:
                self._drafts.pop(step.layout_id, None)
                return Drafted(None)
            self._drafts[step.layout_id] = draft
            return Drafted(draft)
        self.library.drafts.keep(step.after, parent=draft.parent, author=author, reason=step.reason)
        self._drafts[step.layout_id] = draft
        return Drafted(draft)

    def read_drafts(self, author: str) -> list[tuple[Layout, DraftInHand]]:
        """Return one's drafts with the state each began from."""
        found = []
        for draft in self.library.drafts.of(author):
            base = self.library.layouts.state_at(draft.parent) if draft.parent is not None else None
            found.append((draft.layout, DraftInHand(draft.parent, base)))
        return found

    def propose(self, layout_id: UUID, after: Layout | None, draft: DraftInHand, author: str, reason: str) -> Proposed:
        """Propose a change; it is a draft no more. In a talk of one's own that is open, it is proposed there."""
        shelf = self.library.proposals
        own = [one for one in shelf.of_layout(layout_id) if one.is_open and one.author == author]
        if own:
            shelf.propose_again(own[-1].id, after, parent=draft.parent, author=author, reason=reason)
        else:
            shelf.propose(layout_id, after, parent=draft.parent, author=author, reason=reason)
        if after is not None:
            self.drop_draft(layout_id, author)
        named = after or draft.base
        return Proposed(named.name if named is not None else str(layout_id))

    def keep_draft(self, layout: Layout, draft: DraftInHand, author: str, reason: str) -> Kept | ClashError:
        """Keep a draft at once, merged with what others kept; a clash is an answer, and the draft stays."""
        try:
            head = self.library.layouts.commit_merged(layout, parent=draft.parent, author=author, reason=reason)
        except ClashError as error:
            return error
        self._own[layout.id] = Kept.of(head)
        self.drop_draft(layout.id, author)
        return Kept.of(head)

    def drop_draft(self, layout_id: UUID, author: str) -> None:
        """Throw a draft away."""
        self.library.drafts.drop(layout_id, author=author)
        self._drafts.pop(layout_id, None)
