"""Changes that others agree to before they are kept, and the rules of a library about that.

A proposal is a line of events that is only ever added to: proposed, replied, agreed, sent back, withdrawn, kept.
What is proposed, and how far it is, follows from them. The database itself refuses a change that was not agreed
where the rules ask for it, an agreement to one's own proposal, and one by somebody who may not agree.
"""

from __future__ import annotations

import enum
from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import msgspec
import sqlalchemy as sa

from ..layouts.json_form import layout_to_json
from ..layouts.model import Layout
from .access import Access
from .damage import uuid_of
from .errors import DamagedEntryError, LibraryError, OwnChangeError, UnknownLayoutError
from .gates.base import ProposalStep
from .history import layout_in
from .keepable import check_keepable
from .signing import moment
from .tables import proposal_event, revision, rule

_UNREADABLE = "nobody (the rules cannot be read)"
ALWAYS_NEEDED = 1
"""Others that must agree to a proposal, also where the library would take the change without."""


class Step(enum.Enum):
    """What happened to a proposal."""

    PROPOSED = "proposed"
    REPLIED = "replied"
    AGREED = "agreed"
    SENT_BACK = "sent back"
    WITHDRAWN = "withdrawn"
    KEPT = "kept"


_ENDS = (Step.WITHDRAWN, Step.KEPT)


class Rules(msgspec.Struct, frozen=True):
    """What a library asks for before it keeps a change.

    Attributes
    ----------
    needed
        How many others must agree; 0 lets everybody who may write keep changes at once.
    agreed_by
        Who may agree: logins or roles on a server, names in a file; anybody else if empty.
    """

    needed: int = 0
    agreed_by: tuple[str, ...] = ()

    def words(self) -> str:
        """Return the rules as a sentence."""
        if not self.needed:
            return "Changes are kept at once."
        who = f" of {', '.join(self.agreed_by)}" if self.agreed_by else ""
        others = "one other person" if self.needed == 1 else f"{self.needed} other people"
        return f"Changes are kept when {others}{who} agree{'s' if self.needed == 1 else ''}."


@dataclass(frozen=True, slots=True)
class Event:
    """One thing that happened to a proposal: what, who, when (UTC), what they said, and whom the server knew them as.

    In a file ``login`` is the name again. ``agreed_to`` is the ``state`` of the proposal that was agreed to.
    """

    step: Step
    author: str
    time: datetime
    text: str
    login: str = ""
    agreed_to: int | None = None


@dataclass(frozen=True, slots=True)
class Proposal:
    """A change that waits for others, or waited.

    Attributes
    ----------
    id, layout_id
    before
        The state it began from, None for a layout that is new.
    after
        What is proposed, None to remove the layout.
    parent
        Revision of ``before``.
    reason
        Why, in its author's words.
    state
        Number of what is proposed now; another one when something else is proposed in the same talk.
    events
        All that happened, oldest first.
    """

    id: UUID
    layout_id: UUID
    before: Layout | None
    after: Layout | None
    parent: int | None
    reason: str
    state: int
    events: tuple[Event, ...]

    @property
    def author(self) -> str:
        """Who proposed it."""
        return self.events[0].author

    @property
    def name(self) -> str:
        """The layout's name as it would be."""
        layout = self.after if self.after is not None else self.before
        return layout.name if layout is not None else str(self.layout_id)

    @property
    def standing(self) -> Step:
        """Where it is: proposed, sent back, withdrawn or kept."""
        return next(event.step for event in reversed(self.events) if event.step not in (Step.REPLIED, Step.AGREED))

    @property
    def is_open(self) -> bool:
        """Whether it still waits for somebody."""
        return self.standing not in _ENDS

    @property
    def agreed(self) -> tuple[str, ...]:
        """Who agreed to what is proposed now."""
        return tuple(dict.fromkeys(event.author for event in self._agreeing()))

    @property
    def agreements(self) -> int:
        """How many others agreed to what is proposed now; a login counts once, whatever names it goes by."""
        return len({event.login for event in self._agreeing()})

    def _agreeing(self) -> Iterator[Event]:
        return (event for event in self.events if event.step is Step.AGREED and event.agreed_to == self.state)


Keep = Callable[[sa.Connection, UUID, Layout | None, int | None, str, str, UUID], None]
"""Keeps a change inside a transaction: layout, state, parent, author, reason, proposal."""


