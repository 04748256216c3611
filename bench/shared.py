"""Many writers on one library of a server: no update lost, and how long a change takes.

Half of the writers change fields of one layout, so that every change has to be merged with those of the others;
the other half have a layout each.
"""

from __future__ import annotations

import os
import threading
import time
from pathlib import Path
from uuid import UUID

import msgspec
import numpy as np

from bench.table import Line
from tests.cluster import Cluster
from zesty_abacus.core.layouts.model import Applies, Layout, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.errors import StaleParentError
from zesty_abacus.core.library.store import Library

WRITERS = 50
SECONDS = float(os.environ.get("BENCH_SECONDS", "60"))


def measure(_folder: Path) -> list[Line]:
    """Let fifty writers work for a minute on this machine's processors."""
    cluster = Cluster()
    try:
        return _measure(cluster.address(cluster.new_database()))
    finally:
        cluster.close()


def _measure(address: str) -> list[Line]:
    library = Library.create(address)
    fields = [new_field(f"f{n}", at(f"B{n}")) for n in range(WRITERS)]
    common = new_layout("common", Applies(protocol="serial"), WRITERS, fields)
    own = [new_layout(f"own {n}", Applies(address=n), 8, [new_field("a", at("B0"))]) for n in range(WRITERS // 2)]
    library.import_layouts([common, *own], author="bench", reason="begun")
    heads = {head.layout.id: head for head in library.heads()}
    end = time.monotonic() + SECONDS
    theirs = [common if n % 2 else own[n // 2] for n in range(WRITERS)]
    workers = [_Writer(address, n, layout, heads[layout.id].revision.id, end) for n, layout in enumerate(theirs)]
    for worker in workers:
        worker.start()
    for worker in workers:
        worker.join()
    lost = _lost(library, workers)
    library.close()
    return [
        Line(f"changes of {WRITERS} writers in {SECONDS:.0f} s, updates lost", f"{lost}", "0", lost == 0),
        *_lines("a layout of one's own", [worker for worker in workers if not worker.shares]),
        *_lines("one layout of 25, merged", [worker for worker in workers if worker.shares]),
    ]


def _lines(words: str, workers: list[_Writer]) -> list[Line]:
    times = np.concatenate([np.array(worker.seconds) for worker in workers])
    refused = sum(worker.refused for worker in workers)
    middle, late = np.quantile(times, [0.5, 0.95])
    return [
        Line(f"  {words}: changes kept", f"{len(times) / SECONDS:.0f} a second"),
        Line(f"  {words}: middle and 95 % of times", f"{middle * 1e3:.0f}, {late * 1e3:.0f} ms"),
        *([Line(f"  {words}: gave way to others, made again", f"{refused}")] if refused else []),
    ]


def _lost(library: Library, workers: list[_Writer]) -> int:
    """Count acknowledged changes that are not in the history, or not in the newest state."""
    lost = 0
    newest = {head.layout.id: head.layout for head in library.heads()}
    for worker in workers:
        known = {revision.id for revision in library.history(worker.layout.id)}
        lost += len(set(worker.told) - known)
        field = newest[worker.layout.id].fields[worker.number if worker.shares else 0]
        lost += bool(worker.told) and field.note != worker.last
    return lost


class _Writer(threading.Thread):
    """Changes the note of one field again and again, each time from the state it last saw."""

    def __init__(self, address: str, number: int, layout: Layout, parent: int, end: float) -> None:
        super().__init__()
        self._address, self._parent, self._end = address, parent, end
        self.number, self.layout = number, layout
        self.shares = bool(number % 2)
        self.seconds: list[float] = []
        self.told: list[int] = []
        self.last = ""
        self.refused = 0

    def run(self) -> None:
        library = Library.open(self._address)
        layout, field_id = self.layout, self._field_id()
        while time.monotonic() < self._end:
            note = f"{self.number} {len(self.told)}"
            changed = layout.with_field(msgspec.structs.replace(layout.field(field_id), note=note))
            began = time.monotonic()
            try:
                kept = library.commit_merged(changed, parent=self._parent, author=f"w{self.number}")
            except StaleParentError:
                self.refused += 1
                continue
            self.seconds.append(time.monotonic() - began)
            layout, self._parent = kept.layout, kept.revision.id
            self.told.append(self._parent)
            self.last = note
        library.close()

    def _field_id(self) -> UUID:
        return self.layout.fields[self.number if self.shares else 0].id
