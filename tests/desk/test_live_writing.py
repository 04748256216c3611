"""A recording that is ended while it is written."""

from __future__ import annotations

import threading
import time

from zesty_abacus.core.live.armed import Armed
from zesty_abacus.core.live.batch import Batch
from zesty_abacus.desk.app.jobs import Jobs
from zesty_abacus.desk.app.live_writing import LiveWriting


class SlowFiles:
    """Files that take their time, and say if they were closed meanwhile."""

    entries = ()

    def __init__(self):
        self.is_closed, self.was_closed_under_it, self.began = False, False, threading.Event()

    def append(self, _table, _lanes):
        self.began.set()
        time.sleep(0.2)
        self.was_closed_under_it = self.is_closed

    def close(self):
        self.is_closed = True


def test_files_are_not_closed_while_they_are_written(pilot):
    jobs = Jobs()
    writing = LiveWriting(jobs, lambda: None, list)
    files = SlowFiles()
    writing._files, writing._is_log_over, writing.armed = files, True, Armed()
    told = []
    batch = Batch()
    batch.add(1, b"\1")
    writing.recorders.append(lambda _table, _lanes: told.append("recorded"))
    thread = threading.Thread(target=writing.take, args=(batch.table(), ()))
    thread.start()
    assert files.began.wait(5)
    writing.keep_recording()
    thread.join()
    assert files.is_closed and not files.was_closed_under_it and told == ["recorded"]
    jobs.close()
