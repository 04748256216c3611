"""What logins may do with SQL of their own: hundreds of statements by role, and every way past agreement."""

import json
import threading
from uuid import uuid4

import psycopg
import pytest

from tests.library.conftest import Team
from tests.library.test_engine import make_old
from tests.library.test_store import pod
from zesty_abacus.core.layouts.json_form import layout_to_json
from zesty_abacus.core.library.errors import LibraryError
from zesty_abacus.core.library.proposals import Rules, Step
from zesty_abacus.core.library.roles import ROLES, role_statements
from zesty_abacus.core.library.search import layout_index
from zesty_abacus.core.library.store import Library

TABLES = (
    "library_info", "revision", "head", "head_field", "recipe_revision", "recipe_head", "release", "release_item",
    "rule", "proposal_event", "document_revision", "document_head", "presence", "draft", "met", "held_thing",
    "alembic_version",
)  # fmt: skip
NUMBERED = ("revision", "recipe_revision", "document_revision", "proposal_event", "release", "rule")
LOCKS = ("ROW SHARE", "ROW EXCLUSIVE", "SHARE", "SHARE ROW EXCLUSIVE", "EXCLUSIVE", "ACCESS EXCLUSIVE")
INSIDE = (
    "zesty_hold_things(ARRAY['rules'])", "zesty_check_parent(1, 1)", "zesty_now_us()",
    "zesty_index_layout('a', 1, NULL)", "zesty_check_document('{}', gen_random_uuid())",
)  # fmt: skip
KEEPERS = ("zesty_release('r', '', 'x')", "zesty_set_rules(0, '[]', 'x')")
WRITERS = (
    "zesty_hold(ARRAY[]::uuid[])", "zesty_keep_layout(gen_random_uuid(), NULL, 'x', 'x', '{}', NULL, '{}')",
    "zesty_drop_draft(gen_random_uuid())", "zesty_keep_draft(gen_random_uuid(), NULL, '', '{}')",
    "zesty_tell_proposal(NULL, gen_random_uuid(), 'proposed', 'x', '', NULL, NULL, NULL)",
    "zesty_keep_document(gen_random_uuid(), 'comment', NULL, 'x', 'x', '{}', NULL, 'x', 'x')",
    "zesty_keep_recipe(gen_random_uuid(), NULL, 'x', 'x', '{}', 'x')",
)  # fmt: skip


def statements(role):
    """Yield statements that a role must not be able to run, whatever is in the tables."""
    for table in TABLES:
        yield f"INSERT INTO {table} DEFAULT VALUES"
        yield f"DELETE FROM {table}"
        yield f"TRUNCATE {table} CASCADE"
        yield f"ALTER TABLE {table} DISABLE TRIGGER ALL"
        yield f"DROP TABLE {table} CASCADE"
        yield f"COPY {table} FROM STDIN"
        for lock in LOCKS:
            yield f"LOCK TABLE {table} IN {lock} MODE NOWAIT"
    for table in ("head", "revision", "rule", "proposal_event", "release_item", "document_head", "library_info"):
        yield f"UPDATE {table} SET {COLUMN.get(table, 'id')} = NULL"
    for table in NUMBERED:
        yield f"SELECT nextval('{table}_id_seq')"
        yield f"SELECT setval('{table}_id_seq', 2147483646)"
        yield f"CREATE TRIGGER mine BEFORE INSERT ON {table} FOR EACH ROW EXECUTE FUNCTION zesty_history_stays()"
    for function in INSIDE:
        yield f"SELECT {function}"
    for function in KEEPERS if role != "keeper" else ():
        yield f"SELECT {function}"
    for function in WRITERS if role == "reader" else ():
        yield f"SELECT {function}"
    yield from (
        "SET ROLE zesty_guard", "SET SESSION AUTHORIZATION keeper", "CREATE TABLE mine (a int)",
        "CREATE FUNCTION zesty_hold(text) RETURNS void LANGUAGE sql AS 'SELECT 1'",
        "CREATE OR REPLACE FUNCTION zesty_now_us() RETURNS bigint LANGUAGE sql AS 'SELECT 1::bigint'",
        "DROP FUNCTION zesty_revision_is_agreed() CASCADE", "DROP SCHEMA public CASCADE",
        "ALTER FUNCTION zesty_hold(uuid[]) OWNER TO CURRENT_USER", "DROP POLICY own_drafts ON draft",
        "ALTER TABLE draft DISABLE ROW LEVEL SECURITY", "SET session_replication_role = replica",
        "SELECT value FROM met_before", "GRANT zesty_keeper TO CURRENT_USER",
        "ALTER ROLE zesty_guard LOGIN", "CREATE EVENT TRIGGER mine ON ddl_command_end EXECUTE FUNCTION zesty_tells()",
    )  # fmt: skip
    if role == "reader":
        yield "SELECT * FROM draft"


