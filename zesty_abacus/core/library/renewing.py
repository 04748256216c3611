"""Puts a proposal on top of what others kept since, so that it can be agreed to as it will be kept."""

from __future__ import annotations

from uuid import UUID

from ..layouts.model import Layout
from .errors import LibraryError
from .layout_shelf import LayoutHead, merge_onto
from .proposals import Proposal
from .store import Library


def propose_on_newest(library: Library, proposal: UUID, *, author: str) -> bool:
    """Propose the same change of the newest state, in the same talk; who agreed before agrees anew.

    Returns
    -------
    bool
        Whether there was anything to do; a proposal that begins from the newest state is left as it is.

    Raises
    ------
    ClashError
        If somebody changed the same thing since; what is proposed then is for its author to choose.
    LibraryError
        If it is not one's own, or has ended.
    """
    known = library.proposals.get(proposal)
    newest = library.layouts.head_of(known.layout_id)
    parent = newest.revision.id if newest is not None else None
    if parent == known.parent:
        return False
    after = _on_top(known, newest, str(library.address))
    library.proposals.propose_again(proposal, after, parent=parent, author=author, reason=known.reason)
    return True


def _on_top(known: Proposal, newest: LayoutHead | None, where: str) -> Layout | None:
    if known.after is None or newest is None:
        return known.after
    if known.before is None:
        raise LibraryError("somebody else made this layout meanwhile.", where=where,
                           hint="Withdraw the proposal, and propose a change of theirs.")  # fmt: skip
    return merge_onto(known.before, known.after, newest, where)
