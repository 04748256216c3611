"""Many engineers, one truth: merged changes, releases, roles, refusals, a server that goes away."""

from __future__ import annotations

import signal
import threading
import time

import keyring
import keyring.backends.fail
import keyring.errors
import msgspec
import psycopg
import pytest
import sqlalchemy as sa

from tests.cli.program import run
from tests.library.test_store import NASTY, pod, raw_engine
from zesty_abacus.core.layouts.model import new_field
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library import passwords
from zesty_abacus.core.library.address import library_address
from zesty_abacus.core.library.errors import (
    ClashError,
    LibraryError,
    PasswordNeededError,
    RefusedError,
    StaleParentError,
    UnknownLayoutError,
    UnreachableError,
)
from zesty_abacus.core.library.passwords import forget_password, has_password, type_password
from zesty_abacus.core.library.roles import make_roles
from zesty_abacus.core.library.store import Library


def with_unit(layout, unit):
    return layout.with_field(msgspec.structs.replace(layout.field_named("angle"), unit=unit))


def test_disjoint_changes_of_one_layout_are_merged(library):
    first = pod()
    parent = library.layouts.commit(first, parent=None, author="mara").id
    mine = library.layouts.commit_merged(with_unit(first, "rad"), parent=parent, author="mara")
    other = first.with_field(new_field("rate", at("B3 B2")))
    both = library.layouts.commit_merged(other, parent=parent, author="bench 2")
    assert both.state.field_named("angle").unit == "rad" and both.state.field_named("rate") is not None
    assert both.revision.parent_id == mine.revision.id
    assert both.revision.reason == "rate added at B3 B2 (merged with the change by mara)"
    assert library.layouts.states() == [both.state]


def test_a_real_clash_writes_nothing_and_holds_all_sides(library):
    first = pod()
    parent = library.layouts.commit(first, parent=None, author="a").id
    library.layouts.commit_merged(with_unit(first, "rad"), parent=parent, author="mara")
    with pytest.raises(ClashError, match="mara changed the same: angle") as told:
        library.layouts.commit_merged(with_unit(first, "gon"), parent=parent, author="b")
    (clash,) = told.value.merged.clashes
    assert (clash.base, clash.ours, clash.theirs) == ("deg", "gon", "rad")
    assert told.value.theirs.state.field_named("angle").unit == "rad" and len(library.layouts.history(first.id)) == 2


def test_two_changes_that_make_no_layout_together_are_a_clash(library):
    first = pod()
    parent = library.layouts.commit(first, parent=None, author="a").id
    library.layouts.commit_merged(first.with_field(new_field("x", at("B4"))), parent=parent, author="mara")
    with pytest.raises(ClashError, match="overlaps"):
        library.layouts.commit_merged(first.with_field(new_field("y", at("B4[3..0]"))), parent=parent, author="b")


def test_writers_at_once_lose_no_update(library):
    """Each of eight writers changes a field of its own, all from the first state; all changes are in the end."""
    fields = [new_field(f"f{n}", at(f"B{n}")) for n in range(8)]
    first = msgspec.structs.replace(pod(), fields=tuple(fields))
    parent = library.layouts.commit(first, parent=None, author="a").id
    failed = []

    def write(number):
        other = Library.open(library.address)
        try:
            changed = first.with_field(msgspec.structs.replace(fields[number], note=f"by {number}"))
            other.layouts.commit_merged(changed, parent=parent, author=f"w{number}")
        except LibraryError as error:
            failed.append(error)
        other.close()

    threads = [threading.Thread(target=write, args=(n,)) for n in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert failed == []
    assert [field.note for field in library.layouts.states()[0].fields] == [f"by {n}" for n in range(8)]
    assert len(library.layouts.history(first.id)) == 9


def test_new_changes_are_seen_by_a_light_look(library):
    assert library.marks().layouts == 0
    made = library.layouts.commit(pod(), parent=None, author="a")
    assert library.marks().layouts == made.id


def test_a_release_never_changes(library):
    first, second = pod("One", 1), pod("Two", 2)
    one = library.layouts.commit(first, parent=None, author="a")
    library.layouts.commit(second, parent=None, author="a")
    library.releases.make("run 14", author="keeper", notes=NASTY)
    library.layouts.commit(with_unit(first, "rad"), parent=one.id, author="b")
    library.layouts.commit(pod("Three", 3), parent=None, author="b")
    assert library.layouts.of_release("run 14") == [first, second]
    (release,) = library.releases.all()
    assert (release.name, release.author, release.notes, release.layouts) == ("run 14", "keeper", NASTY, 2)
    with pytest.raises(LibraryError, match="never changes"):
        library.releases.make("run 14", author="b")
    with pytest.raises(LibraryError, match="needs a name"):
        library.releases.make(" ", author="b")
    with pytest.raises(UnknownLayoutError, match="no release"):
        library.layouts.of_release("run 15")


@pytest.mark.parametrize("table", ["revision", "recipe_revision", "release", "release_item"])
def test_history_is_never_rewritten_even_past_the_program(library, table):
    """The database itself refuses, whoever asks: here its owner."""
    from zesty_abacus.core.recipes.model import new_recipe

    library.layouts.commit(pod(), parent=None, author="a")
    library.recipes.commit(new_recipe("r"), parent=None, author="a")
    library.releases.make("r", author="a")
    engine = raw_engine(library)
    statements = [f"DELETE FROM {table}", f"UPDATE {table} SET {'notes' if table == 'release' else 'author'} = 'x'"]
    if table == "release_item":
        statements[1] = "UPDATE release_item SET revision_id = 1"
    if engine.dialect.name == "postgresql":
        statements.append(f"TRUNCATE {table} CASCADE")
    for statement in statements:
        with pytest.raises(sa.exc.DBAPIError, match="history is never rewritten"), engine.begin() as connection:
            connection.execute(sa.text(statement))
    engine.dispose()


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("postgresql://mara:secret@db/lib", "password does not belong"), ("mysql://db/lib", "no address of a library"),
        ("postgresql://db/lib?password=secret", "password does not belong"), ("://", "no address"),
        ("postgresql://mara@db.example/lib?sslmode=require", "without knowing"),
        ("postgresql://mara@db.example/lib?sslmode=disable", "without knowing"),
    ],
)  # fmt: skip
def test_addresses_that_must_not_be_used(text, words):
    with pytest.raises(LibraryError, match=words) as told:
        library_address(text)
    assert "secret" not in str(told.value)


