"""Conditions that a team shares: one name is one condition, with its history, brought together like all else."""

import json

import pytest

from tests.cli.program import run
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.library.conditions import share_condition
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.library.sync import sync


def test_a_name_is_one_condition_with_a_history(tmp_path):
    library = Library.create(tmp_path / "a.sqlite")
    assert share_condition(library, " overload ", "load > 100 kN ", author="mara").reason == "shared overload"
    assert share_condition(library, "overload", "load > 100 kN", author="bench 2") is None
    assert share_condition(library, "overload", "load > 90 kN", author="bench 2").reason == "changed overload"
    (head,) = library.conditions.heads()
    assert (head.state.name, head.state.text, head.revision.author) == ("overload", "load > 90 kN", "bench 2")
    with pytest.raises(MisuseError, match="has a name and says something"):
        share_condition(library, "", "x", author="mara")
    library.close()


def test_a_copy_at_sea_brings_its_conditions_home(tmp_path):
    home, copy = Library.create(tmp_path / "home.sqlite"), Library.create(tmp_path / "copy.sqlite")
    share_condition(home, "drains", "changes(bilge)", author="mara")
    share_condition(copy, "stops", 'mode == "stop"', author="tug")
    sync(copy, home, author="tug")
    for library in (home, copy):
        assert sorted(head.state.name for head in library.conditions.heads()) == ["drains", "stops"]
        library.close()


def test_on_the_command_line(tmp_path):
    path = tmp_path / "a.sqlite"
    run("library", "new", path)
    code, output, _ = run("library", "conditions", path, "overload=load > 100 kN and size == 8", "empty = size == 0")
    assert code == 0 and output == "empty = size == 0\noverload = load > 100 kN and size == 8\n"
    _, output, _ = run("library", "conditions", path, "--json")
    assert {one["name"]: one["text"] for one in json.loads(output)}["empty"] == "size == 0"
    assert run("library", "conditions", path, "nothing")[0] == 2


def test_a_note_stays_until_another_is_given(tmp_path):
    library = Library.create(tmp_path / "a.sqlite")
    notes = []
    for text, note in (
        ("load > 1", "of the winch"), ("load > 2", ""), ("load > 2", "of both winches"), ("load > 2", ""),
        ("load > 2", "of both winches"), ("load > 3", "of one"),
    ):  # fmt: skip
        made = share_condition(library, "overload", text, author="mara", note=note)
        (head,) = library.conditions.heads()
        notes.append((head.state.text, head.state.note, made is not None))
    assert notes == [
        ("load > 1", "of the winch", True), ("load > 2", "of the winch", True), ("load > 2", "of both winches", True),
        ("load > 2", "of both winches", False), ("load > 2", "of both winches", False), ("load > 3", "of one", True),
    ]  # fmt: skip
    library.close()
