"""What is made once for a run is made by one process, and each has a copy of its own."""

from __future__ import annotations

import multiprocessing
import time
from pathlib import Path

import pytest

from tests.once import made_once


class Factory:
    """What pytest gives a process: a folder of its own in that of the run."""

    def __init__(self, base: Path) -> None:
        self.base = base

    def getbasetemp(self) -> Path:
        return self.base

    def mktemp(self, name: str) -> Path:
        folder = self.base / f"{name}0"
        folder.mkdir()
        return folder


def asks(run, number, queue):
    base = run / f"popen-gw{number}"
    base.mkdir()

    def make(folder):
        time.sleep(0.2)
        (folder / "by").write_text(str(number))
        with (run / "made").open("a") as noted:
            noted.write("x")

    queue.put((number, str(made_once(Factory(base), "dear", make) / "by")))


def test_one_process_makes_it_and_each_has_its_own(tmp_path):
    context = multiprocessing.get_context("fork")
    queue = context.Queue()
    workers = [context.Process(target=asks, args=(tmp_path, number, queue)) for number in range(3)]
    for worker in workers:
        worker.start()
    got = dict(queue.get(timeout=60) for _ in workers)
    for worker in workers:
        worker.join()
    assert (tmp_path / "made").read_text() == "x"
    assert len(set(got.values())) == 3 and len({Path(path).read_text() for path in got.values()}) == 1


def test_what_could_not_be_made_is_tried_again(tmp_path):
    base = tmp_path / "popen-gw0"
    base.mkdir()
    factory = Factory(base)

    def fails(folder):
        (folder / "half").touch()
        raise OSError("no room")

    with pytest.raises(OSError, match="no room"):
        made_once(factory, "dear", fails)
    made = made_once(factory, "dear", lambda folder: (folder / "whole").touch())
    assert [path.name for path in made.iterdir()] == ["whole"]
