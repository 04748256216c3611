"""An output is never an input, and replaces a file only where the command says so."""

import json
import os

import msgspec
import pytest

from tests.cli.program import run
from tests.library.test_store import pod
from zesty_abacus.core.library.store import Library
from zesty_abacus.core.trial.trial import Trial

LOG = "".join(f"({n}.0) can0 100#0{n % 8}\n" for n in range(50))


@pytest.fixture
def files(tmp_path):
    (tmp_path / "a.log").write_text(LOG)
    library = Library.create(tmp_path / "lib.sqlite")
    library.layouts.commit(pod(), parent=None, author="mara")
    library.close()
    (tmp_path / "edges.pulses").write_text("+560 -560 +1680 -560 " * 60)
    return tmp_path


COMMANDS = [
    (("frames", "a.log"), "a.log"), (("decode", "a.log", "--library", "lib.sqlite"), "lib.sqlite"),
    (("decode", "a.log", "--library", "lib.sqlite"), "a.log"), (("library", "export", "lib.sqlite"), "lib.sqlite"),
    (("library", "export", "lib.sqlite", "--recipes"), "lib.sqlite"), (("recipe", "edges.pulses"), "edges.pulses"),
    (("library", "sheet", "lib.sqlite"), "lib.sqlite"),
]  # fmt: skip


@pytest.mark.parametrize("way", ["name", "link", "hard link", "other spelling"])
@pytest.mark.parametrize(("command", "over"), COMMANDS)
def test_an_output_that_is_an_input_is_refused(files, command, over, way):
    path = files / over
    before = path.read_bytes()
    if way == "link":
        path = files / "link.pdf"
        path.symlink_to(files / over)
    elif way == "hard link":
        path = files / "link.pdf"
        os.link(files / over, path)
    elif way == "other spelling":
        path = files / ".." / files.name / over
    arguments = [str(files / word) if (files / word).exists() else word for word in command]
    for force in ((), ("--force",)):
        code, _, err = run(*arguments, "-o", path, *force)
        assert code == 1 and "which is read" in err, err
    assert (files / over).read_bytes() == before
    assert sorted(one.name for one in files.iterdir()) == sorted(
        {"a.log", "lib.sqlite", "edges.pulses", *(["link.pdf"] if "link" in way else [])}
    )


def test_an_existing_file_is_replaced_only_with_force(files):
    out = files / "out.csv"
    assert run("frames", files / "a.log", "-o", out)[0] == 0
    before = out.read_bytes()
    code, _, err = run("frames", files / "a.log", "--to", "jsonl", "-o", out)
    assert code == 1 and "--force" in err and out.read_bytes() == before
    assert run("frames", files / "a.log", "--to", "jsonl", "-o", out, "--force")[0] == 0
    assert json.loads(out.read_text().splitlines()[0])["lane"] == "can0"


def test_what_stands_beside_an_output_is_not_replaced_either(files):
    """The origin of an earlier output is; a file of somebody else's, or a planted link, is not."""
    out, beside = files / "out.csv", files / "out.csv.origin.json"
    mine = files / "out.csv.part"
    mine.write_text("my own")
    beside.symlink_to(files / "a.log")
    code, _, err = run("library", "export", files / "lib.sqlite", "-o", out)
    assert code == 1 and "out.csv.origin.json" in err and not out.exists() and (files / "a.log").read_text() == LOG
    beside.unlink()
    for force in ((), ("--force",)):
        assert run("library", "export", files / "lib.sqlite", "-o", out, *force)[0] == 0
    assert json.loads(beside.read_bytes())["format"] == "zesty-abacus origin" and mine.read_text() == "my own"


def test_standard_output_has_a_name(files):
    code, out, _ = run("frames", files / "a.log", "-o", "-")
    assert code == 0 and out.count("\n") == 51 and not (files / "-").exists()


def test_a_recording_comes_through_standard_input(files):
    import subprocess
    import sys

    done = subprocess.run(
        [sys.executable, "-m", "zesty_abacus", "frames", "-"], input=LOG.encode(), capture_output=True, timeout=60
    )
    assert done.returncode == 0 and done.stdout == run("frames", files / "a.log", binary=True)[1]


def test_a_trial_that_reads_elsewhere_says_so_first(files):
    trial = Trial.create(files / "trial", "x")
    inside = trial.folder / "b.log"
    inside.write_text(LOG)
    trial.save(msgspec.structs.replace(trial.file, sources=(trial.entry_for(files / "a.log"), trial.entry_for(inside))))
    Library.create(trial.folder / "library.sqlite").close()
    _, out, err = run("frames", trial.folder)
    assert out.count("\n") == 101 and err.startswith("zesty-abacus: this trial reads files outside its folder: ")
    assert "a.log" in err and "b.log" not in err
