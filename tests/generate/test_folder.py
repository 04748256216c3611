"""Where code is written: over what was generated before, never over anything else."""

from __future__ import annotations

import pytest

from tests.generate.compiled import made_of
from tests.generate.test_c import tug_layout
from zesty_abacus.core.files.errors import FileError
from zesty_abacus.core.generate.folder import write_folder
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at


def test_only_what_changed_is_written_again(tmp_path):
    first = made_of([tug_layout()])
    assert {path.name for path in write_folder(tmp_path / "code", first)} == {
        "any.h", "any.c", "any_test.c", "CMakeLists.txt", "manifest.json",
    }  # fmt: skip
    assert write_folder(tmp_path / "code", first) == []
    second = made_of([tug_layout(), new_layout("Z", Applies(address=3), 1, [new_field("x", at("B0"))])])
    changed = {path.name for path in write_folder(tmp_path / "code", second)}
    assert "CMakeLists.txt" not in changed and {"any.h", "any.c", "manifest.json"} <= changed


@pytest.mark.parametrize("name", ["any.c", "manifest.json", "CMakeLists.txt"])
def test_a_file_of_somebody_else_is_in_the_way(tmp_path, name):
    (tmp_path / name).write_text('{"name": "mine"}')
    with pytest.raises(FileError, match=name):
        write_folder(tmp_path, made_of([tug_layout()]))
    assert sorted(path.name for path in tmp_path.iterdir()) == [name], "nothing is written at all"
    write_folder(tmp_path, made_of([tug_layout()]), replace=True)
    assert "mine" not in (tmp_path / name).read_text()
