"""Edits that wait reach the library they were made for, once, whoever else waits and whoever is killed."""

import json
import subprocess
import sys
from uuid import uuid4

import pytest

from tests.library.test_store import pod
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.unsent import WaitingEdit, WaitingEdits


def edit(name="m"):
    layout = pod(name)
    return WaitingEdit(layout.id, None, layout, "made at sea")


def test_what_waited_is_taken_over_once(library, tmp_path):
    one = WaitingEdits(tmp_path / "unsent", library)
    edits = [edit("a"), edit("b")]
    one.keep(edits)
    two = WaitingEdits(tmp_path / "unsent", library)
    assert two.take_over() == [], "the window that wrote it is still there"
    one.close()
    assert two.take_over() == edits and WaitingEdits(tmp_path / "unsent", library).take_over() == []
    two.close()
    three = WaitingEdits(tmp_path / "unsent", library)
    assert three.take_over() == edits
    three.keep([])
    three.close()
    assert [path.name for path in (tmp_path / "unsent").rglob("*") if path.is_file()] == []


@pytest.mark.parametrize("is_draft", [False, True])
def test_what_waited_as_a_draft_is_one_and_nothing_else_is(library, tmp_path, is_draft):
    one = WaitingEdits(tmp_path / "unsent", library)
    one.keep([edit()._replace(draft=is_draft)])
    one.close()
    (path,) = (tmp_path / "unsent").rglob("*.json")
    assert [item.draft for item in WaitingEdits(tmp_path / "unsent", library).take_over()] == [is_draft]
    # as it was written before there were drafts
    plain = [{"layout_id": str(uuid4()), "before": None, "after": None, "reason": "made at sea"}]
    path.with_name("older.json").write_text(json.dumps(plain))
    (older,) = (item for item in WaitingEdits(tmp_path / "unsent", library).take_over() if item.after is None)
    assert not older.draft


def test_what_cannot_be_claimed_is_left_to_whoever_can(library, tmp_path):
    """Its lock is a link to somewhere else: nobody follows that, and nobody takes the edits over without."""
    one = WaitingEdits(tmp_path / "unsent", library)
    one.keep([edit()])
    one.close()
    (path,) = (tmp_path / "unsent").rglob("*.json")
    path.with_suffix(".lock").unlink()
    path.with_suffix(".lock").symlink_to(tmp_path / "elsewhere")
    assert WaitingEdits(tmp_path / "unsent", library).take_over() == []
    assert path.exists() and not (tmp_path / "elsewhere").exists()
    path.with_suffix(".lock").unlink()
    assert len(WaitingEdits(tmp_path / "unsent", library).take_over()) == 1


def test_two_windows_do_not_write_over_each_other(library, tmp_path):
    one, two = (WaitingEdits(tmp_path / "unsent", library) for _ in range(2))
    first, second = edit("a"), edit("b")
    one.keep([first])
    two.add(second)
    two.add(second)
    one.close()
    two.close()
    assert sorted(item.reason for item in WaitingEdits(tmp_path / "unsent", library).take_over()) == ["made at sea"] * 2


def test_edits_wait_for_one_library_and_one_login(team, tmp_path):
    if team.library.address.url is None:
        pytest.skip("a file has no logins")
    mara = WaitingEdits(tmp_path / "unsent", team.mara)
    mara.keep([edit()])
    mara.close()
    assert WaitingEdits(tmp_path / "unsent", team.jo).take_over() == []
    assert len(WaitingEdits(tmp_path / "unsent", team.mara).take_over()) == 1


def test_another_library_of_the_same_name_gets_none(tmp_path):
    """The file was made anew: what waited for the one before is not for it."""
    path = tmp_path / "library.sqlite"
    library = Library.create(path)
    waiting = WaitingEdits(tmp_path / "unsent", library)
    waiting.keep([edit()])
    waiting.close()
    library.close()
    path.unlink()
    another = Library.create(path)
    assert WaitingEdits(tmp_path / "unsent", another).take_over() == []
    another.close()


def test_a_window_that_was_killed_leaves_its_edits(library, tmp_path):
    where = str(library.address.path or library.address.url.set(drivername="postgresql").render_as_string())
    code = (
        "import os, signal, sys\n"
        "from pathlib import Path\n"
        "from tests.library.test_unsent import edit\n"
        "from zesty_abacus.core.library.store import Library\n"
        "from zesty_abacus.core.library.unsent import WaitingEdits\n"
        "WaitingEdits(Path(sys.argv[1]), Library.open(sys.argv[2])).keep([edit('killed')])\n"
        "os.kill(os.getpid(), signal.SIGKILL)\n"
    )
    done = subprocess.run([sys.executable, "-c", code, str(tmp_path / "unsent"), where], timeout=60, check=False)
    assert done.returncode == -9
    (found,) = WaitingEdits(tmp_path / "unsent", library).take_over()
    assert found.after.name == pod("killed").name


def test_a_damaged_file_stays_for_a_person_and_a_full_disk_is_an_error(library, tmp_path, monkeypatch):
    waiting = WaitingEdits(tmp_path / "unsent", library)
    waiting.keep([edit()])
    stray = waiting.path.with_name(f"{uuid4().hex}.json")
    stray.write_bytes(b"{ half")
    other = WaitingEdits(tmp_path / "unsent", library)
    assert other.take_over() == [] and stray.exists()
    monkeypatch.setattr("os.fsync", lambda _number: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(FileError, match="No space left"):
        waiting.add(edit("b"))
    monkeypatch.undo()
    waiting.close()
    assert len(WaitingEdits(tmp_path / "unsent", library).take_over()) == 1
