"""A writer is killed again and again at moments of no choosing; nothing acknowledged may be lost."""

import os
import random
import subprocess
import sys
import time

from tests.forked import Forked
from tests.library.test_store import pod
from zesty_abacus.core.library.proposals import Rules, Step
from zesty_abacus.core.library.store import Library

KILLS = int(os.environ.get("KILLS", "12"))
"""The suite's own number; hundreds by hand."""


def test_nothing_acknowledged_is_lost_when_the_writer_is_killed(library, address, tmp_path):
    path = address
    library.layouts.commit(pod(), parent=None, author="first")
    moments = random.Random(7)
    acknowledged = 0
    for number in range(KILLS):
        writer = Forked("tests.library.writer_process", [str(path)], tmp_path / f"told {number}")
        assert writer.first_line()
        time.sleep(moments.uniform(0, 0.06))
        writer.kill()
        writer.wait()
        # the last line itself may be cut; a whole line is an acknowledged commit
        told = [line.split() for line in writer.lines()]
        library = Library.open(path)
        head = library.layouts.heads()[0]
        history = library.layouts.history(head.state.id)
        library.close()
        note, revision = (int(text) for text in told[-1])
        acknowledged += len(told)
        assert int(head.state.note) in (note, note + 1), "the newest state is the last one told, or the one on its way"
        assert head.revision.id >= revision
        assert [item.number for item in history] == list(range(len(history), 0, -1))
    assert acknowledged > KILLS


def test_a_full_disk_loses_nothing_that_was_acknowledged(tmp_path):
    """The writer may write so many bytes and no more, as on a disk that is full."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.layouts.commit(pod(), parent=None, author="first")
    library.close()
    done = subprocess.run(
        [sys.executable, "-m", "tests.library.writer_process", str(path), "200000"], capture_output=True, text=True,
        timeout=60, check=False,
    )  # fmt: skip
    told = [int(line.split()[0]) for line in done.stdout.splitlines()]
    assert done.returncode == 1 and "LibraryError" in done.stderr, "it was told, and in words of our own"
    assert told, "some were kept before"
    library = Library.open(path)
    head = library.layouts.heads()[0]
    assert int(head.state.note) == told[-1]
    library.layouts.commit(pod("Another", 2), parent=None, author="later")
    library.close()


def test_an_agreement_that_is_killed_is_whole_or_was_not(team, library, address, tmp_path):
    """Whoever agrees is killed: what is kept was agreed, and what was agreed by enough is kept."""
    second = str(team.jo.address.path or address.replace("keeper@", "jo@"))
    library.layouts.commit(pod(), parent=None, author="first")
    library.proposals.set_rules(Rules(needed=1), author="keeper")
    moments = random.Random(11)
    ended = 0
    for number in range(max(KILLS // 6, 4)):
        agreeing = Forked("tests.library.agreeing_process", [str(address), second], tmp_path / f"told {number}")
        assert agreeing.first_line()
        time.sleep(moments.uniform(0, 0.08))
        agreeing.kill()
        agreeing.wait()
    kept = {one.id for one in library.proposals.all(100_000) if one.standing is Step.KEPT}
    for one in library.proposals.all(100_000):
        assert bool(one.agreed) == (one.id in kept), "agreed and kept are one thing"
        ended += one.id in kept
    assert ended >= 4 and len(library.layouts.history(library.layouts.states()[0].id)) == ended + 1
