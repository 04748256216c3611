"""The file under a library: who may open it, two programs at once, what a reader sees while one writes."""

import subprocess
import sys
import threading
from pathlib import Path

import msgspec
import pytest
import sqlalchemy as sa
from alembic import command
from alembic.config import Config

from tests.library.test_store import pod, raw_engine
from zesty_abacus.core.library import store
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.engine import open_engine
from zesty_abacus.core.library.errors import LibraryError, mapped_errors
from zesty_abacus.core.library.store import Library


def make_old(address):
    """Make a library with the tables of the first version of the program."""
    where = library_address(address)
    engine = sa.create_engine(where.url if where.url is not None else f"sqlite:///{where.path}")
    config = Config()
    config.set_main_option("script_location", str(Path(store.__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, "0001")
    engine.dispose()


def pragma(engine, name):
    with engine.connect() as connection:
        return connection.exec_driver_sql(f"PRAGMA {name}").scalar()


def test_commits_are_durable_when_they_return(tmp_path):
    engine = open_engine(library_address(tmp_path / "library.sqlite"), create=True)
    assert pragma(engine, "journal_mode") == "wal"
    assert pragma(engine, "synchronous") == 2, "FULL: the log is on the disk before a commit returns"
    assert pragma(engine, "foreign_keys") == 1
    engine.dispose()


def test_several_programs_open_an_old_library_at_once(address):
    """All of them find its tables old; one migrates, the others wait and find it done."""
    make_old(address)
    path = address
    code = (
        "import sys\n"
        "from zesty_abacus.core.library.store import Library\n"
        "print(len(Library.open(sys.argv[1]).layouts()))\n"
    )
    running = [
        subprocess.Popen(
            [sys.executable, "-c", code, str(path)], stdout=subprocess.PIPE, stderr=subprocess.PIPE, text=True
        )
        for _ in range(4)
    ]
    for process in running:
        out, err = process.communicate(timeout=60)
        assert (process.returncode, out.strip()) == (0, "0"), err


def test_a_reader_sees_whole_states_only(library):
    """While layouts are brought in in one transaction, a reader sees none of them or all."""
    several = [pod(f"m{n}", n) for n in range(40)]
    seen, stop = set(), threading.Event()

    def look():
        other = Library.open(library.address)
        while not stop.is_set():
            notes = [layout.note for layout in other.layouts()]
            seen.add((len(notes), len(set(notes))))
        other.close()

    reader = threading.Thread(target=look)
    reader.start()
    for turn in range(8):
        changed = [msgspec.structs.replace(layout, note=str(turn)) for layout in several]
        library.import_layouts(changed, author="a", reason="turn")
    stop.set()
    reader.join()
    assert seen <= {(0, 0), (40, 1)} and (40, 1) in seen


def test_history_cannot_fork_even_past_the_program(library):
    layout = pod()
    library.commit(layout, parent=None, author="a")
    engine = raw_engine(library)
    copy = (
        "INSERT INTO revision (layout_id, number, parent_id, author, time_us, reason, document) "
        "SELECT layout_id, number, parent_id, author, time_us, reason, document FROM revision"
    )
    with pytest.raises(sa.exc.IntegrityError), engine.begin() as connection:
        connection.execute(sa.text(copy))
    engine.dispose()


def test_errors_of_the_driver_keep_their_cause_and_say_where():
    with pytest.raises(LibraryError) as caught, mapped_errors("shelf.sqlite"):
        raise sa.exc.OperationalError("SELECT secret", {}, Exception("disk I/O error"))
    text = str(caught.value)
    assert "shelf.sqlite" in text and "disk I/O error" in text and "SELECT" not in text
    assert isinstance(caught.value.__cause__, sa.exc.OperationalError)


def test_every_foreign_error_of_a_broken_file_is_mapped(tmp_path):
    """Pages are overwritten one after another; whatever the driver says, it is said as a library's error."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.import_layouts([pod(f"m{n}", n) for n in range(30)], author="a", reason="r")
    library.close()
    whole = path.read_bytes()
    refused = 0
    for page in range(0, len(whole), 4096):
        path.write_bytes(whole[:page] + bytes(range(256)) * 16 + whole[page + 4096 :])
        try:
            damaged = Library.open(path)
            damaged.layouts()
            damaged.search("m1")
            damaged.log()
            damaged.close()
        except LibraryError:
            refused += 1
        for extra in tmp_path.glob("library.sqlite-*"):
            extra.unlink()
    assert refused > 0


def test_a_folder_that_cannot_be_written_is_one_error(tmp_path):
    path = tmp_path / "library.sqlite"
    path.mkdir()
    with pytest.raises(LibraryError):
        Library.open(path)


def test_the_log_is_the_newest_first_and_bounded(tmp_path):
    library = Library.create(tmp_path / "library.sqlite", "shelf")
    for number in range(10):
        library.commit(pod(f"m{number}", number), parent=None, author="a")
    assert [name for _, name in library.log(3)] == ["m9", "m8", "m7"]
    assert library.name == "shelf"
    library.close()
