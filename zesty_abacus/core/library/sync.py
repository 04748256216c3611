"""A working copy goes to sea and comes back: what changed here and at home is merged, thing by thing.

For each layout, recipe and document the copy remembers which of its revisions held the same state as which one at
home. What only one side changed since goes to the other. A layout that both changed is merged at home and comes
back; a clash is left on both sides as it is and told, and so is anything else that both changed. What one side
removed and the other changed is kept. Where changes are agreed first, what the copy brings home is proposed there.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any
from uuid import UUID

import sqlalchemy as sa

from ..progress import Progress
from .errors import AgreementNeededError, ClashError, InvalidLayoutError
from .layout_shelf import LayoutShelf, merge_onto
from .shelf import Head, Shelf
from .store import Library
from .tables import met


@dataclass(slots=True)
class SyncReport:
    """What a meeting did, things by name.

    Attributes
    ----------
    taken
        From home into the copy.
    given
        From the copy to home.
    merged
        Changed on both sides, now one.
    proposed
        Brought home as a proposal that waits for agreement.
    clashed
        Sentences; both sides are as they were.
    """

    taken: list[str] = field(default_factory=list)
    given: list[str] = field(default_factory=list)
    merged: list[str] = field(default_factory=list)
    proposed: list[str] = field(default_factory=list)
    clashed: list[str] = field(default_factory=list)


def sync(copy: Library, home: Library, *, author: str, progress: Progress | None = None) -> SyncReport:
    """Bring a working copy and its home together.

    Everything is a transaction of its own on each side, so a meeting that is cut off in the middle goes on
    the next time where it stopped.

    Raises
    ------
    LibraryError
        If one of them does not take what it is given.
    """
    memory = _Memory(copy, home.id)
    report = SyncReport()
    meetings: list[_Meeting] = [_LayoutMeeting(copy.layouts, home, author, memory, report)]
    for word, shelf in (("recipe", "recipes"), ("moments", "moments"), ("condition", "conditions"),
                        ("recording", "recordings"), ("rehearsal", "rehearsals"),
                        ("claim", "claims"), ("comment", "comments")):  # fmt: skip
        meetings.append(_Meeting(getattr(copy, shelf), getattr(home, shelf), word, author, memory, report))
    keys = [(meeting, key) for meeting in meetings for key in meeting.things()]
    for number, (meeting, key) in enumerate(keys):
        if progress is not None:
            progress.step(number / len(keys), "bringing together")
        meeting.meet(key)
    return report


class _Memory:
    """What the copy remembers of its home: (own revision, home's revision) of each thing that was the same."""

    def __init__(self, copy: Library, home_id: str) -> None:
        self._copy, self._home_id = copy, home_id
        query = sa.select(met).where(met.c.home_id == home_id)
        with copy.engine.connect() as connection:
            rows = connection.execute(query).all()
        self.known = {UUID(row.item_id): (row.own_revision, row.home_revision) for row in rows}

    def keep(self, key: UUID, own: int, theirs: int) -> None:
        if self.known.get(key) == (own, theirs):
            return
        same = (met.c.home_id == self._home_id) & (met.c.item_id == str(key))
        values = {"home_id": self._home_id, "item_id": str(key), "own_revision": own, "home_revision": theirs}
        with self._copy.writing() as connection:
            connection.execute(sa.delete(met).where(same))
            connection.execute(sa.insert(met).values(values))


class _Meeting:
    """The things of one sort on both sides."""

    def __init__(self, copy: Shelf, home: Shelf, sort: str, author: str, memory: _Memory, report: SyncReport) -> None:
        self.copy, self.home, self.author = copy, home, author
        self.memory, self.report = memory, report
        self._sort = sort
        self._own: dict[UUID, Head] = {head.state.id: head for head in copy.heads()}
        self._theirs: dict[UUID, Head] = {head.state.id: head for head in home.heads()}

    def things(self) -> list[UUID]:
        """Return everything that either side has; what both removed needs no meeting."""
        return sorted({*self._own, *self._theirs})

    def meet(self, key: UUID) -> None:
        """Bring one thing together."""
        own, theirs, known = self._own.get(key), self._theirs.get(key), self.memory.known.get(key)
        here_changed = known is None or (own.revision.id if own else None) != known[0]
        there_changed = known is None or (theirs.revision.id if theirs else None) != known[1]
        if own is not None and theirs is not None and own.state == theirs.state:
            self.memory.keep(key, own.revision.id, theirs.revision.id)
        elif theirs is not None and there_changed and (own is None or not here_changed):
            self._take(own, theirs)
        elif own is not None and here_changed and (theirs is None or not there_changed):
            self._give(own, theirs)
        elif own is None and theirs is not None:
            self._remove_there(theirs)
        elif theirs is None and own is not None:
            self._remove_here(own)
        elif own is not None and theirs is not None:
            self._both_changed(own, theirs, known)

    def _called(self, state: Any) -> str:
        return f"{self._sort} {state.name}".strip()

    def _take(self, own: Head | None, theirs: Head) -> None:
        change = theirs.revision
        made = self.copy.commit(
            theirs.state, parent=own.revision.id if own else None, author=change.author,
            reason=f"{change.author}: {change.reason}",
        )  # fmt: skip
        self.memory.keep(theirs.state.id, made.id, change.id)
        self.report.taken.append(self._called(theirs.state))

    def _give(self, own: Head, theirs: Head | None) -> None:
        made = self.home.commit(
            own.state, parent=theirs.revision.id if theirs else None, author=own.revision.author,
            reason=own.revision.reason,
        )  # fmt: skip
        self.memory.keep(own.state.id, own.revision.id, made.id)
        self.report.given.append(self._called(own.state))

    def _both_changed(self, own: Head, theirs: Head, _known: tuple[int, int] | None) -> None:
        self.report.clashed.append(f"{self._called(own.state)}: {theirs.revision.author} changed it too.")

    def _remove_there(self, theirs: Head) -> None:
        self.home.remove(theirs.state.id, parent=theirs.revision.id, author=self.author)
        self.report.given.append(f"{self._called(theirs.state)}, removed")

    def _remove_here(self, own: Head) -> None:
        self.copy.remove(own.state.id, parent=own.revision.id, author=self.author)
        self.report.taken.append(f"{self._called(own.state)}, removed")


class _LayoutMeeting(_Meeting):
    """Layouts are merged, and proposed where home keeps only what was agreed."""

    def __init__(self, copy: LayoutShelf, home: Library, author: str, memory: _Memory, report: SyncReport) -> None:
        super().__init__(copy, home.layouts, "", author, memory, report)
        self._library = home

    def meet(self, key: UUID) -> None:
        try:
            super().meet(key)
        except InvalidLayoutError as error:
            # kept by an earlier version of the program; the others come together all the same
            self.report.clashed.append(str(error))

    def _give(self, own: Head, theirs: Head | None) -> None:
        try:
            super()._give(own, theirs)
        except AgreementNeededError:
            self._propose(own.state.id, own, theirs.revision.id if theirs else None, own.revision.reason)

    def _remove_there(self, theirs: Head) -> None:
        try:
            super()._remove_there(theirs)
        except AgreementNeededError:
            self._propose(theirs.state.id, None, theirs.revision.id, f"{theirs.state.name} removed")

    def _both_changed(self, own: Head, theirs: Head, known: tuple[int, int] | None) -> None:
        name = own.state.name
        if known is None:
            self.report.clashed.append(f"{name}: both sides have one, and they never met.")
            return
        try:
            both = merge_onto(self.home.state_at(known[1]), own.state, theirs, str(self._library.address))
            if both == theirs.state:
                # what the copy changed is there already
                self._take(own, theirs)
                return
            kept = self._library.layouts.commit_merged(
                own.state, parent=known[1], author=self.author, reason=own.revision.reason
            )
        except ClashError as clash:
            self.report.clashed.append(f"{name}: {clash.message}")
            return
        except AgreementNeededError:
            self._propose(own.state.id, own, known[1], own.revision.reason)
            return
        made = own.revision
        if kept.state != own.state:
            made = self.copy.commit(kept.state, parent=made.id, author=self.author, reason=kept.revision.reason)
        self.memory.keep(kept.state.id, made.id, kept.revision.id)
        self.report.merged.append(name)

    def _propose(self, key: UUID, own: Head | None, parent: int | None, reason: str) -> None:
        """Propose at home what the copy has, unless that waits there already."""
        after = own.state if own is not None else None
        waiting = [one for one in self._library.proposals.of_layout(key) if one.is_open and one.after == after]
        if not waiting:
            self._library.proposals.propose(key, after, parent=parent, author=self.author, reason=reason)
        known = after if after is not None else self._theirs[key].state
        self.report.proposed.append(known.name)


def bring_together(where: str, home: Library, author: str, progress: Progress) -> SyncReport:
    """Bring a working copy, which is made if it is not there, and its home together."""
    path = Path(where).expanduser()
    copy = Library.open(path) if path.exists() else Library.create(path, f"{home.name}, working copy")
    try:
        return sync(copy, home, author=author, progress=progress)
    finally:
        copy.close()


def remember(copy: Library, home_id: str, pairs: Iterable[tuple[UUID, int, int]]) -> None:
    """Let a copy know which of its revisions hold the same state as which ones at home.

    Parameters
    ----------
    pairs
        The id of a thing, its revision in the copy, and that at home.
    """
    memory = _Memory(copy, home_id)
    for key, own, theirs in pairs:
        memory.keep(key, own, theirs)
