"""The file under a library: what is taken for one, and that what was told as kept is there, whoever is killed."""

import contextlib
import shutil
import signal
import sqlite3
import subprocess
import threading
import time

import pytest

from tests.cli.program import run
from tests.forked import Forked
from tests.library.test_store import pod
from zesty_abacus.core.files import held
from zesty_abacus.core.library import file as files
from zesty_abacus.core.library.errors import LibraryError, MissingLibraryError
from zesty_abacus.core.library.store import Library


def test_an_empty_file_is_no_library(tmp_path):
    """What a full disk or a broken copy left behind must not look like a library with nothing in it."""
    path = tmp_path / "library.sqlite"
    path.touch()
    with pytest.raises(LibraryError, match="the file is empty"):
        Library.open(path)
    with pytest.raises(LibraryError, match="exists already"):
        Library.create(path)
    assert path.stat().st_size == 0 and list(tmp_path.iterdir()) == [path]


def test_every_cut_is_refused_or_told(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.layouts.import_all([pod(f"m{n}", n) for n in range(20)], author="a", reason="r")
    library.close()
    whole = path.read_bytes()
    for size in (0, 1, 15, 16, 100, 1000, 4096, len(whole) // 2, len(whole) - 4096, len(whole) - 1):
        path.write_bytes(whole[:size])
        with pytest.raises(LibraryError):
            opened = Library.open(path)
            try:
                # a cut that is found only when its page is read
                assert len(opened.layouts.heads()) == 20, size
                raise LibraryError("whole after all")
            finally:
                opened.close()


@pytest.mark.parametrize(
    "table", ["revision", "recipe_revision", "document_revision", "proposal_event", "rule", "release", "draft"]
)
def test_no_row_is_of_a_time_that_no_calendar_has(tmp_path, table):
    path = tmp_path / "library.sqlite"
    Library.create(path).close()
    with contextlib.closing(sqlite3.connect(path)) as raw:
        # what else is refused would be told first
        rules = [name for (name,) in raw.execute("SELECT name FROM sqlite_master WHERE type = 'trigger'")]
        for name in rules:
            if not name.endswith("_has_a_time"):
                raw.execute(f"DROP TRIGGER {name}")
        refused = []
        for time_us in (-1, 0, 253_402_300_799_000_000, 253_402_300_799_000_001):
            with pytest.raises(sqlite3.IntegrityError) as told:
                raw.execute(f"INSERT INTO {table} (time_us) VALUES ({time_us})")
            refused.append("this is no time" in str(told.value))
        assert refused == [True, False, False, True]


def test_a_database_of_another_program_stays_its_own(tmp_path):
    path = tmp_path / "photos.sqlite"
    with sqlite3.connect(path) as other:
        other.execute("CREATE TABLE photo (id INTEGER)")
    other.close()
    before = path.read_bytes()
    with pytest.raises(LibraryError, match="another program"):
        Library.open(path)
    assert path.read_bytes() == before and list(tmp_path.iterdir()) == [path]
    with sqlite3.connect(path) as other:
        other.execute("PRAGMA application_id = 77")
        other.execute("CREATE TABLE library_info (key TEXT)")
        other.execute("CREATE TABLE alembic_version (version_num TEXT)")
    other.close()
    with pytest.raises(LibraryError, match="another program"):
        Library.open(path)


def test_a_library_says_whose_it_is(tmp_path):
    path = tmp_path / "library.sqlite"
    Library.create(path).close()
    assert int.from_bytes(path.read_bytes()[68:72], "big") == files.APPLICATION_ID


def test_only_new_makes_a_library(tmp_path):
    with pytest.raises(MissingLibraryError):
        Library.open(tmp_path / "none.sqlite")
    assert not list(tmp_path.iterdir())


def test_of_many_that_make_one_library_one_does(tmp_path):
    made, begin = [], threading.Barrier(6)

    def make():
        begin.wait()
        with contextlib.suppress(LibraryError):
            made.append(Library.create(tmp_path / "library.sqlite"))

    threads = [threading.Thread(target=make) for _ in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(made) == 1 and made[0].id
    made[0].close()


def test_a_file_is_held_just_as_long_as_it_is_open(tmp_path):
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    again = Library.open(path)
    library.close()
    assert held.is_held(path)
    again.close()
    assert not held.is_held(path) and not held.is_held(f"{path}-wal")


def test_where_memory_is_not_shared_there_is_no_log_and_it_is_said(tmp_path, monkeypatch):
    path = tmp_path / "library.sqlite"
    logged = Library.create(path)
    assert logged.note() == ""
    logged.close()
    monkeypatch.setattr(files, "file_system_of", lambda _path: "nfs4")
    library = Library.open(path)
    assert "shares no memory" in library.note()
    library.layouts.commit(pod(), parent=None, author="a")
    assert not (tmp_path / "library.sqlite-wal").exists()
    library.close()


def test_a_driver_without_shared_memory_keeps_changes_all_the_same(tmp_path, monkeypatch):
    """SQLite's own locks by files know no shared memory: the log is refused, and changes are whole without it."""
    path = tmp_path / "library.sqlite"
    Library.create(path).close()
    monkeypatch.setattr(files, "connect_file", lambda path, factory=sqlite3.Connection: sqlite3.connect(
        f"file:{path}?mode=rw&vfs=unix-dotfile", uri=True, check_same_thread=False, factory=factory))  # fmt: skip
    with sqlite3.connect(path) as plain:
        plain.execute("PRAGMA journal_mode=DELETE")
    plain.close()
    library = Library.open(path)
    assert "shares no memory" in library.note()
    library.layouts.commit(pod(), parent=None, author="a")
    library.close()
    assert len(Library.open(path).layouts.states()) == 1


def test_the_file_system_of_a_path_is_known(tmp_path):
    said = subprocess.run(["df", "--output=fstype", str(tmp_path)], capture_output=True, text=True, check=True)
    assert files.file_system_of(tmp_path) == said.stdout.split()[-1]


@pytest.mark.parametrize("sign", [signal.SIGTERM, signal.SIGKILL])
def test_what_was_told_as_kept_is_there_whoever_is_killed(tmp_path, sign):
    """Two programs write, commands come and go beside them, one is killed at any point; nothing told is lost."""
    path = tmp_path / "library.sqlite"
    Library.create(path).close()
    running = [
        Forked("tests.library.looking_writer", [str(path), name], tmp_path / f"{name}.told") for name in ("one", "two")
    ]
    assert all(process.first_line() for process in running)
    for _ in range(3):
        assert run("library", "log", path)[0] == 0
    running[0].send_signal(sign)
    time.sleep(0.2)
    running[1].send_signal(signal.SIGKILL)
    told = []
    for process in running:
        process.wait()
        told += process.lines()
    library = Library.open(path)
    there = {str(layout.id) for layout in library.layouts.states()}
    library.close()
    assert len(told) > 20 and set(told) <= there
    with sqlite3.connect(path) as raw:
        assert raw.execute("PRAGMA integrity_check").fetchone() == ("ok",)
    raw.close()


def test_a_copy_of_an_open_library_is_not_made_beside_the_driver(tmp_path):
    """Copying by name in this process would drop the locks; a command of the system may copy what it likes."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.layouts.commit(pod(), parent=None, author="a")
    subprocess.run(["cp", str(path), str(tmp_path / "copy.sqlite")], check=True)
    assert held.is_held(path) and path.with_name("library.sqlite-wal").exists()
    library.close()
    shutil.copy(path, tmp_path / "copy.sqlite")
    assert len(Library.open(tmp_path / "copy.sqlite").layouts.states()) == 1
