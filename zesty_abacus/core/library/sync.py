"""A working copy goes to sea and comes back: what changed here and at home is merged, layout by layout.

For each layout the copy remembers which of its revisions held the same state as which one at home. What only
one side changed since goes to the other; what both changed is merged there and comes back; a clash is left on
both sides as it is and told. A layout that one side removed and the other changed is kept.
"""

from __future__ import annotations

from dataclasses import dataclass, field
from uuid import UUID

import sqlalchemy as sa

from ..progress import Progress
from .errors import ClashError
from .store import Library, Revision
from .tables import met


@dataclass(slots=True)
class SyncReport:
    """What a meeting did, layouts by name.

    Attributes
    ----------
    taken
        From home into the copy.
    given
        From the copy to home.
    merged
        Changed on both sides, now one.
    clashed
        Sentences; both sides are as they were.
    """

    taken: list[str] = field(default_factory=list)
    given: list[str] = field(default_factory=list)
    merged: list[str] = field(default_factory=list)
    clashed: list[str] = field(default_factory=list)


def sync(copy: Library, home: Library, *, author: str, progress: Progress | None = None) -> SyncReport:
    """Bring a working copy and its home together.

    Every layout is a transaction of its own on each side, so a meeting that is cut off in the middle goes on
    the next time where it stopped.

    Raises
    ------
    LibraryError
        If one of them does not take what it is given.
    """
    meeting = _Meeting(copy, home, author)
    keys = meeting.layouts()
    for number, key in enumerate(keys):
        if progress is not None:
            progress.step(number / max(len(keys), 1), "bringing together")
        meeting.meet(key)
    return meeting.report


class _Meeting:
    def __init__(self, copy: Library, home: Library, author: str) -> None:
        self.copy, self.home, self.author = copy, home, author
        self.report = SyncReport()
        self._met = self._read_met()
        self._own = {head.layout.id: head for head in copy.heads()}
        self._theirs = {head.layout.id: head for head in home.heads()}

    def layouts(self) -> list[UUID]:
        """Return every layout that either side has, or that both had."""
        return sorted({*self._met, *self._own, *self._theirs})

    def meet(self, key: UUID) -> None:
        """Bring one layout together."""
        own, theirs, known = self._own.get(key), self._theirs.get(key), self._met.get(key)
        here_changed = known is None or (own.revision.id if own else None) != known[0]
        there_changed = known is None or (theirs.revision.id if theirs else None) != known[1]
        if own is not None and theirs is not None and own.layout == theirs.layout:
            self._remember(key, own.revision, theirs.revision)
        elif own is None and theirs is None:
            return
        elif theirs is not None and there_changed and (own is None or not here_changed):
            self._take(key)
        elif own is not None and here_changed and (theirs is None or not there_changed):
            self._give(key)
        elif own is None and theirs is not None:
            self._remove_there(key)
        elif theirs is None and own is not None:
            self._remove_here(key)
        else:
            self._merge(key)

    def _take(self, key: UUID) -> None:
        theirs, own = self._theirs[key], self._own.get(key)
        reason = f"{theirs.revision.author}: {theirs.revision.reason}"
        made = self.copy.commit(
            theirs.layout, parent=own.revision.id if own else None, author=theirs.revision.author, reason=reason
        )
        self._remember(key, made, theirs.revision)
        self.report.taken.append(theirs.layout.name)

    def _give(self, key: UUID) -> None:
        own, theirs = self._own[key], self._theirs.get(key)
        made = self.home.commit(
            own.layout, parent=theirs.revision.id if theirs else None, author=own.revision.author,
            reason=own.revision.reason,
        )  # fmt: skip
        self._remember(key, own.revision, made)
        self.report.given.append(own.layout.name)

    def _merge(self, key: UUID) -> None:
        own, known = self._own[key], self._met.get(key)
        if known is None:
            self.report.clashed.append(f"{own.layout.name}: both sides have one, and they never met.")
            return
        try:
            kept = self.home.commit_merged(own.layout, parent=known[1], author=self.author, reason=own.revision.reason)
        except ClashError as clash:
            self.report.clashed.append(f"{own.layout.name}: {clash.message}")
            return
        made = own.revision
        if kept.layout != own.layout:
            made = self.copy.commit(kept.layout, parent=own.revision.id, author=self.author,
                                    reason=kept.revision.reason)  # fmt: skip
        self._remember(key, made, kept.revision)
        self.report.merged.append(kept.layout.name)

    def _remove_there(self, key: UUID) -> None:
        theirs = self._theirs[key]
        self.home.remove(key, parent=theirs.revision.id, author=self.author)
        self.report.given.append(f"{theirs.layout.name}, removed")

    def _remove_here(self, key: UUID) -> None:
        own = self._own[key]
        self.copy.remove(key, parent=own.revision.id, author=self.author)
        self.report.taken.append(f"{own.layout.name}, removed")

    def _read_met(self) -> dict[UUID, tuple[int, int]]:
        query = sa.select(met).where(met.c.home_id == self.home.id)
        with self.copy.engine.connect() as connection:
            rows = connection.execute(query).all()
        return {UUID(row.layout_id): (row.own_revision, row.home_revision) for row in rows}

    def _remember(self, key: UUID, own: Revision, theirs: Revision) -> None:
        same = (met.c.home_id == self.home.id) & (met.c.layout_id == str(key))
        values = {"home_id": self.home.id, "layout_id": str(key), "own_revision": own.id, "home_revision": theirs.id}
        with self.copy.writing() as connection:
            connection.execute(sa.delete(met).where(same))
            connection.execute(sa.insert(met).values(values))
