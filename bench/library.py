"""The library with many revisions: how long a search and a commit take."""

from __future__ import annotations

import time
from pathlib import Path

import msgspec
import sqlalchemy as sa

from bench.table import Line, best
from tests.cluster import Cluster
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.follow import Follower
from zesty_abacus.core.library.store import Library

LAYOUTS = 2000
ROUNDS = 50


def _add_history(library: Library) -> None:
    """Put further revisions on top at once, each behind the one before; through the program it would take minutes."""
    with library.engine.begin() as connection:
        for _ in range(1, ROUNDS):
            connection.execute(
                sa.text(
                    "INSERT INTO revision (layout_id, number, parent_id, author, time_us, reason, document) "
                    "SELECT layout_id, number + 1, id, author, time_us, reason, document FROM revision "
                    "WHERE id IN (SELECT max(id) FROM revision GROUP BY layout_id)"
                )
            )
        connection.execute(
            sa.text(
                "UPDATE head SET revision_id = (SELECT max(id) FROM revision WHERE revision.layout_id = head.layout_id)"
            )
        )


def measure(folder: Path) -> list[Line]:
    """Measure a library of 100 000 revisions of 2 000 layouts, in a file and on a server."""
    lines = _measure(Library.create(folder / "large.sqlite"), "a file")
    cluster = Cluster()
    try:
        return lines + _measure(Library.create(cluster.address(cluster.new_database())), "a server")
    finally:
        cluster.close()


def _measure(library: Library, where: str) -> list[Line]:
    layouts = [
        new_layout(
            f"message {number}",
            Applies(address=number, extended=True),
            8,
            [new_field(f"value {number} {n}", at(f"B{n}"), unit="kPa") for n in range(8)],
        )
        for number in range(LAYOUTS)
    ]
    library.layouts.import_all(layouts, author="bench", reason="first")
    _add_history(library)
    search = best(lambda: library.layouts.search("value 1234"), rounds=5)
    listed = best(lambda: library.layouts.find(""), rounds=5)
    heads = best(library.layouts.heads, rounds=3)
    follower = Follower(library, library.marks().layouts)
    follower.look()
    look = best(follower.look, rounds=5)
    head = library.layouts.head_of(layouts[0].id)
    assert head is not None
    parent, slowest = head.revision.id, 0.0
    for turn in range(30):
        begin = time.perf_counter()
        parent = library.layouts.commit(
            msgspec.structs.replace(layouts[0], note=f"c{turn}"), parent=parent, author="b"
        ).id
        slowest = max(slowest, time.perf_counter() - begin)
    library.close()
    return [
        Line(
            f"search among 100 000 revisions of 2 000 layouts, {where}",
            f"{search * 1e3:.1f} ms",
            "50 ms",
            search < 0.05,
        ),
        Line("  the list of all 2 000 layouts", f"{listed * 1e3:.1f} ms"),
        Line("  opening: all newest states", f"{heads * 1e3:.0f} ms"),
        Line("  a look for news", f"{look * 1e3:.1f} ms"),
        Line("  a commit there, the slowest of 30", f"{slowest * 1e3:.1f} ms", "100 ms", slowest < 0.1),
    ]
