"""What a library keeps besides layouts and recipes: comments, claims, moments, conditions, what was recorded where."""

from __future__ import annotations

import enum
from collections.abc import Callable
from dataclasses import dataclass
from functools import partial
from typing import Any, Generic, TypeVar
from uuid import UUID

import msgspec
import sqlalchemy as sa

from .access import Access
from .errors import LibraryError
from .gates.base import Change, DocumentIndex, Gate
from .history import History
from .seen_curve import SeenCurve
from .shelf import Kept, Shelf
from .tables import document_head, document_revision


class Comment(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something said about a layout, a claim or anything else with an identity.

    Attributes
    ----------
    about
        What it is about.
    text
        What was said; who and when stand in its revision.
    item
        The field, part or check of a layout that it is about, None for the layout as a whole.
    """

    id: UUID
    about: UUID
    text: str
    item: UUID | None = None

    @property
    def name(self) -> str:
        """Its first words."""
        line = self.text.strip().split("\n")[0]
        return line if len(line) <= 60 else f"{line[:59]}…"


class ClaimStanding(enum.Enum):
    """How sure a claim is."""

    GUESS = "guess"
    LIKELY = "likely"
    PROVEN = "proven"
    REFUTED = "refuted"


class Claim(msgspec.Struct, frozen=True, forbid_unknown_fields=True, omit_defaults=True):
    """A statement about bits that a person stands for.

    Attributes
    ----------
    name
        The statement.
    lane, address
        The message it is about; address None for any.
    places
        The bits, as places are written; empty for the message as a whole.
    standing
    evidence
        What was seen, a sentence each.
    curves
        Curves that were seen.
    layout
        The layout it is about, if there is one.
    """

    id: UUID
    name: str
    lane: str
    address: int | None = None
    places: str = ""
    standing: ClaimStanding = ClaimStanding.GUESS
    evidence: tuple[str, ...] = ()
    layout: UUID | None = None
    curves: tuple[SeenCurve, ...] = ()


class NamedMoment(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Words for a moment that a team has agreed on, and what they mean."""

    text: str
    meaning: str = ""


class MomentsCatalogue(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """The words for moments that a team uses, so that a search finds them in every recording."""

    id: UUID
    name: str
    moments: tuple[NamedMoment, ...] = ()


class SharedCondition(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Something that a team asks of frames again and again, in the language of conditions.

    Attributes
    ----------
    name
        What it is called; one name is one condition in a library.
    text
        As it is asked.
    note
        What it is good for.
    """

    id: UUID
    name: str
    text: str
    note: str = ""


class SharedRehearsal(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A written rehearsal that a team runs.

    Attributes
    ----------
    name
        What it is called; one name is one rehearsal in a library.
    text
        Its JSON form.
    note
        What it is good for.
    """

    id: UUID
    name: str
    text: str
    note: str = ""


class RecordedLane(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """A lane of a recording: what it speaks, how many frames, and how many kinds of them."""

    name: str
    protocol: str
    frames: int
    kinds: int = 0


class Recording(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """What was recorded and where the file lies; the frames themselves stay in the file.

    Attributes
    ----------
    name
        Of the file.
    path
        Where it lay when it was put into the library.
    size, sha256
        In bytes, and its hash in hexadecimal: by these it is known again wherever it lies.
    first_ns, last_ns
        Time of its first and last frame, nanoseconds since 1970.
    lanes
    trial
        Name of the trial and run it belongs to.
    """

    id: UUID
    name: str
    path: str
    size: int
    sha256: str
    first_ns: int = 0
    last_ns: int = 0
    lanes: tuple[RecordedLane, ...] = ()
    trial: str = ""


D = TypeVar("D", bound=Kept)


@dataclass(frozen=True, slots=True)
class DocumentKind(Generic[D]):
    """How one sort of document is kept: its name in the tables, its type, what it is about and searched by.

    ``version`` goes up when a document can say what an earlier program would not understand; ``said_in`` gives the
    version that says a document, so that earlier programs read those that do not need more.
    """

    name: str
    type: type[D]
    about: Callable[[D], UUID | None]
    text: Callable[[D], str]
    version: int = 1
    said_in: Callable[[D], int] = lambda _it: 1


COMMENT = DocumentKind("comment", Comment, lambda it: it.about, lambda it: it.text)
CLAIM = DocumentKind(
    "claim", Claim, lambda it: it.layout, lambda it: "\n".join((it.name, *it.evidence)),
    version=2, said_in=lambda it: 2 if it.curves else 1,
)  # fmt: skip
MOMENTS = DocumentKind(
    "moments", MomentsCatalogue, lambda _it: None,
    lambda it: "\n".join((it.name, *(f"{one.text} {one.meaning}" for one in it.moments))),
)  # fmt: skip
CONDITION = DocumentKind(
    "condition", SharedCondition, lambda _it: None, lambda it: "\n".join((it.name, it.text, it.note))
)
REHEARSAL = DocumentKind(
    "rehearsal", SharedRehearsal, lambda _it: None, lambda it: "\n".join((it.name, it.text, it.note))
)
RECORDING = DocumentKind(
    "recording", Recording, lambda _it: None,
    lambda it: "\n".join((it.name, it.path, it.trial, *(lane.name for lane in it.lanes))),
)  # fmt: skip


class DocumentShelf(Shelf[D]):
    """The documents of one sort in an open library."""

    def __init__(self, kind: DocumentKind[D], access: Access) -> None:
        history = History[D](
            document_revision, "document_id", lambda state: _encoded(kind, state),
            lambda data, at: _decoded(kind, data, at),
            what=kind.name, where=access.where, damage=access.damage,
        )  # fmt: skip

        def indexed(state: D) -> DocumentIndex:
            about = kind.about(state)
            said = kind.text(state).casefold()
            return DocumentIndex(state.name, str(about) if about is not None else None, said)

        super().__init__(
            access, history, document_head, "document_id", partial(_keep, access.gate, kind.name), indexed,
            kind=kind.name,
        )  # fmt: skip

    def about(self, item_id: UUID) -> list[Any]:
        """Return the newest states of what is about something, oldest first."""
        found = self._heads(document_head.c.about == str(item_id))
        return sorted(found, key=lambda head: head.revision.id)


def _keep(
    gate: Gate, sort: str, connection: sa.Connection, change: Change, index: DocumentIndex | None
) -> sa.Row:  # fmt: skip
    return gate.keep_document(connection, sort, change, index)


def _encoded(kind: DocumentKind[D], state: D) -> bytes:
    return msgspec.json.encode({"version": kind.said_in(state), **msgspec.to_builtins(state)})


def _decoded(kind: DocumentKind[D], data: bytes, where: str) -> D:
    try:
        plain = msgspec.json.decode(data, type=dict[str, Any])
        # the first documents carried no version
        version = plain.pop("version", 1)
        if isinstance(version, int) and version > kind.version:
            name = str(plain.get("name", "")) or "one"
            raise LibraryError(
                f"{name[:60]!r} is a {kind.name} by a newer version of this program, and is kept as it is.", where=where
            )
        return msgspec.convert(plain, kind.type)
    except (msgspec.DecodeError, msgspec.ValidationError) as error:
        raise LibraryError(f"this is no {kind.name} ({error}).", where=where) from error
