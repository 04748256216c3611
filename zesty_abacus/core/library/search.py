"""What the newest states of layouts are searched by, and the search."""

from __future__ import annotations

import enum
from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from uuid import UUID

import sqlalchemy as sa

from ..layouts.model import Computed, Field, Layout
from .damage import Damage, uuid_of
from .gates.base import IndexedField, LayoutIndex
from .proposals import Step
from .signing import moment
from .tables import document_head, head, head_field, proposal_event, release, release_item, revision


@dataclass(frozen=True, slots=True)
class SearchHit:
    """A layout found, and what matched: ``name``, ``address``, ``field NAME``, ``unit UNIT`` or ``comment``."""

    layout_id: UUID
    name: str
    matched: str


class Standing(enum.Enum):
    """How the newest state of a layout stands."""

    RELEASED = "as released"
    CHANGED = "changed since the release"
    NEW = "not released yet"
    PROPOSED = "a change is proposed"


@dataclass(frozen=True, slots=True)
class Found:
    """A layout of a library as a list shows it, without its content.

    Attributes
    ----------
    layout_id, name, protocol, extended, lanes
    address
        None where it reads any.
    author, time, changes
        Of its newest change, and how many there were.
    standing
        Against the newest release; an open proposal comes first.
    comments
        How many there are about it.
    matched
        What made it a hit, as of :class:`SearchHit`; empty if nothing was searched.
    """

    layout_id: UUID
    name: str
    protocol: str
    address: int | None
    extended: bool
    lanes: tuple[str, ...]
    author: str
    time: datetime
    changes: int
    standing: Standing
    comments: int
    matched: str = ""


def layout_index(layout: Layout) -> LayoutIndex:
    """Return what a layout is searched by."""
    applies = layout.applies
    return LayoutIndex(
        name=layout.name, folded_name=layout.name.casefold(), protocol=applies.protocol,
        address=-1 if applies.address is None else applies.address, extended=applies.extended,
        lanes="\n".join(applies.lanes), fields=tuple(map(_indexed, _searched_fields(layout))),
    )  # fmt: skip


def _indexed(item: Field | Computed) -> IndexedField:
    return IndexedField(str(item.id), item.name, item.unit, item.name.casefold(), item.unit.casefold())


def search(connection: sa.Connection, text: str, limit: int, damage: Damage) -> list[SearchHit]:
    """Find layouts by part of a name, a field's name, a comment, by a unit, or an address."""
    found: dict[UUID, SearchHit] = {}
    for query, words in _queries(like_pattern(text), text.strip()):
        for layout_id, name, matched in connection.execute(query.limit(limit)):
            with damage.noting():
                key = uuid_of(layout_id, f"the search words of {name[:60]}")
                found.setdefault(key, SearchHit(key, name, f"{words}{matched}"))
    return list(found.values())[:limit]


def list_layouts(connection: sa.Connection, text: str, limit: int, damage: Damage) -> list[Found]:
    """Return the layouts of a library by address, or those that a text finds, the best first."""
    hits = {hit.layout_id: hit.matched for hit in search(connection, text, limit, damage)} if text.strip() else None
    query = _listed()
    if hits is not None:
        query = query.where(head.c.layout_id.in_([str(key) for key in hits]))
    standing = _standings(connection)
    found = []
    for row in connection.execute(query.limit(limit)):
        with damage.noting():
            found.append(_found(row, standing, hits or {}))
    if hits is not None:
        order = {key: number for number, key in enumerate(hits)}
        found.sort(key=lambda one: order[one.layout_id])
    return found


def like_pattern(text: str) -> str:
    """Return the pattern that finds a text anywhere, without regard to upper and lower case; ``!`` escapes."""
    return f"%{text.strip().casefold().replace('!', '!!').replace('%', '!%').replace('_', '!_')}%"


def _listed() -> sa.Select:
    comments = (
        sa.select(sa.func.count()).where(document_head.c.about == head.c.layout_id)
        .where(document_head.c.kind == "comment").scalar_subquery()
    )  # fmt: skip
    return (
        sa.select(head, revision.c.author, revision.c.time_us, revision.c.number, comments.label("comments"))
        .join(revision, revision.c.id == head.c.revision_id)
        .order_by(head.c.protocol, head.c.address, head.c.folded_name)
    )


def _standings(connection: sa.Connection) -> tuple[dict[str, int], set[str]]:
    """Return the revision that the newest release holds of each layout, and the layouts with an open proposal."""
    newest = sa.select(sa.func.max(release.c.id)).scalar_subquery()
    released = sa.select(release_item.c.layout_id, release_item.c.revision_id).where(
        release_item.c.release_id == newest
    )
    ended = sa.select(proposal_event.c.proposal_id).where(
        proposal_event.c.kind.in_([Step.KEPT.value, Step.WITHDRAWN.value])
    )
    proposed = sa.select(proposal_event.c.layout_id).where(proposal_event.c.proposal_id.not_in(ended)).distinct()
    return (
        {row.layout_id: row.revision_id for row in connection.execute(released)},
        {row.layout_id for row in connection.execute(proposed)},
    )


def _found(row: sa.Row, standings: tuple[dict[str, int], set[str]], hits: dict[UUID, str]) -> Found:
    released, proposed = standings
    key = uuid_of(row.layout_id, f"the search words of {row.name[:60]}")
    if row.layout_id in proposed:
        standing = Standing.PROPOSED
    elif row.layout_id not in released:
        standing = Standing.NEW
    else:
        standing = Standing.RELEASED if released[row.layout_id] == row.revision_id else Standing.CHANGED
    return Found(
        layout_id=key, name=row.name, protocol=row.protocol, address=row.address if row.address >= 0 else None,
        extended=row.extended, lanes=tuple(row.lanes.splitlines()), author=row.author, time=moment(row.time_us),
        changes=row.number, standing=standing, comments=row.comments, matched=hits.get(key, ""),
    )  # fmt: skip


def _searched_fields(layout: Layout) -> list[Field | Computed]:
    """Return all that has a name and a unit, each identity once."""
    return list({item.id: item for item in layout.named_items() if item.name}.values())


def _queries(pattern: str, text: str) -> Iterator[tuple[sa.Select, str]]:
    columns = (head.c.layout_id, head.c.name)
    joined = head.join(head_field, head_field.c.layout_id == head.c.layout_id)
    name_like = head.c.folded_name.like(pattern, escape="!")
    yield sa.select(*columns, sa.literal("")).where(name_like).order_by(head.c.name), "name"
    address = _address_in(text)
    if address is not None:
        yield sa.select(*columns, sa.literal("")).where(head.c.address == address), "address"
    field_like = head_field.c.folded_name.like(pattern, escape="!")
    yield sa.select(*columns, head_field.c.name).select_from(joined).where(field_like).order_by(head.c.name), "field "
    unit_is = head_field.c.folded_unit == text.casefold()
    yield sa.select(*columns, head_field.c.unit).select_from(joined).where(unit_is).order_by(head.c.name), "unit "
    talk = head.join(document_head, document_head.c.about == head.c.layout_id)
    said = document_head.c.folded_text.like(pattern, escape="!")
    yield sa.select(*columns, sa.literal("")).select_from(talk).where(said).order_by(head.c.name), "comment"


def _address_in(text: str) -> int | None:
    try:
        number = int(text, 0)
    except ValueError:
        return None
    return number if 0 <= number < 1 << 63 else None
