"""What scripts use: the page of it is the real surface, its examples run, and results are those of the commands."""

from __future__ import annotations

import csv
import inspect
import io
import json
import re
import subprocess
import sys
from pathlib import Path

import numpy as np
import pyarrow as pa
import pyarrow.parquet
import pytest

import zesty_abacus as za
from tests.cli.program import run
from zesty_abacus.core.handover.writers import ORIGIN_KEY

PAGE = (Path(__file__).parent.parent.parent / "docs" / "api.md").read_text()
LISTED = PAGE.split("| name | what |")[1].split("\n\n")[0]


@pytest.fixture
def capture(trial):
    with za.open_capture(trial) as opened:
        yield opened


@pytest.fixture
def library(trial):
    return za.open_library(trial)


def shown(path: str) -> inspect.Signature:
    owner, _, name = path.rpartition(".")
    return inspect.signature(getattr(getattr(za, owner) if owner else za, name))


def test_the_page_lists_every_name_and_no_other():
    functions = set(re.findall(r"`(\w+)\(", LISTED)) - {"len"}
    classes = set(re.findall(r"`(\w+Error)`", LISTED)) | set(re.findall(r"`(Capture|Library)\.", LISTED))
    assert functions | classes == set(za.__all__)


@pytest.mark.parametrize("owner", [za.Capture, za.Library], ids=["Capture", "Library"])
def test_the_page_lists_every_method_and_attribute(owner):
    rows = [row for row in LISTED.splitlines() if f"`{owner.__name__}." in row]
    listed = {name for row in rows for name in re.findall(r"(?:^\| `\w+|`)\.(\w+)", row.split(" | ")[0])}
    members = {name for name, _ in inspect.getmembers(owner) if not name.startswith("_")}
    kept = set(re.findall(r"^    (\w+)$", owner.__doc__.split("Attributes")[1], re.M))
    assert listed == members | kept


def test_arguments_and_defaults_stand_as_they_are():
    for path, arguments in re.findall(r"`((?:\w+\.)?\w+)\(([^)`]*)\)`", LISTED.replace("=()", '="EMPTY"')):
        if path == "len" or arguments == "...":
            continue
        real = [str(one).split(":")[0] + (f"={one.default!r}" if one.default is not one.empty else "")
                for one in shown(path).parameters.values() if one.name != "self"]  # fmt: skip
        real = [one.replace("'", '"').replace("=()", '="EMPTY"') for one in real]
        assert [one.strip() for one in arguments.split(",") if one.strip()] == real, path


@pytest.mark.parametrize("name", za.__all__)
def test_everything_says_what_it_is(name):
    thing = getattr(za, name)
    assert inspect.getdoc(thing)
    if inspect.isclass(thing):
        for _, member in inspect.getmembers(thing, inspect.isfunction):
            assert member.__name__.startswith("_") or inspect.getdoc(member), member


