import threading
from datetime import UTC, datetime
from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest
import sqlalchemy as sa

from zesty_abacus.core.layouts.model import Applies, FieldKind, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.library.check import check_library
from zesty_abacus.core.library.errors import (
    InvalidLayoutError,
    LibraryError,
    NewerLibraryError,
    StaleParentError,
    UnknownLayoutError,
)
from zesty_abacus.core.library.store import Library

NASTY = "Robert'); DROP TABLE revision;-- <b>\"%_!\\ 漢"


def raw_engine(library):
    """Return an engine past the program."""
    address = library.address
    return sa.create_engine(address.url if address.url is not None else f"sqlite:///{address.path}")


def pod(name="Azimuth feedback", address=0x1A1):
    angle = new_field("angle", at("B1 B0"), FieldKind.SIGNED, ratio=Fraction(1, 20), unit="deg")
    return new_layout(name, Applies(address=address), 8, [angle])


def test_every_revision_is_kept_with_who_when_and_why(library):
    first = pod()
    began = datetime.now(UTC)
    one = library.layouts.commit(first, parent=None, author="pod team", reason="from the supplier")
    second = first.with_field(new_field("rate", at("B3 B2"), unit="deg/s"))
    two = library.layouts.commit(second, parent=one.id, author="bench 2")
    history = library.layouts.history(first.id)
    assert [item.id for item in history] == [two.id, one.id]
    assert (one.author, one.reason, one.parent_id, one.number) == ("pod team", "from the supplier", None, 1)
    assert (two.reason, two.parent_id, two.number) == ("rate added at B3 B2", one.id, 2)
    assert began.timestamp() - 1 <= one.time.timestamp() <= two.time.timestamp()
    assert library.layouts.state_at(one.id) == first and library.layouts.state_at(two.id) == second
    assert library.layouts.states() == [second]
    assert library.layouts.at(one.time) == [first] and library.layouts.at(began.replace(year=2000)) == []


def test_a_change_from_an_old_state_is_refused_and_writes_nothing(library):
    first = pod()
    one = library.layouts.commit(first, parent=None, author="a")
    library.layouts.commit(msgspec.structs.replace(first, note="x"), parent=one.id, author="b")
    with pytest.raises(StaleParentError, match="changed by b"):
        library.layouts.commit(msgspec.structs.replace(first, note="y"), parent=one.id, author="a")
    with pytest.raises(StaleParentError):
        library.layouts.commit(first, parent=None, author="a")
    assert len(library.layouts.history(first.id)) == 2 and library.layouts.states()[0].note == "x"


def test_a_removed_layout_keeps_its_history_and_comes_back(library):
    first = pod()
    one = library.layouts.commit(first, parent=None, author="a")
    gone = library.layouts.remove(first.id, parent=one.id, author="a")
    assert library.layouts.states() == [] and library.layouts.head_of(first.id) is None and gone.removed
    with pytest.raises(UnknownLayoutError):
        library.layouts.state_at(gone.id)
    back = library.layouts.commit(first, parent=gone.id, author="a", reason="restored")
    assert back.number == 3 and library.layouts.states() == [first]


def test_layouts_come_in_order_of_address_then_of_name(library):
    for name, address in (("c", 0x200), ("b", 0x100), ("any", None), ("a", 0x200), ("none", 0)):
        layout = new_layout(name, Applies(address=address), 8)
        library.layouts.commit(layout, parent=None, author="a")
    assert [one.name for one in library.layouts.states()] == ["any", "none", "b", "a", "c"]


def test_search_by_name_address_unit_and_field(library):
    library.layouts.commit(pod(), parent=None, author="a")
    library.layouts.commit(pod("Pack totals", 0x18F), parent=None, author="a")
    library.layouts.commit(new_layout(NASTY, Applies(address=7), 8), parent=None, author="a")
    assert [hit.name for hit in library.layouts.search("azimuth")] == ["Azimuth feedback"]
    assert [(hit.name, hit.matched) for hit in library.layouts.search("0x1A1")] == [("Azimuth feedback", "address")]
    assert [hit.name for hit in library.layouts.search("417")] == ["Azimuth feedback"]
    assert {hit.matched for hit in library.layouts.search("DEG")} == {"unit deg"}
    assert {hit.matched for hit in library.layouts.search("angl")} == {"field angle"}
    assert [hit.name for hit in library.layouts.search(NASTY)] == [NASTY]
    assert [hit.name for hit in library.layouts.search("%_")] == [NASTY], "wildcards are letters"
    assert library.layouts.search("nothing like it") == []


def test_nasty_text_comes_back_as_it_was(library):
    layout = msgspec.structs.replace(pod(), name=NASTY, note=NASTY * 1000)
    revision = library.layouts.commit(layout, parent=None, author=NASTY, reason=NASTY)
    assert library.layouts.states() == [layout]
    assert (library.layouts.history(layout.id)[0].author, library.layouts.log()[0]) == (NASTY, (revision, NASTY))


def test_import_is_one_transaction_and_leaves_equal_layouts_alone(library):
    several = [pod(f"m{n}", n) for n in range(5)]
    assert library.layouts.import_all(several, author="a", reason="in") == 5
    assert library.layouts.import_all(several, author="a", reason="again") == 0
    several[2] = msgspec.structs.replace(several[2], note="n")
    assert library.layouts.import_all(several, author="a", reason="third") == 1
    assert len(library.layouts.history(several[2].id)) == 2 and len(library.layouts.log()) == 6


