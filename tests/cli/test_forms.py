"""Without a word for it a table has the form that its file's name ends in, and layouts have."""

import json

import pyarrow.parquet
import pytest

from tests.cli.program import run
from zesty_abacus.core.exchange.registry import form_of


@pytest.fixture
def log(tmp_path):
    path = tmp_path / "a.log"
    path.write_text("(1.0) can0 100#01\n(2.0) can0 100#02\n")
    return path


def test_a_table_is_what_its_name_ends_in(log, tmp_path):
    assert run("frames", log, "-o", tmp_path / "a.parquet")[0] == 0
    assert pyarrow.parquet.read_table(tmp_path / "a.parquet").column("address").to_pylist() == [256, 256]
    assert run("find", log, "--where", "size > 0", "-o", tmp_path / "A.JSONL")[0] == 0
    rows = [json.loads(line) for line in (tmp_path / "A.JSONL").read_text().splitlines()]
    assert [row["payload"] for row in rows] == ["01", "02"]


@pytest.mark.parametrize(
    ("words", "name", "begins"),
    [
        (["--to", "jsonl"], "a.parquet", b'{"time_ns"'), ([], "a.txt", b"time_ns,"), ([], "a", b"time_ns,"),
        ([], "a.csv", b"time_ns,"), (["--to", "csv"], "a.xlsx", b"time_ns,"),
    ],
)  # fmt: skip
def test_a_word_comes_before_the_name_and_any_other_name_is_csv(log, tmp_path, words, name, begins):
    assert run("frames", log, *words, "-o", tmp_path / name)[0] == 0
    assert (tmp_path / name).read_bytes().startswith(begins)
    assert run("frames", log, "-o", tmp_path / name, "--force", *words)[0] == 0, "in any order"
    assert (tmp_path / name).read_bytes().startswith(begins)


def test_on_standard_output_it_is_csv(log):
    assert run("frames", log)[1].startswith("time_ns,") and run("frames", log, "-o", "-")[1].startswith("time_ns,")


@pytest.mark.parametrize(
    ("name", "form"),
    [
        ("a.json", "json"), ("A.CSV", "csv"), ("a.arxml", "autosar"), ("a.eds", "eds"), ("a.xml", "xtce"),
        ("a.td.json", "thing"), ("a.xlsx", "xlsx"), ("a.bak", "json"), ("", "json"), ("csv", "json"),
    ],
)  # fmt: skip
def test_layouts_have_the_form_that_their_file_ends_in(name, form):
    assert form_of(name) == form


def test_layouts_leave_as_the_table_that_they_are_called(trial, tmp_path):
    assert run("library", "export", trial, "-o", tmp_path / "a.csv")[0] == 0
    assert (tmp_path / "a.csv").read_text().startswith("message,address,")
    assert run("library", "export", trial, "--to", "json", "-o", tmp_path / "b.csv")[0] == 0
    assert json.loads((tmp_path / "b.csv").read_text())["format"] == "zesty-abacus layouts"