class ProposalShelf:
    """The proposals and rules of an open library. Every method is one transaction, from any thread.

    Parameters
    ----------
    access
        The way to the database.
    keep
        Keeps a change that was agreed.
    """

    def __init__(self, access: Access, keep: Keep) -> None:
        self._reading, self._writing = access.reading, access.writing
        self._keep, self._gate = keep, access.gate
        self._where, self._damage = access.where, access.damage

    # rules

    def rules(self) -> Rules:
        """Return what the library asks for now."""
        with self._reading() as connection:
            return _rules(connection)

    def set_rules(self, rules: Rules, *, author: str) -> None:
        """Have the library ask for something else from now on; proposals that wait are under it too.

        Raises
        ------
        LibraryError
            If fewer may agree than are needed, or the server does not allow it.
        """
        agreed_by = msgspec.json.encode(rules.agreed_by).decode()
        with self._writing() as connection:
            # on a server one name may be a role that many have
            too_few = connection.dialect.name == "sqlite" and 0 < len(rules.agreed_by) < rules.needed
            if rules.needed < 0 or too_few:
                raise LibraryError("so many cannot agree.", where=self._where,
                                   hint="Name more people, or ask for fewer.")  # fmt: skip
            self._gate.set_rules(connection, rules.needed, agreed_by, author)

    # proposals

    def propose(self, layout_id: UUID, after: Layout | None, *, parent: int | None, author: str, reason: str) -> UUID:
        """Propose a change that began from a revision; return the proposal's id.

        Raises
        ------
        InvalidLayoutError
            If the layout has problems, so that it could not be kept when others agree.
        """
        if after is not None:
            check_keepable(after, self._where)
        step = ProposalStep(None, layout_id, Step.PROPOSED.value, author, reason, parent, _document(after))
        with self._writing(layout_id) as connection:
            return self._gate.tell_proposal(connection, step)

    def propose_again(
        self, proposal: UUID, after: Layout | None, *, parent: int | None, author: str, reason: str
    ) -> None:
        """Propose another state in the same talk; who agreed before agrees anew. Raises as :meth:`propose`."""
        if after is not None:
            check_keepable(after, self._where)
        with self._talk(proposal) as (connection, known):
            self._check_own(connection, known, author)
            step = ProposalStep(
                proposal, known.layout_id, Step.PROPOSED.value, author, reason, parent, _document(after)
            )
            self._gate.tell_proposal(connection, step)

    def reply(self, proposal: UUID, *, author: str, text: str) -> None:
        """Say something about a proposal."""
        if not text.strip():
            raise LibraryError("there is nothing in the reply.", where=self._where)
        with self._talk(proposal) as (connection, known):
            self._add(connection, proposal, known.layout_id, Step.REPLIED, author, text)

    def send_back(self, proposal: UUID, *, author: str, text: str) -> None:
        """Ask its author to change a proposal; who agreed before agrees anew to what comes then."""
        if not text.strip():
            raise LibraryError("say what is to be changed.", where=self._where)
        with self._talk(proposal) as (connection, known):
            self._add(connection, proposal, known.layout_id, Step.SENT_BACK, author, text)

    def withdraw(self, proposal: UUID, *, author: str, text: str = "") -> None:
        """End a proposal without keeping it; it stays readable."""
        with self._talk(proposal) as (connection, known):
            self._check_own(connection, known, author)
            self._add(connection, proposal, known.layout_id, Step.WITHDRAWN, author, text)

    def agree(self, proposal: UUID, *, author: str, text: str = "", seen: int | None = None) -> bool:
        """Agree to a proposal; return whether that was enough, so that the change is kept now.

        What others kept since is merged in where changes need no agreement. Where they do, what is kept is what was
        agreed, to the letter: a change on top of another state is another change.

        Parameters
        ----------
        seen
            The ``state`` of the proposal that was looked at; whatever is proposed now if it is left out.

        Raises
        ------
        ClashError
            If somebody changed the same thing since. Nothing is written: its author proposes anew.
        AgreementNeededError
            If somebody changed the layout since, and changes need agreement. Nothing is written.
        LibraryError
            If it is one's own, was sent back or ended, was proposed anew since it was looked at, or one may not agree.
        """
        try:
            return self._agree(proposal, author, text, seen)
        except OwnChangeError as error:
            proposer = self.get(proposal).author
            if proposer == author:
                raise
            # on a server it is the login that counts, and nothing else says so
            raise OwnChangeError(
                f"{author} and {proposer} are one login here, and nobody agrees to a change of their own.",
                where=self._where, hint="Whoever agrees connects with a login of their own.",
            ) from error  # fmt: skip

    def _agree(self, proposal: UUID, author: str, text: str, seen: int | None) -> bool:
        with self._talk(proposal) as (connection, known):
            if seen is not None and seen != known.state:
                raise LibraryError("another state was proposed since you looked.", where=self._where,
                                   hint="Look at the newest state and agree to that.")  # fmt: skip
            if known.standing is Step.SENT_BACK:
                raise LibraryError("this proposal was sent back; its author changes it first.", where=self._where)
            self._add(connection, proposal, known.layout_id, Step.AGREED, author, text, agreed_to=known.state)
            # looked at again: under which login it counts the database alone knows
            known = self._read_one(connection, proposal)
            if known.agreements < max(_rules(connection).needed, ALWAYS_NEEDED):
                return False
            reason = f"{known.reason} (agreed by {', '.join(sorted(known.agreed))})"
            self._keep(connection, known.layout_id, known.after, known.parent, known.author, reason, proposal)
            return True

    def get(self, proposal: UUID) -> Proposal:
        """Return a proposal; raises :class:`UnknownLayoutError` if there is none of the id."""
        with self._reading() as connection:
            return self._read_one(connection, proposal)

    def open(self) -> list[Proposal]:
        """Return the proposals that wait for somebody, oldest first."""
        ended = sa.select(proposal_event.c.proposal_id).where(proposal_event.c.kind.in_([end.value for end in _ENDS]))
        return self._read(proposal_event.c.proposal_id.not_in(ended))

    def of_layout(self, layout_id: UUID) -> list[Proposal]:
        """Return all proposals about a layout, oldest first."""
        return self._read(proposal_event.c.layout_id == str(layout_id))

    def all(self, limit: int = 200) -> list[Proposal]:
        """Return the newest proposals, also those that ended, oldest first."""
        newest = (
            sa.select(proposal_event.c.proposal_id).where(proposal_event.c.kind == Step.PROPOSED.value)
            .group_by(proposal_event.c.proposal_id).order_by(sa.func.max(proposal_event.c.id).desc()).limit(limit)
        )  # fmt: skip
        return self._read(proposal_event.c.proposal_id.in_(newest))

    @contextmanager
    def _talk(self, proposal: UUID) -> Iterator[tuple[sa.Connection, Proposal]]:
        """Give a transaction on an open proposal, in which nobody else adds to it or changes its layout."""
        layout_id = self.get(proposal).layout_id
        with self._writing(proposal, layout_id) as connection:
            known = self._read_one(connection, proposal)
            if not known.is_open:
                raise LibraryError(f"this proposal is {known.standing.value} already.", where=self._where)
            yield connection, known

    def _check_own(self, connection: sa.Connection, known: Proposal, author: str) -> None:
        # on a server a login is one's own and a name is not: it asks itself
        if connection.dialect.name == "sqlite" and known.author != author:
            raise LibraryError(f"this is a proposal of {known.author}.", where=self._where, hint="Reply to it instead.")

    def _read_one(self, connection: sa.Connection, proposal: UUID) -> Proposal:
        found = self._gather(connection, proposal_event.c.proposal_id == str(proposal))
        if not found:
            raise UnknownLayoutError(f"there is no proposal {proposal}.", where=self._where)
        return found[0]

    def _read(self, which: sa.ColumnElement[bool]) -> list[Proposal]:
        with self._reading() as connection:
            return self._gather(connection, which)

    def _gather(self, connection: sa.Connection, which: sa.ColumnElement[bool]) -> list[Proposal]:
        before = revision.alias()
        query = (
            sa.select(proposal_event, before.c.document.label("document_before"))
            .outerjoin(before, before.c.id == proposal_event.c.parent_id)
            .where(which).order_by(proposal_event.c.id)
        )  # fmt: skip
        rows: dict[str, list[sa.Row]] = {}
        for row in connection.execute(query):
            rows.setdefault(row.proposal_id, []).append(row)
        found = []
        for events in rows.values():
            with self._damage.noting():
                found.append(_proposal(events, self._where))
        return found

    def _add(
        self, connection: sa.Connection, proposal: UUID, layout_id: UUID, step: Step, author: str, text: str,
        agreed_to: int | None = None,
    ) -> None:  # fmt: skip
        self._gate.tell_proposal(
            connection, ProposalStep(proposal, layout_id, step.value, author, text, agreed_to=agreed_to)
        )