COLUMN = {"head": "name", "release_item": "layout_id", "document_head": "name", "library_info": "value"}


@pytest.fixture(scope="module")
def server_team(cluster):
    made = Team(Library.create(cluster.address(cluster.new_database()), "harbour team"), cluster)
    made.library.layouts.commit(pod(), parent=None, author="keeper")
    made.cluster = cluster
    yield made
    made.close()
    made.library.close()


def connected(team, login):
    return psycopg.connect(team.cluster.address(team.library.address.url.database, login), autocommit=True)


@pytest.mark.parametrize(("login", "role"), [("rick", "reader"), ("mara", "writer"), ("ada", "keeper")])
def test_no_role_does_with_statements_what_it_may_not(server_team, login, role):
    """The database refuses each one for want of a right: nothing is left for our own checks to catch."""
    tried, others = 0, []
    with connected(server_team, login) as connection:
        for statement in statements(role):
            tried += 1
            try:
                with connection.transaction():
                    connection.execute(statement)
            except psycopg.errors.InsufficientPrivilege:
                continue
            except (psycopg.errors.UndefinedTable, psycopg.errors.LockNotAvailable) as error:
                others.append((statement, type(error).__name__))
                continue
            else:
                others.append((statement, "was done"))
    assert tried > 240
    assert [statement for statement, _ in others] == ["SELECT value FROM met_before"], others


def test_roles_are_made_again_without_a_change(server_team):
    def rights():
        query = "SELECT grantee, table_name, privilege_type FROM information_schema.role_table_grants ORDER BY 1, 2, 3"
        return server_team.cluster.execute(server_team.library.address.url.database, query)

    before = rights()
    from zesty_abacus.core.library.roles import make_roles

    make_roles(server_team.library)
    assert rights() == before
    assert {"zesty_guard"} | {f"zesty_{role}" for role in ROLES} <= {row[0] for row in before} | {"zesty_keeper"}
    assert any("OWNER TO zesty_guard" in statement for statement in role_statements())


# ways past agreement, by functions that writers may call


class Attack:
    """A writer with raw SQL, a library whose rules ask for one other, and a layout in it."""

    def __init__(self, team):
        self.team = team
        self.layout = pod()
        self.parent = team.library.layouts.commit(self.layout, parent=None, author="keeper").id
        team.library.proposals.set_rules(Rules(needed=1), author="keeper")
        self.evil = self.changed("evil")
        self.good = self.changed("good")

    def changed(self, note):
        import msgspec

        return msgspec.structs.replace(self.layout, note=note)

    def keep(self, connection, proposal, layout=None, parent=None):
        layout = layout or self.evil
        index = json.dumps(msgspec_plain(layout_index(layout)))
        connection.execute(
            "SELECT * FROM zesty_keep_layout(%s, %s, 'x', 'x', %s, %s, %s)",
            (layout.id, parent or self.parent, layout_to_json(layout).decode(), proposal, index),
        )

    def tell(self, connection, proposal, step, layout=None, parent=None, agreed_to=None):
        document = layout_to_json(layout).decode() if layout is not None else None
        row = connection.execute(
            "SELECT zesty_tell_proposal(%s, %s, %s, 'x', 'x', %s, %s, %s)",
            (proposal, self.layout.id, step, parent, document, agreed_to),
        ).fetchone()
        return row[0]

    def state(self, proposal):
        return self.team.library.proposals.get(proposal).state

    def is_unharmed(self):
        return self.team.library.layouts.head_of(self.layout.id).state == self.layout


def msgspec_plain(index):
    from dataclasses import asdict

    return asdict(index)


@pytest.fixture
def attack(server_team):
    made = Attack(server_team)
    yield made
    server_team.library.proposals.set_rules(Rules(), author="keeper")


