"""Many writers on one library of a server: no update lost, and how long a change takes.

Half of the writers change fields of one layout, so that every change has to be merged with those of the others;
the other half have a layout each.
"""

from __future__ import annotations

import multiprocessing
import os
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from dataclasses import dataclass, replace
from pathlib import Path
from uuid import UUID

import msgspec
import numpy as np

from bench.table import Line
from tests.cluster import Cluster
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.store import Library

WRITERS = 50
PROCESSES = 10
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
    library.layouts.import_all([common, *own], author="bench", reason="begun")
    layouts = [common.id if n % 2 else own[n // 2].id for n in range(WRITERS)]
    groups = [list(range(n, WRITERS, PROCESSES)) for n in range(PROCESSES)]
    with ProcessPoolExecutor(PROCESSES, mp_context=multiprocessing.get_context("spawn")) as pool:
        running = [pool.submit(work, address, [(n, layouts[n]) for n in group]) for group in groups]
        workers = [told for one in running for told in one.result()]
    lost = _lost(library, workers)
    library.close()
    return [
        Line(f"changes of {WRITERS} writers in {SECONDS:.0f} s, updates lost", f"{lost}", "0", lost == 0),
        *_lines("a layout of one's own", [worker for worker in workers if not worker.shares]),
        *_lines("one layout of 25, merged", [worker for worker in workers if worker.shares]),
    ]


@dataclass(frozen=True)
class Told:
    """What a writer says of its work: what was acknowledged, how long each change took, what it wrote last."""

    number: int
    layout_id: UUID
    told: list[int]
    seconds: list[float]
    last: str

    @property
    def shares(self) -> bool:
        return bool(self.number % 2)


def work(address: str, writers: list[tuple[int, UUID]]) -> list[Told]:
    """Run some writers in this process, a thread each; raises what one of them met."""
    end = time.monotonic() + SECONDS
    with ThreadPoolExecutor(len(writers)) as pool:
        running = [pool.submit(_write, address, number, layout_id, end) for number, layout_id in writers]
        return [one.result() for one in running]


def _write(address: str, number: int, layout_id: UUID, end: float) -> Told:
    """Change the note of one field again and again, each time from the state last seen."""
    library = Library.open(address)
    head = library.layouts.head_of(layout_id)
    assert head is not None
    layout, parent = head.state, head.revision.id
    field_id = layout.fields[number if number % 2 else 0].id
    made = Told(number, layout_id, [], [], "")
    note = ""
    while time.monotonic() < end:
        note = f"{number} {len(made.told)}"
        changed = layout.with_field(msgspec.structs.replace(layout.field(field_id), note=note))
        began = time.monotonic()
        kept = library.layouts.commit_merged(changed, parent=parent, author=f"w{number}")
        made.seconds.append(time.monotonic() - began)
        layout, parent = kept.state, kept.revision.id
        made.told.append(parent)
    library.close()
    return replace(made, last=note)


def _lines(words: str, workers: list[Told]) -> list[Line]:
    times = np.concatenate([np.array(worker.seconds) for worker in workers])
    middle, late = np.quantile(times, [0.5, 0.95])
    return [
        Line(f"  {words}: changes kept", f"{len(times) / SECONDS:.0f} a second"),
        Line(f"  {words}: middle and 95 % of times", f"{middle * 1e3:.0f}, {late * 1e3:.0f} ms"),
    ]


def _lost(library: Library, workers: list[Told]) -> int:
    """Count acknowledged changes that are not in the history, or not in the newest state."""
    lost = 0
    newest = {head.state.id: head.state for head in library.layouts.heads()}
    for worker in workers:
        known = {revision.id for revision in library.layouts.history(worker.layout_id)}
        lost += len(set(worker.told) - known)
        field = newest[worker.layout_id].fields[worker.number if worker.shares else 0]
        lost += bool(worker.told) and field.note != worker.last
    return lost
