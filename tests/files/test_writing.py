"""A file appears whole or not at all, never over an input, and over another only where somebody said so."""

import errno
import os
import stat
import threading

import pytest

from zesty_abacus.core.files.errors import ExistsError, FileError, SameFileError, file_errors
from zesty_abacus.core.files.writing import Target, keep_file


def others(folder, *names):
    return sorted(item.name for item in folder.iterdir() if item.name not in names)


def test_a_new_file_is_written(tmp_path):
    Target(tmp_path / "a").write(b"new")
    assert (tmp_path / "a").read_bytes() == b"new" and not others(tmp_path, "a")


def test_a_file_that_is_there_stays(tmp_path):
    path = tmp_path / "a"
    path.write_bytes(b"old")
    with pytest.raises(ExistsError, match=r"of this name already\. Choose another name\.$"):
        Target(path).write(b"new")
    assert path.read_bytes() == b"old"
    Target(path, replace=True).write(b"new")
    assert path.read_bytes() == b"new" and not others(tmp_path, "a")


def test_a_file_that_comes_while_another_is_written_stays(tmp_path):
    path = tmp_path / "a"
    with pytest.raises(ExistsError), Target(path).writing() as stream:
        stream.write(b"new")
        path.write_bytes(b"theirs")
    assert path.read_bytes() == b"theirs" and not others(tmp_path, "a")


def test_of_many_that_write_one_name_one_does(tmp_path):
    path = tmp_path / "a"
    won, begin = [], threading.Barrier(8)

    def write(number):
        begin.wait()
        try:
            Target(path).write(str(number).encode() * 1000)
            won.append(str(number))
        except ExistsError:
            pass

    threads = [threading.Thread(target=write, args=(number,)) for number in range(8)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert len(won) == 1 and path.read_text() == won[0] * 1000


@pytest.mark.parametrize("replace", [False, True])
@pytest.mark.parametrize("way", ["name", "link", "hard link", "other spelling"])
def test_no_input_is_written_over(tmp_path, way, replace):
    source = tmp_path / "source"
    source.write_bytes(b"recorded")
    path = tmp_path / "out"
    if way == "link":
        path.symlink_to(source)
    elif way == "hard link":
        os.link(source, path)
    else:
        path = source if way == "name" else tmp_path / ".." / tmp_path.name / "source"
    with pytest.raises(SameFileError, match="which is read"):
        Target(path, replace, (source,)).write(b"gone")
    assert source.read_bytes() == b"recorded"


def test_planted_names_are_neither_followed_nor_deleted(tmp_path):
    mine, precious = tmp_path / "out.csv.part", tmp_path / "precious"
    mine.write_bytes(b"my own")
    precious.write_bytes(b"precious")
    for name in ("out.part", "out.csv.origin.json"):
        (tmp_path / name).symlink_to(precious)
    Target(tmp_path / "out.csv").write(b"table")
    keep_file(tmp_path / "out", b"kept")
    assert mine.read_bytes() == b"my own" and precious.read_bytes() == b"precious"


def test_a_link_is_replaced_and_not_followed(tmp_path):
    precious, link = tmp_path / "precious", tmp_path / "out"
    precious.write_bytes(b"precious")
    link.symlink_to(precious)
    with pytest.raises(ExistsError):
        Target(link).write(b"x")
    Target(link, replace=True).write(b"x")
    assert precious.read_bytes() == b"precious" and link.read_bytes() == b"x" and not link.is_symlink()
    dangling = tmp_path / "dangling"
    dangling.symlink_to(tmp_path / "nowhere")
    with pytest.raises(ExistsError):
        Target(dangling).write(b"x")
    assert not (tmp_path / "nowhere").exists()


def test_a_full_disk_leaves_what_was_there(tmp_path, monkeypatch):
    path = tmp_path / "a"
    path.write_bytes(b"old")

    def full(_number):
        raise OSError(errno.ENOSPC, "No space left on device")

    monkeypatch.setattr(os, "fsync", full)
    for write in (Target(path, replace=True).write, lambda data: keep_file(path, data)):
        with pytest.raises(FileError, match="No space left"):
            write(b"new")
    assert path.read_bytes() == b"old" and not others(tmp_path, "a")


def test_where_there_are_no_hard_links_nothing_is_replaced_either(tmp_path, monkeypatch):
    def unknown(*_):
        raise OSError(errno.EPERM, "Operation not permitted")

    monkeypatch.setattr(os, "link", unknown)
    Target(tmp_path / "a").write(b"new")
    with pytest.raises(ExistsError):
        Target(tmp_path / "a").write(b"newer")
    assert (tmp_path / "a").read_bytes() == b"new"


def test_a_pipe_is_written_into(tmp_path):
    pipe = tmp_path / "pipe"
    os.mkfifo(pipe)
    read = []
    reader = threading.Thread(target=lambda: read.append(pipe.read_bytes()))
    reader.start()
    Target(pipe).write(b"through")
    reader.join(10)
    assert read == [b"through"] and stat.S_ISFIFO(os.stat(pipe).st_mode)


def test_folders_and_missing_folders_are_said(tmp_path):
    with pytest.raises(FileError, match="a folder"):
        Target(tmp_path, replace=True).write(b"")
    with pytest.raises(FileError, match="cannot be written"):
        Target(tmp_path / "no" / "a").write(b"")


def test_rights_follow_the_mask_and_the_file_that_is_replaced(tmp_path):
    before = os.umask(0o027)
    try:
        Target(tmp_path / "a").write(b"")
        assert stat.S_IMODE(os.stat(tmp_path / "a").st_mode) == 0o640
        os.chmod(tmp_path / "a", 0o600)
        Target(tmp_path / "a", replace=True).write(b"")
        assert stat.S_IMODE(os.stat(tmp_path / "a").st_mode) == 0o600
    finally:
        os.umask(before)


def test_a_fault_of_whoever_writes_is_not_said_of_the_name(tmp_path):
    with pytest.raises(ValueError, match="does not fit"), Target(tmp_path / "a").writing(), file_errors(tmp_path):
        raise ValueError("the table does not fit")
    assert not others(tmp_path)