def agreed_before_it_was_proposed(a, jo, mara):
    key = uuid4()
    with pytest.raises(psycopg.Error, match="no such proposal"):
        a.tell(jo, key, "agreed", agreed_to=10**6)


def an_id_of_ones_own(a, jo, mara):
    with pytest.raises(psycopg.Error, match="no such proposal"):
        a.tell(mara, uuid4(), "proposed", a.evil, a.parent)


def agreed_by_oneself(a, jo, mara):
    key = a.tell(mara, None, "proposed", a.evil, a.parent)
    with pytest.raises(psycopg.Error, match="of their own"):
        a.tell(mara, key, "agreed", agreed_to=a.state(key))
    with pytest.raises(psycopg.Error, match="agreed first"):
        a.keep(mara, key)


def another_document_behind_the_back(a, jo, mara):
    """Proposed: good; jo looks; proposed anew: evil; jo agrees to what was looked at."""
    key = a.tell(mara, None, "proposed", a.good, a.parent)
    seen = a.state(key)
    a.tell(mara, key, "proposed", a.evil, a.parent)
    with pytest.raises(psycopg.Error, match="proposed since"):
        a.tell(jo, key, "agreed", agreed_to=seen)
    with pytest.raises(LibraryError, match="proposed since"):
        a.team.jo.proposals.agree(key, author="jo", seen=seen)


def another_document_after_it_was_agreed(a, jo, mara):
    key = a.tell(mara, None, "proposed", a.good, a.parent)
    a.tell(jo, key, "agreed", agreed_to=a.state(key))
    with pytest.raises(psycopg.Error, match="another change"):
        a.keep(mara, key)
    a.tell(mara, key, "proposed", a.evil, a.parent)
    with pytest.raises(psycopg.Error, match="agreed first"):
        a.keep(mara, key)


def an_agreement_to_another_proposal(a, jo, mara):
    one = a.tell(mara, None, "proposed", a.good, a.parent)
    two = a.tell(mara, None, "proposed", a.evil, a.parent)
    a.tell(jo, one, "agreed", agreed_to=a.state(one))
    with pytest.raises(psycopg.Error, match="agreed first"):
        a.keep(mara, two)
    with pytest.raises(psycopg.Error, match="proposed since"):
        a.tell(jo, two, "agreed", agreed_to=a.state(one))


def on_a_parent_that_is_not_the_newest(a, jo, mara):
    for parent in (None, a.parent - 1, a.parent + 1000):
        with pytest.raises(psycopg.Error, match=r"not the newest|agreed first|does not begin"):
            key = a.tell(mara, None, "proposed", a.evil, parent)
            a.tell(jo, key, "agreed", agreed_to=a.state(key))
            mara.execute(
                "SELECT * FROM zesty_keep_layout(%s, %s, 'x', 'x', %s, %s, '{}')",
                (a.layout.id, parent, layout_to_json(a.evil).decode(), key),
            )


def with_a_proposal_that_was_sent_back(a, jo, mara):
    key = a.tell(mara, None, "proposed", a.evil, a.parent)
    a.tell(jo, key, "agreed", agreed_to=a.state(key))
    a.tell(a.ada, key, "sent back")
    with pytest.raises(psycopg.Error, match="agreed first"):
        a.keep(mara, key)
    with pytest.raises(psycopg.Error, match="sent back"):
        a.tell(jo, key, "agreed", agreed_to=a.state(key))


def with_a_proposal_that_was_withdrawn(a, jo, mara):
    key = a.tell(mara, None, "proposed", a.evil, a.parent)
    a.tell(jo, key, "agreed", agreed_to=a.state(key))
    a.tell(mara, key, "withdrawn")
    with pytest.raises(psycopg.Error, match="agreed first"):
        a.keep(mara, key)
    with pytest.raises(psycopg.Error, match="withdrawn already"):
        a.tell(mara, key, "proposed", a.evil, a.parent)


def a_step_that_is_none(a, jo, mara):
    key = a.tell(mara, None, "proposed", a.evil, a.parent)
    for step in ("kept", "AGREED", "proposed ", ""):
        with pytest.raises(psycopg.Error):
            a.tell(jo, key, step, agreed_to=a.state(key))


def a_document_of_another_layout(a, jo, mara):
    other = pod()
    for document in (layout_to_json(other).decode(), "{}", "[]", "no json", '{"id": 1}', "null"):
        with pytest.raises(psycopg.Error, match="no document"):
            mara.execute(
                "SELECT zesty_tell_proposal(NULL, %s, 'proposed', 'x', 'x', %s, %s, NULL)",
                (a.layout.id, a.parent, document),
            )


