"""What is said of one file of an archive: its recording, or why there is none; nothing of what is known already."""

from __future__ import annotations

import hashlib
from pathlib import Path

import pytest

from tests.trial.pieces import write_pieces
from tests.trial.test_trial import write_log
from zesty_abacus.core.archive.catalogue import files_below, look_at
from zesty_abacus.core.archive.overview import look_over
from zesty_abacus.core.archive.task import Task
from zesty_abacus.core.layouts.json_form import layouts_to_file_text
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.trial.intake import SourceRequest


def look(path, known=()):
    return look_at(path, lambda one: [SourceRequest(one)], lambda digest: digest in known)


def test_a_recording_is_told_with_what_is_in_it_and_only_once(tmp_path):
    path = write_log(tmp_path / "bus.log", [(f"{n}.0", "can0", "100", f"{n:02X}") for n in range(30)])
    digest = hashlib.sha256(path.read_bytes()).hexdigest()
    found = look(path)
    assert (found.path, found.reason) == (path, "")
    assert (found.recording.name, found.recording.sha256, found.recording.size) == (
        "bus.log",
        digest,
        len(path.read_bytes()),
    )
    assert look(path, {digest}) is None


def test_a_file_that_is_not_there_is_told_with_its_reason(tmp_path):
    path = tmp_path / "gone.log"
    found = look(path)
    assert found.path == path and "gone.log" in found.reason
    assert (found.recording.name, found.recording.size, found.recording.sha256) == ("gone.log", 0, "")
    assert found.recording.path == str(path)


@pytest.mark.parametrize(("content", "why"), [
    (b"nothing that anybody knows\n", "its content is none of the known formats"),
    (b"$timescale 1 us $end $var wire 1 ! rx $end $enddefinitions $end\n#0 1!\n#50 0!\n#90 1!\n#400\n",
     "no recipe says what it speaks."),
])  # fmt: skip
def test_what_gives_no_frames_is_told_with_its_size_and_content(tmp_path, content, why):
    path = tmp_path / "a.vcd"
    path.write_bytes(content)
    found = look(path)
    assert why in found.reason and found.recording.size == len(content)
    assert found.recording.sha256 == hashlib.sha256(content).hexdigest()


def test_bytes_without_a_recipe_are_a_recording_all_the_same(tmp_path):
    found = look(write_pieces(tmp_path / "pump.csv"))
    assert found.reason == "" and found.recording.name == "pump.csv"


def test_what_a_recording_is_like_is_told_with_its_path(tmp_path):
    path = write_log(tmp_path / "bus.log", [(f"{n}.0", "can0", "100", f"{n:02X}") for n in range(30)])
    layouts = tmp_path / "layouts.json"
    field = new_field("level", parse_places("B0"))
    layouts.write_text(layouts_to_file_text([new_layout("Tank", Applies(address=0x100), 1, [field])]))
    found = look_over(Task(str(path), "ab" * 32, path.stat().st_size, (), str(layouts)))
    assert (found.path, found.frames, found.claimed) == (str(path), 30, 1.0)
    assert [(one.message, one.field) for one in found.fields] == [("Tank", "level")]
    gone = look_over(Task(str(tmp_path / "gone.log"), "ab" * 32, 1, (), str(layouts)))
    assert gone.path == str(tmp_path / "gone.log") and "gone.log" in gone.reason


def test_below_a_folder_files_of_bytes_are_no_recordings_unless_they_are_named(tmp_path):
    (tmp_path / "firmware.bin").write_bytes(bytes(range(256)))
    (tmp_path / "notes.md").write_text("Read me.\n")
    (tmp_path / "dump.out").write_text("".join(f"{at:08x}  {'ab ' * 16}\n" for at in range(0, 160, 16)))
    log = write_log(tmp_path / "bus.log", [("1.0", "can0", "100", "01")])
    assert files_below([tmp_path]) == [log, tmp_path / "dump.out"]
    assert files_below([tmp_path / "firmware.bin"]) == [tmp_path / "firmware.bin"]


def test_what_one_may_not_look_at_below_a_folder_is_passed_over(tmp_path, monkeypatch):
    log = write_log(tmp_path / "bus.log", [("1.0", "can0", "100", "01")])
    (tmp_path / "closed.log").write_text("")
    looked = Path.is_file

    def is_file(path):
        if path.name == "closed.log":
            raise PermissionError(13, "Permission denied", str(path))
        return looked(path)

    monkeypatch.setattr(Path, "is_file", is_file)
    assert files_below([tmp_path]) == [log]