def test_two_writers_at_once_never_fork_the_history(library):
    first = pod()
    parent = library.layouts.commit(first, parent=None, author="a")
    done, refused = [], []

    def write(number):
        other = Library.open(library.address)
        try:
            done.append(
                other.layouts.commit(msgspec.structs.replace(first, note=str(number)), parent=parent.id, author="b")
            )
        except StaleParentError:
            refused.append(number)
        other.close()

    threads = [threading.Thread(target=write, args=(n,)) for n in range(6)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert (len(done), len(refused)) == (1, 5)
    assert [item.number for item in library.layouts.history(first.id)] == [2, 1]


def test_opening_what_is_no_library(tmp_path):
    with pytest.raises(LibraryError, match="does not exist"):
        Library.open(tmp_path / "none.sqlite")
    other = tmp_path / "other.sqlite"
    other.write_bytes(b"not a database at all")
    with pytest.raises(LibraryError, match="not a library"):
        Library.open(other)
    assert other.read_bytes() == b"not a database at all"
    with pytest.raises(LibraryError, match="exists already"):
        Library.create(other)
    with pytest.raises(LibraryError, match="folder does not exist"):
        Library.create(tmp_path / "no" / "where.sqlite")


def test_a_damaged_database_is_one_error(tmp_path):
    path = tmp_path / "library.sqlite"
    Library.create(path).close()
    data = path.read_bytes()
    path.write_bytes(data[:100] + b"\xff" * (len(data) - 100))
    with pytest.raises(LibraryError):
        Library.open(path).layouts.states()


def test_a_library_of_a_newer_program_is_refused(library):
    engine = raw_engine(library)
    with engine.begin() as connection:
        connection.execute(sa.text("UPDATE alembic_version SET version_num = '9999'"))
    engine.dispose()
    with pytest.raises(NewerLibraryError, match="9999"):
        Library.open(library.address)


def test_migrations_lead_to_the_tables_of_the_program(library):
    from alembic.autogenerate import compare_metadata
    from alembic.runtime.migration import MigrationContext

    from zesty_abacus.core.library.tables import metadata

    engine = raw_engine(library)
    # the server's table of locks is for its own functions alone
    opts = {"include_name": lambda name, kind, _parents: (kind, name) != ("table", "held_thing")}
    with engine.connect() as connection:
        assert compare_metadata(MigrationContext.configure(connection, opts=opts), metadata) == []
    engine.dispose()


def test_the_check_over_all_layouts():
    deg = pod()
    rad = new_layout("Azimuth command", Applies(address=0x1A1), 8, [new_field("angle", at("B0"), unit="rad")])
    same = pod()
    found = check_library([deg, rad, same])
    assert found[0] == (
        "Azimuth feedback, Azimuth command and Azimuth feedback all read 0x1A1. They differ in angle: bits 16 in "
        "Azimuth feedback, 8 in Azimuth command; angle: sign with in Azimuth feedback, without in Azimuth command; "
        "angle: step 0.05 in Azimuth feedback, 1 in Azimuth command and 1 more."
    )
    assert "2 layouts are called Azimuth feedback." in found
    assert any(text.startswith("angle is in deg (Azimuth feedback) and in rad") for text in found)
    one = msgspec.structs.replace(deg, applies=Applies(address=1, lanes=("a",)))
    two = msgspec.structs.replace(rad, applies=Applies(address=1, lanes=("b",)), fields=())
    assert check_library([one, two]) == []
    three = msgspec.structs.replace(one, id=uuid4(), name="third", applies=Applies(address=1, lanes=("b", "a")))
    assert check_library([one, two, three]) == [
        "Azimuth feedback and third both read 0x001 on a.", "Azimuth command and third both read 0x001 on b.",
    ]  # fmt: skip


def test_many_layouts_of_one_address_are_one_problem():
    many = [new_layout(f"model {n}", Applies(address=0x1A1), 8) for n in range(112)]
    assert check_library(many) == ["model 0, model 1, model 2 and 109 more all read 0x1A1."]


def invalid():
    """Return a layout whose field reaches beyond its payload."""
    return new_layout("short", Applies(address=1), 1, [new_field("v", at("B4"))])


@pytest.mark.parametrize("way", ["commit", "commit_merged", "import_layouts", "propose"])
def test_nobody_keeps_a_layout_that_has_problems(library, way):
    layout = invalid()
    calls = {
        "commit": lambda: library.layouts.commit(layout, parent=None, author="mara"),
        "commit_merged": lambda: library.layouts.commit_merged(layout, parent=None, author="mara"),
        "import_layouts": lambda: library.layouts.import_all([pod(), layout], author="mara", reason="file"),
        "propose": lambda: library.proposals.propose(layout.id, layout, parent=None, author="mara", reason="new"),
    }
    with pytest.raises(InvalidLayoutError, match="short is not kept: v reaches byte 4"):
        calls[way]()
    assert library.layouts.states() == [] and library.proposals.open() == [], "nothing of it, and nothing beside it"