def _rules(connection: sa.Connection) -> Rules:
    row = connection.execute(sa.select(rule).order_by(rule.c.id.desc()).limit(1)).first()
    if row is None:
        return Rules()
    try:
        return Rules(row.needed, msgspec.json.decode(row.agreed_by, type=tuple[str, ...]))
    except msgspec.DecodeError:
        # who may agree cannot be read, so nobody may until its keeper says it anew
        return Rules(row.needed, (_UNREADABLE,))


def _proposal(rows: Sequence[sa.Row], library: str) -> Proposal:
    where = f"{library}, proposal {rows[0].proposal_id[:60]}"
    newest = next((row for row in reversed(rows) if row.kind == Step.PROPOSED.value), None)
    if newest is None:
        raise DamagedEntryError("nothing is proposed in it.", where=where)
    return Proposal(
        id=uuid_of(newest.proposal_id, where),
        layout_id=uuid_of(newest.layout_id, where),
        before=_layout(newest.document_before, where),
        after=_layout(newest.document, where),
        parent=newest.parent_id,
        reason=newest.text,
        state=newest.id,
        events=tuple(_event(row, where) for row in rows),
    )


def _layout(document: str | None, where: str) -> Layout | None:
    return layout_in(document, where) if document is not None else None


def _document(layout: Layout | None) -> str | None:
    return layout_to_json(layout).decode() if layout is not None else None


def _event(row: sa.Row, where: str) -> Event:
    try:
        step = Step(row.kind)
    except ValueError as error:
        raise DamagedEntryError(f"{row.kind[:60]!r} is nothing that happens to a proposal.", where=where) from error
    return Event(step, row.author, moment(row.time_us), row.text, row.login, row.agreed_to)
