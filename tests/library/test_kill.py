"""A writer is killed again and again at moments of no choosing; nothing acknowledged may be lost."""

import random
import subprocess
import sys
import time

from tests.library.test_store import pod
from zesty_abacus.core.library.store import Library

KILLS = 25


def test_nothing_acknowledged_is_lost_when_the_writer_is_killed(library, address):
    path = address
    library.commit(pod(), parent=None, author="first")
    moments = random.Random(7)
    acknowledged = 0
    for _ in range(KILLS):
        writer = subprocess.Popen(
            [sys.executable, "-m", "tests.library.writer_process", str(path)], stdout=subprocess.PIPE, text=True
        )
        assert writer.stdout is not None
        first = writer.stdout.readline()
        time.sleep(moments.uniform(0, 0.06))
        writer.kill()
        lines = [first, *writer.stdout.read().splitlines(keepends=True)]
        writer.wait()
        writer.stdout.close()
        # the last line itself may be cut; a whole line is an acknowledged commit
        told = [line.split() for line in lines if line.endswith("\n")]
        library = Library.open(path)
        head = library.heads()[0]
        history = library.history(head.layout.id)
        library.close()
        note, revision = (int(text) for text in told[-1])
        acknowledged += len(told)
        assert int(head.layout.note) in (note, note + 1), "the newest state is the last one told, or the one on its way"
        assert head.revision.id >= revision
        assert [item.number for item in history] == list(range(len(history), 0, -1))
    assert acknowledged > KILLS
