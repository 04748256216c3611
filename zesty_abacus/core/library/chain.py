"""Shows whether history was rewritten: a chain of hashes over all changes, and the comparison with an older copy.

The database keeps anybody but its owner from changing what was kept. Whoever owns it can switch that off; what they
cannot do is make an older copy, a working copy, an exported file or a written-down hash say something else.

The hash of a change covers the hash of the change before it (SHA-256, FIPS 180-4), so the last one covers them all.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

import msgspec
import sqlalchemy as sa

from ..layouts.json_form import layout_from_json
from ..progress import Progress
from .driver_errors import mapped_errors
from .errors import LibraryError
from .store import Library
from .tables import (
    document_head,
    document_revision,
    head,
    met,
    proposal_event,
    recipe_head,
    recipe_revision,
    release,
    release_item,
    revision,
    rule,
)

_TABLES: tuple[tuple[str, sa.Table, tuple[str, ...]], ...] = (
    ("layouts", revision, ("id", "layout_id", "number", "parent_id", "author", "login", "time_us", "reason", "document",
                           "proposal_id")),
    ("recipes", recipe_revision, ("id", "recipe_id", "number", "parent_id", "author", "login", "time_us", "reason",
                                  "document")),
    ("documents", document_revision, ("id", "document_id", "kind", "number", "parent_id", "author", "login", "time_us",
                                      "reason", "document")),
    ("proposals", proposal_event, ("id", "proposal_id", "layout_id", "kind", "author", "login", "time_us", "text",
                                   "parent_id", "document", "agreed_to")),
    ("rules", rule, ("id", "needed", "agreed_by", "author", "login", "time_us")),
    ("releases", release, ("id", "name", "notes", "author", "login", "time_us")),
    ("release items", release_item, ("release_id", "layout_id", "revision_id")),
)  # fmt: skip
"""Sorts of changes, their tables, and the columns that the chain covers; these stay when tables get more."""
_BATCH = 2_000
_LISTED = 50


class Link(msgspec.Struct, frozen=True):
    """The chain over one sort of changes: how many, the newest number, and the hash over all in hexadecimal."""

    sort: str
    changes: int
    newest: int
    sha256: str


@dataclass(frozen=True, slots=True)
class Compared:
    """What comparing with something older gave: how many changes are the same, and sentences about the others."""

    same: int
    differing: list[str]


def chains(library: Library, progress: Progress | None = None) -> list[Link]:
    """Return the chain of each sort of changes; equal histories give equal hashes, on either engine.

    Raises
    ------
    LibraryError
        If the library cannot be read.
    """
    found = []
    for number, (sort, table, columns) in enumerate(_TABLES):
        if progress is not None:
            progress.step(number / len(_TABLES), f"hashing {sort}")
        digest, count, newest = hashlib.sha256(sort.encode()).digest(), 0, 0
        for row in _rows(library, table, columns):
            digest = hashlib.sha256(digest + msgspec.json.encode(row)).digest()
            count, newest = count + 1, max(newest, row[0])
        found.append(Link(sort, count, newest, digest.hex()))
    return found


def compare_with_copy(library: Library, older: Library) -> Compared:
    """Compare the history of a library with an older copy of it, or with a working copy.

    Of a plain copy every change is compared in every column; of a working copy, whose numbers are its own, the states
    that both held when they last met.

    Raises
    ------
    LibraryError
        If the other is no copy of this library, or one of them cannot be read.
    """
    if older.id == library.id:
        return _compare_rows(library, older)
    with mapped_errors(str(older.address)), older.engine.connect() as connection:
        meetings = connection.execute(sa.select(met).where(met.c.home_id == library.id)).all()
    if not meetings:
        raise LibraryError("this is neither a copy nor a working copy of the library.", where=str(older.address))
    return _compare_meetings(library, older, meetings)


def _compare_rows(library: Library, older: Library) -> Compared:
    same, differing = 0, []
    for sort, table, columns in _TABLES:
        newer = {_key(table, row): row for row in _rows(library, table, columns)}
        for row in _rows(older, table, columns):
            there = newer.get(_key(table, row))
            if there == row:
                same += 1
            elif there is None:
                differing.append(f"{sort}: change {row[0]} is gone.")
            else:
                names = [name for name, was, now in zip(columns, row, there, strict=True) if was != now]
                differing.append(f"{sort}: change {row[0]} differs in {', '.join(names)}.")
    return Compared(same, differing)


def _key(table: sa.Table, row: list) -> tuple:
    return tuple(row[: 2 if table is release_item else 1])


def _compare_meetings(library: Library, older: Library, meetings: Sequence[sa.Row]) -> Compared:
    same, differing = 0, []
    for row in meetings:
        for table, key in ((revision, "layout_id"), (recipe_revision, "recipe_id"), (document_revision, "document_id")):
            own = _document(older, table, key, row.item_id, row.own_revision)
            if own is None:
                continue
            home = _document(library, table, key, row.item_id, row.home_revision)
            if home is not None and msgspec.json.decode(home) == msgspec.json.decode(own):
                same += 1
            else:
                name = msgspec.json.decode(own).get("name", row.item_id)
                differing.append(f"{name}: change {row.home_revision} is not what the copy took from it.")
    return Compared(same, differing)


def compare_with_export(library: Library, layouts: Sequence[bytes], release_name: str, upto: int) -> Compared:
    """Compare layouts as they were put out, as JSON documents, with what the same release or state holds now.

    Parameters
    ----------
    release_name, upto
        The release; or, if it is empty, the number of the newest change that was in it.
    """
    now = library.layouts.of_release(release_name) if release_name else library.layouts.upto(upto)
    known = {layout.id: layout for layout in now}
    then = [layout_from_json(document) for document in layouts]
    differing = [f"{one.name} was put out otherwise." for one in then if known.get(one.id) not in (one, None)]
    differing += [f"{one.name} is not in it." for one in then if one.id not in known]
    return Compared(len(then) - len(differing), differing)


def broken_lines(library: Library) -> list[str]:
    """Return what does not hold together in a library, in sentences; the first of each kind.

    Every change follows the one before it, the newest states are the newest changes, and what the file's pages hold is
    whole.
    """
    found: list[str] = []
    with mapped_errors(str(library.address)), library.engine.connect() as connection:
        for sort, table, key in (
            ("layouts", revision, "layout_id"), ("recipes", recipe_revision, "recipe_id"),
            ("documents", document_revision, "document_id"),
        ):  # fmt: skip
            found += _broken_line(connection, sort, table, key)
        for sort, heads, table, key in (
            ("layouts", head, revision, "layout_id"), ("recipes", recipe_head, recipe_revision, "recipe_id"),
            ("documents", document_head, document_revision, "document_id"),
        ):  # fmt: skip
            found += _stale_heads(connection, sort, heads, table, key)
        if connection.dialect.name == "sqlite":
            rows = connection.exec_driver_sql("PRAGMA integrity_check(20)").scalars()
            found += [f"the file: {said}." for said in rows if said != "ok"]
    return found[:_LISTED]


def _broken_line(connection: sa.Connection, sort: str, table: sa.Table, key: str) -> Iterator[str]:
    columns = (table.c.id, table.c[key], table.c.number, table.c.parent_id)
    last: dict[str, tuple[int, int]] = {}
    for number, thing, place, parent in connection.execute(sa.select(*columns).order_by(table.c[key], table.c.number)):
        before = last.get(thing)
        if (place, parent) != ((before[1] + 1, before[0]) if before is not None else (1, None)):
            yield f"{sort}: change {number} does not follow the one before it."
        last[thing] = (number, place)


def _stale_heads(connection: sa.Connection, sort: str, heads: sa.Table, table: sa.Table, key: str) -> Iterator[str]:
    newest = sa.select(table.c[key], sa.func.max(table.c.number).label("number")).group_by(table.c[key]).subquery()
    query = (
        sa.select(table.c[key], table.c.id, heads.c.revision_id, table.c.document.is_(None).label("removed"))
        .join(newest, (newest.c[key] == table.c[key]) & (newest.c.number == table.c.number))
        .outerjoin(heads, heads.c[key] == table.c[key])
    )
    for thing, number, shown, removed in connection.execute(query):
        if shown != (None if removed else number):
            yield f"{sort}: the newest state of {thing} is change {number}, and {shown or 'none'} is shown."


def _rows(library: Library, table: sa.Table, columns: Sequence[str]) -> Iterator[list]:
    order = [table.c[name] for name in (("release_id", "layout_id") if table is release_item else ("id",))]
    query = sa.select(*(table.c[name] for name in columns)).order_by(*order)
    with mapped_errors(str(library.address)), library.engine.connect() as connection:
        for row in connection.execution_options(yield_per=_BATCH).execute(query):
            yield list(row)


def _document(library: Library, table: sa.Table, key: str, item: str, number: int) -> str | None:
    query = sa.select(table.c.document).where(table.c.id == number, table.c[key] == item)
    with mapped_errors(str(library.address)), library.engine.connect() as connection:
        return connection.execute(query).scalar()
