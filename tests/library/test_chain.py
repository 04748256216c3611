"""A rewrite by whoever owns the tables shows to anybody who kept something older."""

import shutil

import msgspec
import pytest
import sqlalchemy as sa

from tests.cli.program import run
from tests.library.test_store import pod, raw_engine
from zesty_abacus.core.errors import AbacusError
from zesty_abacus.core.library.chain import broken_lines, chains, compare_with_copy
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync


def fill(library):
    layout = pod()
    parent = library.layouts.commit(layout, parent=None, author="mara", reason="as measured").id
    changed = msgspec.structs.replace(layout, note="in degrees")
    library.layouts.commit(changed, parent=parent, author="jo", reason="said so")
    library.layouts.commit(pod("m2", 2), parent=None, author="mara")
    library.releases.make("run 1", author="ada")
    return changed


def rewrite(library, statement):
    """Do what only the owner can: switch the guards off, and change a row."""
    engine = raw_engine(library)
    with engine.begin() as connection:
        if engine.dialect.name == "postgresql":
            connection.execute(sa.text("SET session_replication_role = replica"))
        else:
            names = connection.exec_driver_sql("SELECT name FROM sqlite_master WHERE type = 'trigger'").scalars().all()
            for name in names:
                connection.exec_driver_sql(f"DROP TRIGGER {name}")
        connection.execute(sa.text(statement))
    engine.dispose()


REWRITES = [
    "UPDATE revision SET reason = 'said otherwise' WHERE id = 2", "UPDATE revision SET author = 'jo' WHERE id = 1",
    "UPDATE revision SET document = replace(document, 'degrees', 'radians') WHERE id = 2",
    "UPDATE revision SET time_us = time_us + 1 WHERE id = 1", "UPDATE release SET name = 'run 2'",
    "UPDATE release_item SET revision_id = 1 WHERE revision_id = 2",
]  # fmt: skip


@pytest.mark.parametrize("statement", REWRITES)
def test_every_rewrite_changes_the_hash(library, statement):
    fill(library)
    before = chains(library)
    assert chains(library) == before and broken_lines(library) == []
    rewrite(library, statement)
    after = chains(library)
    changed = [one.sort for one, two in zip(before, after, strict=True) if one != two]
    assert changed == ["release items" if "item" in statement else "releases" if "release" in statement else "layouts"]


def test_later_changes_leave_the_earlier_hash(library):
    """The hash is over all: what was written down is found again over as many changes."""
    fill(library)
    before = chains(library)[0]
    library.layouts.commit(pod("m3", 3), parent=None, author="jo")
    now = chains(library)[0]
    assert now.changes == before.changes + 1 and now.sha256 != before.sha256


@pytest.mark.parametrize("statement", REWRITES[:4])
def test_a_plain_copy_tells_which_change(tmp_path, statement):
    library = Library.create(tmp_path / "a.sqlite")
    fill(library)
    library.close()
    shutil.copy(tmp_path / "a.sqlite", tmp_path / "kept.sqlite")
    library = Library.open(tmp_path / "a.sqlite")
    library.layouts.commit(pod("m3", 3), parent=None, author="jo")
    kept = Library.open(tmp_path / "kept.sqlite")
    assert compare_with_copy(library, kept).differing == []
    rewrite(library, statement)
    (said,) = compare_with_copy(library, kept).differing
    assert said.startswith("layouts: change ") and said.split()[-1].rstrip(".") in statement
    for one in (library, kept):
        one.close()


def test_a_working_copy_tells_too(library, tmp_path):
    fill(library)
    copy = Library.create(tmp_path / "sea.sqlite")
    sync(copy, library, author="jo")
    assert compare_with_copy(library, copy).differing == [] and compare_with_copy(library, copy).same == 2
    rewrite(library, REWRITES[2])
    (said,) = compare_with_copy(library, copy).differing
    assert "Azimuth feedback: change 2" in said
    with pytest.raises(AbacusError, match="neither a copy"):
        compare_with_copy(copy, Library.create(tmp_path / "other.sqlite"))
    copy.close()


def test_what_does_not_follow_is_told(library):
    fill(library)
    rewrite(library, "UPDATE revision SET parent_id = NULL WHERE id = 2")
    assert broken_lines(library) == ["layouts: change 2 does not follow the one before it."]
    rewrite(library, "UPDATE head SET revision_id = 1 WHERE revision_id = 2")
    assert any("is change 2, and 1 is shown" in said for said in broken_lines(library))


def test_the_command_compares_with_an_exported_release(tmp_path):
    where = tmp_path / "a.sqlite"
    library = Library.create(where)
    fill(library)
    library.close()
    out = tmp_path / "run 1.json"
    assert run("library", "export", str(where), "--release", "run 1", "-o", str(out))[0] == 0
    code, said, _ = run("library", "check", str(where), "--history", "--against", str(out))
    assert (code, "layouts: 3 changes, up to 3, sha256 " in said) == (0, True) and "2 changes are as they were" in said
    library = Library.open(where)
    rewrite(library, REWRITES[2])
    library.close()
    code, said, _ = run("library", "check", str(where), "--against", str(out))
    assert code == 1 and "Azimuth feedback was put out otherwise" in said