def test_certificates_are_checked_for_any_host_but_this_one():
    def mode(text):
        return library_address(text).url.query.get("sslmode")

    assert mode("postgresql://mara@db.example/lib") == "verify-full"
    assert mode("postgresql://mara@10.0.0.7/lib?sslmode=verify-ca") == "verify-ca"
    assert mode("postgresql://mara@127.0.0.1/lib") == "prefer" == mode("postgresql:///lib?host=/tmp")
    assert str(library_address("postgresql://mara@db.example:5433/lib")) == "lib on db.example:5433"


@pytest.fixture
def shared(cluster):
    """A library on the server with its roles, and a login for each."""
    database = cluster.new_database()
    library = Library.create(cluster.address(database), "shared")
    make_roles(library)
    make_roles(library)
    for role in ("reader", "writer", "keeper"):
        login = f"{role}_{database}"
        cluster.execute("postgres", f"CREATE ROLE {login} LOGIN PASSWORD 'right-{role}'")
        cluster.execute("postgres", f"GRANT zesty_{role} TO {login}")
    yield cluster, database, library
    library.close()


def test_each_role_may_do_what_it_may(shared):
    cluster, database, owner = shared
    owner.layouts.commit(pod("Known"), parent=None, author="owner")
    reader, writer, keeper = (Library.open(cluster.address(database, f"{role}_{database}"))
                              for role in ("reader", "writer", "keeper"))  # fmt: skip
    assert [layout.name for layout in reader.layouts.states()] == ["Known"]
    for attempt in (
        lambda: reader.layouts.commit(pod("New"), parent=None, author="reader"),
        lambda: reader.releases.make("mine", author="reader"),
        lambda: writer.releases.make("mine", author="writer"),
    ):
        with pytest.raises(RefusedError, match="not change it"):
            attempt()
    made = writer.layouts.commit(pod("New", 7), parent=None, author="writer")
    writer.layouts.commit(with_unit(writer.layouts.state_at(made.id), "rad"), parent=made.id, author="writer")
    keeper.releases.make("run 14", author="keeper")
    assert len(reader.layouts.of_release("run 14")) == 2
    for one in (reader, writer, keeper):
        one.close()


@pytest.mark.parametrize("role", ["reader", "writer", "keeper"])
def test_raw_statements_of_a_role_are_refused_by_the_server(shared, role):
    cluster, database, owner = shared
    owner.layouts.commit(pod(), parent=None, author="owner")
    forbidden = [
        "UPDATE revision SET author = 'x'", "DELETE FROM revision", "TRUNCATE revision CASCADE",
        "ALTER TABLE revision DISABLE TRIGGER ALL", "DROP TABLE head", "UPDATE library_info SET value = 'x'",
        "CREATE ROLE thief SUPERUSER", "DELETE FROM release", "UPDATE alembic_version SET version_num = '9'",
    ]  # fmt: skip
    if role == "reader":
        forbidden += ["INSERT INTO head VALUES ('x', 1, 'x', 'x', 'can', 1, false)", "DELETE FROM head"]
    for statement in forbidden:
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            cluster.execute(database, statement, f"{role}_{database}")