def test_the_examples_run_as_they_stand(trial, tmp_path):
    (tmp_path / "yuzu").symlink_to(trial)
    script = "\n".join(re.findall(r"```python\n(.*?)```", PAGE, re.S))
    done = subprocess.run([sys.executable, "-c", script], cwd=tmp_path, capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr[-2000:]
    lines = done.stdout.splitlines()
    assert ("frames on" in lines[0] and " t at " in lines[2] and "does not" in lines[-1]) or "fit" in lines[-1]
    assert (tmp_path / "load.xlsx").exists() and (tmp_path / "code" / "pack.py").exists()
    assert pyarrow.parquet.read_metadata(tmp_path / "everything.parquet").num_rows == int(lines[4].split()[0])


def rows_of(*words):
    code, out, err = run(*words)
    assert code == 0, err
    return list(csv.DictReader(io.StringIO(out)))


def test_tables_are_those_of_the_commands(trial, capture, library):
    """The same rows through another door."""
    log = trial / "thruster.log.gz"
    with za.open_capture(log) as opened:
        frames = rows_of("frames", log)
        assert opened.frames().column("payload").to_pylist() == [row["payload"] for row in frames]
        condition = "`Helm lever`.`lever port` > 10"
        found = rows_of("find", log, "--library", trial, "--where", condition)
        assert [str(time) for time in opened.find(condition, library).column("time_ns").to_pylist()] == [
            row["time_ns"] for row in found
        ]
        decoded = opened.decode(library, where=condition)
        assert decoded.num_rows == len(rows_of("decode", log, "--library", trial, "--where", condition)) > 10
    problems = rows_of("problems", trial, "--library", trial)
    assert [row["reason"] for row in capture.problems(library).to_pylist()] == [row["reason"] for row in problems]


def test_arrays_are_the_columns_of_the_wide_table(capture, library):
    found = capture.arrays(library, "Pack totals")
    table = capture.decode(library, shape="wide")
    mine = [
        row
        for row in table.select(["time_ns", "message", "Pack totals.current"]).to_pylist()
        if row["message"] == "Pack totals"
    ]
    assert found["time_ns"].tolist() == [row["time_ns"] for row in mine]
    wanted = np.array([np.nan if row["Pack totals.current"] is None else row["Pack totals.current"] for row in mine])
    assert np.array_equal(found["current"], wanted, equal_nan=True)
    with pytest.raises(za.MisuseError, match="no frame is read by a message 'Nothing'"):
        capture.arrays(library, "Nothing")


def test_batches_are_the_table_in_pieces_with_its_origin(capture, library):
    whole = capture.decode(library)
    pieces = list(capture.batches(library))
    assert pa.concat_tables(pieces).equals(whole) and len(pieces) > 1
    said = json.loads(whole.schema.metadata[ORIGIN_KEY])
    assert said["library"] == library.name


def test_a_recording_that_cannot_be_read_is_said(tmp_path, trial):
    (tmp_path / "nothing.log").write_bytes(b"\0\1\2")
    with pytest.raises(za.DataError):
        za.open_capture(tmp_path / "nothing.log")
    with za.open_capture(tmp_path / "nothing.log", trial / "thruster.log.gz") as opened:
        assert len(opened) and "nothing.log" in opened.troubles[0]
    with pytest.raises(za.MisuseError, match="nothing is to be opened"):
        za.open_capture()


def test_findings_are_those_of_the_command(trial):
    log = trial / "thruster.log.gz"
    with za.open_capture(log) as opened:
        found = opened.unravel(lane="thruster", address=0x2D0, only=["counter", "check"])
    code, out, _ = run(
        "unravel", log, "--lane", "thruster", "--address", "0x2D0", "--only", "counter", "--only", "check"
    )
    assert code == 0 and [json.loads(line) for line in out.splitlines()] == found != []


def test_a_library_is_made_of_files_and_encodes(tmp_path, trial):
    code, out, _ = run("library", "export", trial)
    (tmp_path / "all.json").write_text(out)
    made = za.new_library(tmp_path / "team.sqlite", tmp_path / "all.json")
    assert made.messages == za.open_library(trial).messages and made.name == "team"
    payload = made.encode("Helm lever", {"lever port": 12.5})
    code, out, _ = run("encode", "--library", tmp_path / "team.sqlite", "Helm lever", "lever port=12.5")
    assert code == 0 and out.strip().split("#")[1] == payload.hex().upper()
    with pytest.raises(za.DataError):
        za.new_library(tmp_path / "team.sqlite")
    (tmp_path / "bad.json").write_text("{}")
    with pytest.raises(za.AbacusError):
        za.new_library(tmp_path / "other.sqlite", tmp_path / "bad.json")
    assert not (tmp_path / "other.sqlite").exists()


def test_tables_are_written_once_and_never_over_another(tmp_path):
    table = pa.table({"label": ["=1+1"]})
    assert za.write_table(table, tmp_path / "a.csv") == 1
    assert (tmp_path / "a.csv").read_text() == "label\n'=1+1\n"
    with pytest.raises(za.DataError, match="a file of this name already"):
        za.write_table(table, tmp_path / "a.csv")
    za.write_table(table, tmp_path / "a.csv", replace=True, as_is=True)
    assert (tmp_path / "a.csv").read_text() == "label\n=1+1\n"
    with pytest.raises(za.MisuseError, match="no format 'ods'"):
        za.write_table(table, tmp_path / "a.ods")
    with pytest.raises(za.MisuseError, match="no table"):
        za.write_table([], tmp_path / "b.csv")


def test_saying_help_loads_nothing_of_it():
    script = "import zesty_abacus, sys; print([name for name in sys.modules if name.startswith('zesty_abacus.')])"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True)
    assert done.stdout.strip() == "[]"