def withdrawing_for_somebody_else(a, jo, mara):
    key = a.tell(mara, None, "proposed", a.good, a.parent)
    with pytest.raises(psycopg.Error, match="proposal of"):
        a.tell(jo, key, "withdrawn")
    with pytest.raises(LibraryError, match="proposal of"):
        a.team.jo.proposals.withdraw(key, author="mara")
    assert a.team.library.proposals.get(key).standing is Step.PROPOSED


ATTACKS = [
    agreed_before_it_was_proposed, an_id_of_ones_own, agreed_by_oneself, another_document_behind_the_back,
    another_document_after_it_was_agreed, an_agreement_to_another_proposal, on_a_parent_that_is_not_the_newest,
    with_a_proposal_that_was_sent_back, with_a_proposal_that_was_withdrawn, a_step_that_is_none,
    a_document_of_another_layout, withdrawing_for_somebody_else,
]  # fmt: skip


@pytest.mark.parametrize("way", ATTACKS, ids=lambda way: way.__name__)
def test_there_is_no_way_past_agreement(attack, way):
    team = attack.team
    with connected(team, "jo") as jo, connected(team, "mara") as mara, connected(team, "ada") as ada:
        attack.ada = ada
        way(attack, jo, mara)
    assert attack.is_unharmed()


def test_two_open_transactions_do_not_agree_past_each_other(attack):
    """mara proposes anew in an open transaction while jo agrees to what was there: whoever ends first counts."""
    with connected(attack.team, "jo") as jo, connected(attack.team, "mara") as mara:
        key = attack.tell(mara, None, "proposed", attack.good, attack.parent)
        seen = attack.state(key)
        mara.autocommit = jo.autocommit = False
        attack.tell(mara, key, "proposed", attack.evil, attack.parent)
        outcome = []

        def agree():
            try:
                attack.tell(jo, key, "agreed", agreed_to=seen)
                jo.commit()
                outcome.append("agreed")
            except psycopg.Error as error:
                outcome.append(str(error))
                jo.rollback()

        thread = threading.Thread(target=agree)
        thread.start()
        thread.join(0.5)
        assert thread.is_alive(), "it waits for the transaction that is open"
        mara.commit()
        thread.join(10)
        assert "proposed since" in outcome[0]
    assert attack.is_unharmed()


def test_of_two_that_keep_the_agreed_change_one_does(attack):
    with connected(attack.team, "jo") as jo, connected(attack.team, "mara") as mara:
        key = attack.tell(mara, None, "proposed", attack.good, attack.parent)
        attack.tell(jo, key, "agreed", agreed_to=attack.state(key))
        outcome, begin = [], threading.Barrier(2)

        def keep(connection):
            begin.wait()
            try:
                attack.keep(connection, key, attack.good)
                outcome.append("kept")
            except psycopg.Error as error:
                outcome.append(str(error))

        threads = [threading.Thread(target=keep, args=(one,)) for one in (jo, mara)]
        for thread in threads:
            thread.start()
        for thread in threads:
            thread.join(20)
    assert sorted(word == "kept" for word in outcome) == [False, True], outcome
    assert attack.team.library.layouts.head_of(attack.layout.id).state == attack.good


def test_a_release_cannot_grow_not_even_by_its_owner(server_team):
    library = server_team.library
    library.releases.make("frozen", author="keeper")
    new = library.layouts.commit(pod(), parent=None, author="keeper")
    statement = f"INSERT INTO release_item SELECT max(id), '{new.item_id}', {new.id} FROM release"
    with pytest.raises(psycopg.Error, match="never rewritten"):
        server_team.cluster.execute(library.address.url.database, statement)


RULES = [
    *((table, "time_us", "bigint", ("-1", "0", "253402300799000000", "253402300799000001"))
      for table in ("revision", "recipe_revision", "document_revision", "proposal_event", "rule", "release", "draft")),
    *((table, column, "text", ("", "01234567-89ab-cdef-0123-456789abcdef", "00000000-0000-0000-0000-000000000000",
                               "01234567-89AB-cdef-0123-456789abcdef"))
      for table, column in (("revision", "layout_id"), ("recipe_revision", "recipe_id"), ("presence", "window"),
                            ("document_revision", "document_id"), ("proposal_event", "layout_id"))),
]  # fmt: skip
"""Of each table a column, and what it holds: the first and the last are refused."""