def test_a_wrong_password_is_told_and_never_repeated(shared, monkeypatch):
    cluster, database, _ = shared
    monkeypatch.setenv("PGPASSWORD", "wrong-and-secret")
    with pytest.raises(RefusedError, match="does not let you in") as told:
        Library.open(cluster.by_port(database, f"writer_{database}"))
    assert "wrong-and-secret" not in str(told.value)
    monkeypatch.setenv("PGPASSWORD", "right-writer")
    library = Library.open(cluster.by_port(database, f"writer_{database}"))
    library.layouts.commit(pod(), parent=None, author="writer")
    library.close()


def test_a_password_comes_from_the_pass_file(shared, monkeypatch, tmp_path):
    cluster, database, _ = shared
    passes = tmp_path / "pgpass"
    passes.write_text(f"127.0.0.1:{cluster.port}:{database}:writer_{database}:right-writer\n")
    passes.chmod(0o600)
    monkeypatch.setenv("PGPASSFILE", str(passes))
    Library.open(cluster.by_port(database, f"writer_{database}")).close()


def test_a_database_without_a_library_and_one_that_has_one(cluster):
    address = cluster.address(cluster.new_database())
    with pytest.raises(LibraryError, match="no library in this database"):
        Library.open(address)
    Library.create(address).close()
    with pytest.raises(LibraryError, match="exists already"):
        Library.create(address)


def test_a_server_that_goes_away_and_comes_back(cluster):
    library = Library.create(cluster.address(cluster.new_database()))
    first = pod()
    made = library.layouts.commit(first, parent=None, author="a")
    for how in (signal.SIGINT, signal.SIGQUIT):
        cluster.stop(how)
        with pytest.raises(UnreachableError, match="does not answer"):
            library.layouts.commit(with_unit(first, "rad"), parent=made.id, author="a")
        cluster.start()
        assert library.layouts.states() == [first], "what was kept is there, what was refused is not"
    library.layouts.commit(with_unit(first, "rad"), parent=made.id, author="a")
    library.close()


def test_a_server_stopped_in_mid_commit_keeps_what_it_acknowledged(cluster):
    address = cluster.address(cluster.new_database())
    library = Library.create(address)
    layout, parent = pod(), None
    told = []

    def write():
        nonlocal layout, parent
        try:
            while True:
                layout = msgspec.structs.replace(layout, note=str(len(told)))
                parent = library.layouts.commit(layout, parent=parent, author="a").id
                told.append(parent)
        except LibraryError:
            return

    for turn in range(6):
        writer = threading.Thread(target=write)
        writer.start()
        while len(told) < 10 * (turn + 1):
            pass
        cluster.stop(signal.SIGQUIT)
        writer.join()
        cluster.start()
        history = [revision.id for revision in library.layouts.history(layout.id)]
        assert set(told) <= set(history), "an acknowledged change is gone"
        assert len(history) - len(told) <= 1, "at most the one on its way may be there besides"
        newest = library.layouts.head_of(layout.id)
        layout, parent = newest.state, newest.revision.id
        told = sorted(history)
    library.close()


def test_the_command_line_works_with_a_server(cluster, tmp_path):
    address = cluster.address(cluster.new_database())
    assert run("library", "new", address, "--name", "shared")[0] == 0
    own = Library.open(address)
    made = own.layouts.commit(pod(), parent=None, author="a")
    assert run("library", "release", address, "run 14", "--notes", "first", "--author", "k")[0] == 0
    own.layouts.commit(with_unit(own.layouts.state_at(made.id), "rad"), parent=made.id, author="b")
    own.close()
    assert "run 14" in run("library", "releases", address)[1]
    code, out, _ = run("library", "compare", address, "run 14")
    assert code == 0 and "Azimuth feedback" in out and "angle in rad, was deg" in out
    code, out, _ = run("library", "compare", address, "run 14", "--json")
    assert '"standing": "changed"' in out
    assert run("library", "roles", address)[0] == 0
    assert "GRANT SELECT" in run("library", "roles", address, "--show")[1]
    code, _, err = run("library", "show", "postgresql://mara:secret@db/lib")
    assert code != 0 and "secret" not in err and "pass file" in err


def test_stale_parents_are_still_refused_where_no_merge_is_asked(library):
    first = pod()
    one = library.layouts.commit(first, parent=None, author="a")
    library.layouts.commit(with_unit(first, "rad"), parent=one.id, author="b")
    with pytest.raises(StaleParentError):
        library.layouts.remove(first.id, parent=one.id, author="a")


