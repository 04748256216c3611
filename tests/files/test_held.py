"""Files that a driver has open: as often as it was opened, by whatever name, with what it keeps beside them."""

import os

import pytest

from zesty_abacus.core.files.held import hold, is_held, let_go


def test_a_file_is_held_until_it_was_let_go_as_often(tmp_path):
    path = tmp_path / "a.sqlite"
    path.touch()
    assert not is_held(path)
    first, second = hold(path), hold(path)
    assert first == second and is_held(path)
    let_go(first)
    assert is_held(path), "somebody else has it open"
    let_go(second)
    assert not is_held(path)


def test_a_file_is_held_by_every_name_and_with_its_log(tmp_path):
    path, link, other = tmp_path / "a.sqlite", tmp_path / "b.sqlite", tmp_path / "c.sqlite"
    path.touch()
    other.touch()
    link.symlink_to(path)
    os.link(path, tmp_path / "d.sqlite")
    identity = hold(link)
    assert all(
        is_held(one) for one in (path, link, tmp_path / "d.sqlite", f"{path}-shm", f"{path}-wal", f"{path}-journal")
    )
    assert not is_held(other) and not is_held(f"{other}-shm") and not is_held(f"{path}-other")
    let_go(identity)
    assert not is_held(f"{path}-shm")


def test_what_is_not_there_cannot_be_held(tmp_path):
    with pytest.raises(FileNotFoundError):
        hold(tmp_path / "none.sqlite")
    assert not is_held(tmp_path / "none.sqlite")
