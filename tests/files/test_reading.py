"""What a user names is opened only where it is a file that ends, and never beside an open library."""

import os
import socket
import subprocess
import sys
import threading
from pathlib import Path

import pytest

from zesty_abacus.core.captures.registry import recognise
from zesty_abacus.core.captures.report import CaptureReadError
from zesty_abacus.core.exchange.registry import read_layout_file
from zesty_abacus.core.exchange.result import ExchangeError
from zesty_abacus.core.files import held
from zesty_abacus.core.files.errors import FileError, HeldError, NotRegularError, TooLargeError
from zesty_abacus.core.files.reading import open_file, read_file, resolved
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.errors import LibraryError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.recipes.json_form import RecipeFormError, recipes_from_file
from zesty_abacus.core.trial.trial import Trial, TrialError


def open_library(path):
    Library.open(library_address(path))


READERS = [
    (recognise, CaptureReadError), (read_layout_file, ExchangeError), (recipes_from_file, RecipeFormError),
    (Trial.open, TrialError), (open_library, LibraryError),
]  # fmt: skip


@pytest.fixture
def odd_things(tmp_path):
    """Things that are no files, by name."""
    pipe, bound = tmp_path / "pipe", tmp_path / "socket"
    os.mkfifo(pipe)
    with socket.socket(socket.AF_UNIX) as made:
        made.bind(str(bound))
    loop = tmp_path / "loop"
    loop.symlink_to(loop)
    through = tmp_path / "through"
    through.symlink_to("/dev/zero")
    return [pipe, bound, loop, through, tmp_path / "no\0name", os.path.devnull]


@pytest.mark.parametrize(("read", "error"), READERS)
def test_nothing_waits_for_what_is_no_file(odd_things, read, error):
    """A pipe nobody writes would hold a plain open for ever; the error says what it is."""
    for path in odd_things:
        failures = []

        def run(path=path, failures=failures):
            try:
                read(resolved_or_same(path))
            except error as failure:
                failures.append(failure)

        thread = threading.Thread(target=run, daemon=True)
        thread.start()
        thread.join(10)
        assert failures, path


def resolved_or_same(path):
    return path if not isinstance(path, str) else Path(path)


def test_what_is_read_is_bounded_by_what_is_read(tmp_path):
    """Of files like this one the system tells no size."""
    assert os.stat("/proc/self/maps").st_size == 0
    path = Path("/proc/self/maps")
    assert read_file(path, 1 << 20)
    with pytest.raises(TooLargeError, match="more than the 10 bytes"):
        read_file(path, 10)
    exact = tmp_path / "exact"
    exact.write_bytes(b"x" * 10)
    assert read_file(exact, 10) == b"x" * 10


def test_a_link_to_a_file_is_a_file(tmp_path):
    (tmp_path / "a").write_bytes(b"here")
    (tmp_path / "b").symlink_to(tmp_path / "a")
    with open_file(tmp_path / "b") as file:
        assert file.read(9) == b"here"
    assert resolved(tmp_path / "b") == tmp_path / "a"


def test_a_file_that_becomes_a_pipe_while_it_is_opened(tmp_path, monkeypatch):
    path = tmp_path / "a"
    path.write_bytes(b"x")
    plain = os.stat(path)
    path.unlink()
    os.mkfifo(path)
    monkeypatch.setattr("zesty_abacus.core.files.reading.check_readable", lambda _path: plain)
    with pytest.raises(NotRegularError, match="a pipe"):
        open_file(path)


@pytest.mark.parametrize("ending", ["", "-wal", "-shm"])
@pytest.mark.parametrize("by", ["name", "link", "hard link", "other spelling"])
def test_an_open_library_is_opened_by_nobody_else(tmp_path, ending, by):
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    target = path.with_name(path.name + ending)
    way = tmp_path / "way"
    if by == "link":
        way.symlink_to(target)
    elif by == "hard link":
        if ending:
            pytest.skip("beside a file with another name lie other files")
        os.link(target, way)
    else:
        way = target if by == "name" else tmp_path / "." / ".." / tmp_path.name / target.name
    with pytest.raises(HeldError, match="a library that is open here"):
        open_file(way)
    library.close()
    if target.exists():
        open_file(way).close()
    assert not held.is_held(path)


def test_a_library_that_appears_while_it_is_opened_keeps_its_locks(tmp_path, monkeypatch):
    """The descriptor is not closed again: closing would drop the locks."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    monkeypatch.setattr("zesty_abacus.core.files.reading.check_readable", os.stat)
    for _ in range(3):
        with pytest.raises(HeldError):
            open_file(path)
    assert locks_on(path)
    library.close()


def locks_on(path):
    """Return whether this process has POSIX locks on a file or its shared memory, as the kernel lists them."""
    inodes = {str(os.stat(f"{path}{ending}").st_ino) for ending in ("", "-shm") if os.path.exists(f"{path}{ending}")}
    with open("/proc/locks", encoding="ascii") as lines:
        for line in lines:
            words = line.split()
            if words[1] == "POSIX" and words[4] == str(os.getpid()) and words[5].split(":")[2] in inodes:
                return True
    return False


def test_every_look_at_an_open_library_leaves_its_locks(tmp_path):
    """What opens files by name in this program is tried on the file of an open library."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    assert locks_on(path), "without locks the test would show nothing"
    for read, error in READERS[:-1]:
        with pytest.raises(error):
            read(path)
    Library.open(path).close()
    assert locks_on(path)
    library.close()


def test_a_command_beside_an_open_library_does_not_end_its_log(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    for _ in range(2):
        subprocess.run([sys.executable, "-m", "zesty_abacus", "library", "log", str(path)], check=True, timeout=60)
    assert locks_on(path) and path.with_name(path.name + "-wal").exists()
    library.close()


def test_errors_name_the_file(tmp_path):
    with pytest.raises(FileError, match=r"none.*No such file"):
        open_file(tmp_path / "none")