def test_decoding_uses_a_release_and_says_which(library, tmp_path):
    log = tmp_path / "run.log"
    log.write_text("(1.000000) thruster 1A1#0A00000000000000\n")
    first = pod()
    made = library.layouts.commit(first, parent=None, author="a")
    library.releases.make("run 14", author="keeper")
    changed = first.with_field(msgspec.structs.replace(first.field_named("angle"), ratio=first.fields[0].ratio * 2))
    library.layouts.commit(changed, parent=made.id, author="a")
    address = str(library.address.path or library.address.url.set(drivername="postgresql").render_as_string())
    code, then, err = run("decode", log, "--library", address, "--release", "run 14")
    assert code == 0 and ",0.5," in then and "decoded with harbour team, release run 14" in err
    code, now, err = run("decode", log, "--library", address)
    assert code == 0 and ",10,1," in now and "revision 2" in err
    assert run("decode", log, "--library", address, "--release", "run 15")[0] == 1


def test_a_clock_that_is_an_hour_off_turns_nothing_round(library, monkeypatch):
    """History is ordered by what began from what, not by anybody's clock."""
    first = pod()
    one = library.layouts.commit(first, parent=None, author="right")
    now = time.time_ns()
    monkeypatch.setattr("zesty_abacus.core.library.signing.time.time_ns", lambda: now - 3600 * 10**9)
    two = library.layouts.commit(with_unit(first, "rad"), parent=one.id, author="an hour late")
    monkeypatch.undo()
    both = library.layouts.commit_merged(
        first.with_field(new_field("rate", at("B3 B2"))), parent=one.id, author="right again"
    ).state
    # in a file it is the writer's clock, on a server everybody's
    assert (two.time < one.time) == (library.address.url is None)
    assert [item.author for item in library.layouts.history(first.id)] == ["right again", "an hour late", "right"]
    assert both.field_named("angle").unit == "rad" and library.layouts.states() == [both]


def test_a_change_that_is_made_twice_is_kept_once(library):
    """The answer of the first time was lost on its way, so the same change is sent again."""
    first = pod()
    parent = library.layouts.commit(first, parent=None, author="a").id
    made = library.layouts.commit_merged(with_unit(first, "rad"), parent=parent, author="mara")
    assert (
        library.layouts.commit_merged(with_unit(first, "rad"), parent=parent, author="mara").revision == made.revision
    )
    assert len(library.layouts.history(first.id)) == 2


def test_a_password_is_typed_and_kept_in_the_keyring(shared, ring, monkeypatch):
    cluster, database, _ = shared
    monkeypatch.delenv("PGPASSWORD", raising=False)
    monkeypatch.setenv("PGPASSFILE", "/nowhere")
    where = cluster.by_port(database, f"writer_{database}")
    with pytest.raises(PasswordNeededError, match="asks for a password"):
        Library.open(where)
    address = library_address(where)
    assert type_password(address, "right-writer", keep=True) is True
    Library.open(where).close()
    monkeypatch.setattr(passwords, "_typed", {})
    Library.open(where).close()
    assert list(ring.kept) == [("zesty-abacus", f"writer_{database}@127.0.0.1:{cluster.port}")]
    type_password(address, "wrong-and-secret")
    Library.open(where).close()
    assert has_password(address) and forget_password(address) and not has_password(address)
    type_password(address, "wrong-and-secret")
    with pytest.raises(RefusedError, match="does not let you in") as told:
        Library.open(where)
    assert "wrong-and-secret" not in str(told.value) and ring.kept == {}
    forget_password(address)


def test_a_keyring_that_does_not_let_go_is_not_said_to_have(ring, monkeypatch):
    address = library_address("postgresql://mara@db.example/lib")
    assert type_password(address, "aye-aye", keep=True)

    def refuse(_self, _service, _username):
        raise keyring.errors.PasswordDeleteError("locked")

    monkeypatch.setattr(type(ring), "delete_password", refuse)
    assert not forget_password(address) and has_password(address)
    monkeypatch.undo()
    assert forget_password(address) and not has_password(address)


def test_without_a_keyring_a_typed_password_lasts_as_long_as_the_program(shared, monkeypatch):
    cluster, database, _ = shared
    monkeypatch.setenv("PGPASSFILE", "/nowhere")
    before = keyring.get_keyring()
    keyring.set_keyring(keyring.backends.fail.Keyring())
    try:
        address = library_address(cluster.by_port(database, f"writer_{database}"))
        assert type_password(address, "right-writer", keep=True) is False
        Library.open(address).close()
        forget_password(address)
        with pytest.raises(PasswordNeededError):
            Library.open(address)
    finally:
        keyring.set_keyring(before)
