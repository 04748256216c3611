"""A library under siege: many programs, killed, cut off, with full disks; every acknowledged change is there once.

Seconds a seat: SIEGE, a few in the suite, an hour by hand.
"""

import os
import random
import signal
import time
from collections import Counter

import pytest
import sqlalchemy as sa

from tests.cli.program import run
from tests.cluster import Cluster
from tests.forked import Forked
from tests.library.test_store import pod
from zesty_abacus.core.library.chain import broken_lines, chains, compare_with_copy
from zesty_abacus.core.library.errors import LibraryError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync

SECONDS = float(os.environ.get("SIEGE", "7"))
PROGRAMS = 4
ENOUGH, PATIENCE = 20, 120


class Siege:
    """Programs that come and go, and what they were told."""

    def __init__(self, where, folder, chance, *, on_file):
        self.where, self.folder, self.chance, self.on_file = where, folder, chance, on_file
        self.running = []
        self.told = []
        self.ended = Counter()
        self._number = 0

    def start(self):
        self._number += 1
        limit = 0
        if self.on_file and self._number % 5 == 0:
            limit = max(self.chance.randrange(1 << 18, 1 << 21), 1)
        name = f"p{self._number % 7} {self._number}"
        words = [self.where, name, str(self.folder), str(self._number), str(limit)]
        self.running.append(Forked("tests.library.siege_process", words, self.folder / f"told-{self._number}"))

    def end(self, sign):
        process = self.running.pop(self.chance.randrange(len(self.running)))
        process.send_signal(sign)
        process.wait()
        self.ended[sign] += 1
        # a line that is cut was on its way when the program was killed
        self.told += [line.split(" ", 3) for line in process.lines()]

    def are_silent(self):
        return not any(process.lines() for process in self.running)

    def hold(self, seconds, disturb):
        until = time.monotonic() + seconds
        while len(self.running) < PROGRAMS:
            self.start()
        while time.monotonic() < until or (len(self.told) <= ENOUGH and time.monotonic() < until + PATIENCE):
            time.sleep(self.chance.uniform(0.05, 0.8))
            # on a machine with much else to do programs are ended before they are told anything: then they get the time
            is_late = time.monotonic() >= until
            if self.chance.random() < 0.5 and not (is_late and self.are_silent()):
                self.end(self.chance.choice((signal.SIGKILL, signal.SIGTERM)))
                self.start()
            disturb()
        while self.running:
            self.end(signal.SIGKILL)


def check(library, told):
    """Every acknowledged change is there, once, as what it was; history is unbroken; heads are the newest."""
    tables = {name: Counter() for name in ("revision", "recipe_revision", "document_revision")}
    keys = {"revision": "layout_id", "recipe_revision": "recipe_id", "document_revision": "document_id"}
    with library.engine.connect() as connection:
        for name, key in keys.items():
            for row in connection.execute(sa.text(f"SELECT id, {key} AS thing FROM {name}")):
                tables[name][str(row.id), row.thing] += 1
    missing = [line for line in told if tables[line[0]][line[1], line[2]] != 1]
    assert not missing, missing[:5]
    assert broken_lines(library) == []
    assert library.damage == ()
    names = [layout.name for layout in library.layouts.states()]
    assert len(names) == len(set(names)), "what was sent again after a lost answer is there once"


def check_copies(library, folder):
    """Working copies come home: what both have is the same, and what the copy took is still what home kept."""
    for path in folder.glob("p*.sqlite"):
        copy = Library.open(path)
        assert broken_lines(copy) == []
        report = sync(copy, library, author="harbour")
        ours = {layout.id: layout for layout in library.layouts.states()}
        theirs = {layout.id: layout for layout in copy.layouts.states()}
        clashing = {sentence.split(":")[0] for sentence in report.clashed}
        assert {
            key for key, layout in ours.items() if theirs.get(key) != layout and layout.name not in clashing
        } == set()
        assert compare_with_copy(library, copy).differing == []
        copy.close()


def test_a_file_under_siege(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.layouts.commit(pod(), parent=None, author="first")
    # a window that stays open all the while
    siege = Siege(str(path), tmp_path, random.Random(5), on_file=True)

    def disturb():
        if siege.chance.random() < 0.3:
            run("library", "log", path)
        if siege.chance.random() < 0.5:
            made = library.layouts.commit(pod(f"window {time.monotonic_ns()}"), parent=None, author="window")
            siege.told.append(["revision", str(made.id), str(made.item_id), "window"])

    siege.hold(SECONDS, disturb)
    library.close()
    library = Library.open(path)
    assert len(siege.told) > ENOUGH and siege.ended[signal.SIGKILL] >= PROGRAMS
    check(library, siege.told)
    check_copies(library, tmp_path)
    assert chains(library) == chains(library)
    library.close()


@pytest.fixture
def own_server():
    made = Cluster()
    yield made
    made.close()


def test_a_server_under_siege(own_server, tmp_path):
    """The server itself is dropped and started again while programs are killed."""
    where = own_server.address(own_server.new_database())
    library = Library.create(where)
    library.layouts.commit(pod(), parent=None, author="first")
    library.close()
    siege = Siege(where, tmp_path, random.Random(6), on_file=False)

    def disturb():
        if siege.chance.random() < 0.15:
            own_server.stop(siege.chance.choice((signal.SIGQUIT, signal.SIGINT)))
            own_server.start()

    siege.hold(SECONDS, disturb)
    for _ in range(50):
        try:
            library = Library.open(where)
            break
        except LibraryError:
            time.sleep(0.2)
    assert len(siege.told) > ENOUGH
    check(library, siege.told)
    check_copies(library, tmp_path)
    library.close()