@pytest.mark.parametrize(("table", "column", "kind", "values"), RULES)
def test_no_row_holds_what_cannot_be_read(server_team, table, column, kind, values):
    """The server itself is asked what it makes of each value."""
    asked = (
        "SELECT pg_get_expr(conbin, conrelid) FROM pg_constraint WHERE contype = 'c' AND convalidated "
        "AND conrelid = %s::regclass AND conname ~ '_(has_a_time|has_an_identity|is_a_window)$' AND %s = "
        "ANY (SELECT attname FROM pg_attribute WHERE attrelid = conrelid AND attnum = ANY (conkey))"
    )
    with connected(server_team, "keeper") as keeper:
        (rule,) = keeper.execute(asked, (table, column)).fetchone()
        listed = ", ".join(f"({number}, '{value}'::{kind})" for number, value in enumerate(values))
        found = keeper.execute(f'SELECT {rule} FROM (VALUES {listed}) AS row(number, "{column}") ORDER BY number')
        assert [holds for (holds,) in found] == [False, True, True, False]


def test_nobody_speaks_for_another_window(server_team):
    window = uuid4()
    server_team.mara.presence.say(window, "mara", None)
    with connected(server_team, "rick") as rick, pytest.raises(psycopg.Error):
        rick.execute("SELECT zesty_say_present(%s, 'mara', NULL)", (window,))
    server_team.rick.presence.leave(window)
    assert [one.author for one in server_team.jo.presence.others(uuid4())] == ["mara"]
    server_team.mara.presence.leave(window)


def test_a_reader_cannot_hold_up_writers(server_team):
    """With every lock a reader can take held, a change is kept all the same."""
    layout = pod()
    with connected(server_team, "rick") as rick:
        rick.autocommit = False
        tables = "revision, head, head_field, proposal_event, rule, release, presence, library_info"
        rick.execute(f"LOCK TABLE {tables} IN ACCESS SHARE MODE")
        for key in (layout.id.int & 0x7FFF_FFFF_FFFF_FFFF, 0x7A65737479, 0, 1):
            rick.execute("SELECT pg_advisory_lock(%s)", (key,))
        server_team.mara.layouts.commit(layout, parent=None, author="mara")
        Library.open(server_team.library.address).close()
        rick.rollback()


def test_an_owner_who_may_make_no_roles_takes_back_what_was_given(cluster):
    """A library of before, with rights on tables; its owner migrates it and is allowed little else."""
    made = "DO $$ BEGIN CREATE ROLE {} LOGIN; EXCEPTION WHEN duplicate_object THEN NULL; END $$"
    cluster.execute("postgres", made.format("captain"))
    database = cluster.new_database()
    cluster.execute("postgres", f"ALTER DATABASE {database} OWNER TO captain")
    for role in ROLES:
        cluster.execute("postgres", made.format(f"zesty_{role}").replace(" LOGIN", ""))
    address = cluster.address(database, "captain")
    make_old(address, "0006").dispose()
    for given in ("GRANT SELECT ON library_info TO zesty_reader", "GRANT INSERT ON revision TO zesty_writer",
                  "GRANT INSERT, UPDATE, DELETE ON head, draft TO zesty_writer",
                  "GRANT USAGE ON SEQUENCE revision_id_seq TO zesty_writer"):  # fmt: skip
        cluster.execute(database, given, "captain")
    library = Library.open(address)
    layout = pod()
    library.layouts.commit(layout, parent=None, author="captain")
    cluster.execute("postgres", made.format("mara"))
    cluster.execute("postgres", "GRANT zesty_reader TO zesty_writer")
    cluster.execute("postgres", "GRANT zesty_writer TO mara")
    mara = Library.open(cluster.address(database, "mara"))
    mara.layouts.commit(pod("m2", 2), parent=None, author="mara")
    for statement in ("INSERT INTO revision DEFAULT VALUES", "DELETE FROM head", "SELECT nextval('revision_id_seq')"):
        with pytest.raises(psycopg.errors.InsufficientPrivilege):
            cluster.execute(database, statement, "mara")
    assert len(library.layouts.states()) == 2
    for one in (library, mara):
        one.close()
