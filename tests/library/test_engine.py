"""The file under a library: who may open it, two programs at once, what a reader sees while one writes."""

import errno
import os
import subprocess
import sys
import threading
from pathlib import Path

import msgspec
import psycopg
import pytest
import sqlalchemy as sa
from alembic import command
from alembic.config import Config
from alembic.script import ScriptDirectory

from tests.library.test_store import pod, raw_engine
from zesty_abacus.core.layouts.json_form import layout_to_json
from zesty_abacus.core.layouts.model import Applies
from zesty_abacus.core.library import store
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.driver_errors import mapped_errors
from zesty_abacus.core.library.engine import open_engine
from zesty_abacus.core.library.errors import LibraryError, UnreachableError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.versions import MIGRATIONS, known_versions
from zesty_abacus.core.recipes.json_form import recipe_to_json
from zesty_abacus.core.recipes.model import new_recipe


def make_old(address, version="0001"):
    """Make a library with the tables of an earlier version of the program; return an open engine on it."""
    where = library_address(address)
    engine = sa.create_engine(where.url if where.url is not None else f"sqlite:///{where.path}")
    config = Config()
    config.set_main_option("script_location", str(Path(store.__file__).parent / "migrations"))
    with engine.begin() as connection:
        config.attributes["connection"] = connection
        command.upgrade(config, version)
    return engine


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
    make_old(address).dispose()
    path = address
    code = (
        "import sys\n"
        "from zesty_abacus.core.library.store import Library\n"
        "print(len(Library.open(sys.argv[1]).layouts.states()))\n"
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
            notes = [layout.note for layout in other.layouts.states()]
            seen.add((len(notes), len(set(notes))))
        other.close()

    reader = threading.Thread(target=look)
    reader.start()
    for turn in range(8):
        changed = [msgspec.structs.replace(layout, note=str(turn)) for layout in several]
        library.layouts.import_all(changed, author="a", reason="turn")
    stop.set()
    reader.join()
    assert seen <= {(0, 0), (40, 1)} and (40, 1) in seen


def test_history_cannot_fork_even_past_the_program(library):
    layout = pod()
    library.layouts.commit(layout, parent=None, author="a")
    engine = raw_engine(library)
    copy = (
        "INSERT INTO revision (layout_id, number, parent_id, author, time_us, reason, document) "
        "SELECT layout_id, number, parent_id, author, time_us, reason, document FROM revision"
    )
    with pytest.raises(sa.exc.DBAPIError, match="one_child_a"), engine.begin() as connection:
        connection.execute(sa.text(copy))
    engine.dispose()


def test_errors_of_the_driver_keep_their_cause_and_say_where():
    with pytest.raises(LibraryError) as caught, mapped_errors("shelf.sqlite"):
        raise sa.exc.OperationalError("SELECT secret", {}, Exception("disk I/O error"))
    text = str(caught.value)
    assert "shelf.sqlite" in text and "disk I/O error" in text and "SELECT" not in text
    assert isinstance(caught.value.__cause__, sa.exc.OperationalError)


@pytest.mark.parametrize(
    "number",
    [
        errno.ENETUNREACH, errno.EHOSTUNREACH, errno.ENETDOWN, errno.ECONNRESET, errno.ECONNREFUSED, errno.ETIMEDOUT,
        errno.EPIPE,
    ],
)  # fmt: skip
@pytest.mark.parametrize(
    "sentence",
    [
        "consuming input failed: could not receive data from server: {}",
        "sending query and params failed: could not send data to server: {}",
        "SSL SYSCALL error: {}",
        "{}",
    ],
)
def test_however_a_cable_is_lost_the_server_does_not_answer(sentence, number):
    """A route that is gone is told by the system at once, in other words than a silent one."""
    lost = sa.exc.OperationalError("ROLLBACK", {}, psycopg.OperationalError(sentence.format(os.strerror(number))))
    with pytest.raises(UnreachableError), mapped_errors("harbour"):
        raise lost


def test_a_certificate_that_is_not_trusted_is_no_lost_cable():
    text = "SSL error: certificate verify failed"
    with pytest.raises(LibraryError) as caught, mapped_errors("harbour"):
        raise sa.exc.OperationalError("SELECT", {}, psycopg.OperationalError(text))
    assert not isinstance(caught.value, UnreachableError)


def test_every_foreign_error_of_a_broken_file_is_mapped(tmp_path):
    """Pages are overwritten one after another; whatever the driver says, it is said as a library's error."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    library.layouts.import_all([pod(f"m{n}", n) for n in range(30)], author="a", reason="r")
    library.close()
    whole = path.read_bytes()
    refused = 0
    for page in range(0, len(whole), 4096):
        path.write_bytes(whole[:page] + bytes(range(256)) * 16 + whole[page + 4096 :])
        try:
            damaged = Library.open(path)
            damaged.layouts.states()
            damaged.layouts.search("m1")
            damaged.layouts.log()
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
        library.layouts.commit(pod(f"m{number}", number), parent=None, author="a")
    assert [name for _, name in library.layouts.log(3)] == ["m9", "m8", "m7"]
    assert library.name == "shelf"
    library.close()


def fill_old(connection, version):
    """Write a layout with a changed and a removed one beside it, and what else that version could keep."""

    def put(statement, **values):
        connection.execute(sa.text(statement), values)

    put("INSERT INTO library_info VALUES ('id', '0b7c6c0e-9f52-4a52-8d0c-6f3e0a2f5d11'), ('name', 'old quay')")
    layout = msgspec.structs.replace(pod(), applies=Applies(address=0x1A1, lanes=("thruster", "spare")))
    keys = {"layout": str(layout.id), "document": layout_to_json(layout).decode()}
    insert = (
        "INSERT INTO revision (id, layout_id, number, parent_id, author, time_us, reason, document) "
        "VALUES (:id, :layout, :number, :parent, :author, :time, 'why', :document)"
    )
    first = layout_to_json(msgspec.structs.replace(layout, name="before")).decode()
    put(insert, **keys | {"document": first}, id=1, number=1, parent=None, author="mara", time=1)
    put(insert, **keys, id=2, number=2, parent=1, author="jo", time=2)
    gone = keys | {"layout": "11111111-1111-4111-8111-111111111111"}
    put(insert, **gone, id=3, number=1, parent=None, author="jo", time=3)
    put(insert, **gone | {"document": None}, id=4, number=2, parent=3, author="jo", time=4)
    put(
        "INSERT INTO head (layout_id, revision_id, name, folded_name, protocol, address, extended) "
        "VALUES (:layout, 2, :name, :folded, 'can', 417, :no)",
        layout=keys["layout"], name=layout.name, folded=layout.name.casefold(), no=False,
    )  # fmt: skip
    if version >= "0002":
        recipe = new_recipe("deck")
        put(
            "INSERT INTO recipe_revision (id, recipe_id, number, author, time_us, reason, document) "
            "VALUES (1, :id, 1, 'mara', 5, 'measured', :document)",
            id=str(recipe.id), document=recipe_to_json(recipe).decode(),
        )  # fmt: skip
        put("INSERT INTO recipe_head VALUES (:id, 1, 'deck')", id=str(recipe.id))
    if version >= "0003":
        put("INSERT INTO release (id, name, notes, author, time_us) VALUES (1, 'run 1', '', 'ada', 6)")
        put("INSERT INTO release_item VALUES (1, :layout, 1)", layout=keys["layout"])
    if version >= "0004":
        put("INSERT INTO met VALUES ('home', :layout, 2, 77)", layout=keys["layout"])
    if connection.dialect.name == "postgresql":
        for table in ("revision", *(("recipe_revision",) if version >= "0002" else ())):
            put(f"SELECT setval('{table}_id_seq', (SELECT max(id) FROM {table}))")
        if version >= "0003":
            put("SELECT setval('release_id_seq', 1)")
    return layout


@pytest.mark.parametrize("version", ["0001", "0002", "0003", "0004"])
def test_a_library_of_any_earlier_version_keeps_what_it_holds(address, version):
    engine = make_old(address, version)
    with engine.begin() as connection:
        layout = fill_old(connection, version)
    engine.dispose()
    library = Library.open(address)
    assert library.name == "old quay" and library.layouts.states() == [layout]
    assert [(one.author, one.number, one.login) for one in library.layouts.history(layout.id)] == [
        ("jo", 2, ""),
        ("mara", 1, ""),
    ]
    assert library.layouts.state_at(1).name == "before" and len(library.layouts.log()) == 4
    (found,) = library.layouts.find("")
    assert found.lanes == ("thruster", "spare") and found.changes == 2, "lanes are read out of the documents"
    assert [head.state.name for head in library.recipes.heads()] == (["deck"] if version >= "0002" else [])
    assert [one.name for one in library.releases.all()] == (["run 1"] if version >= "0003" else [])
    if version >= "0003":
        assert [one.name for one in library.layouts.of_release("run 1")] == ["before"]
    with library.engine.connect() as connection:
        met = connection.execute(sa.text("SELECT item_id, own_revision, home_revision FROM met")).all()
    assert [tuple(row) for row in met] == ([(str(layout.id), 2, 77)] if version >= "0004" else [])
    made = library.layouts.commit(msgspec.structs.replace(layout, note="now"), parent=2, author="mara")
    assert made.number == 3 and library.proposals.open() == [] and library.proposals.rules().needed == 0
    with pytest.raises(sa.exc.DBAPIError, match="never rewritten"), library.engine.begin() as connection:
        connection.execute(sa.text("UPDATE revision SET author = 'x' WHERE id = 1"))
    library.close()


def test_the_versions_that_are_known_are_those_of_the_files_that_make_them():
    config = Config()
    config.set_main_option("script_location", str(MIGRATIONS))
    scripts = ScriptDirectory.from_config(config)
    assert known_versions() == sorted(one.revision for one in scripts.walk_revisions())
    assert known_versions()[-1] == scripts.get_current_head()
    assert [Path(one.path).name[1:5] for one in scripts.walk_revisions()] == known_versions()[::-1]


def test_a_file_library_is_opened_without_what_only_servers_and_old_ones_need(tmp_path):
    Library.create(library_address(tmp_path / "lib.zal"), "here").close()
    code = (
        "import sys; from zesty_abacus.core.library.store import Library;"
        "Library.open(sys.argv[1]).close();"
        "print(*(name for name in ('alembic', 'psycopg', 'keyring', 'mako') if name in sys.modules))"
    )
    command = [sys.executable, "-c", code, str(tmp_path / "lib.zal")]
    done = subprocess.run(command, capture_output=True, text=True, check=True)
    assert done.stdout.split() == []
