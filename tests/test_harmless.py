"""What others wrote leaves harmless: on terminals, in markup, in spreadsheets."""

import csv
import io
import json
import os
import re
import subprocess
import sys
import unicodedata

import openpyxl
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

from tests.cli.program import run
from tests.library.test_store import at
from zesty_abacus.core.exchange.registry import WRITERS, read_layout_file
from zesty_abacus.core.exchange.sheets import read_sheets, write_csv
from zesty_abacus.core.exchange.workbooks import write_workbook
from zesty_abacus.core.handover.sheet import sheet_of
from zesty_abacus.core.handover.sheet_html import sheets_html
from zesty_abacus.core.handover.sheet_svg import sheet_pages, stacked
from zesty_abacus.core.handover.writers import write_tables
from zesty_abacus.core.harmless import cell, meant, visible, visible_line
from zesty_abacus.core.layouts.model import Applies, new_field, new_layout
from zesty_abacus.core.library.store import Library

HOSTILE = "\x1b]0;owned\x07\x9b31m=1+cmd|' /C calc'!A1\u202egnp\n0x100  Forged\ud800\uffff\x00"
ANY_TEXT = st.text(st.characters(exclude_categories=[]), max_size=40)


@given(ANY_TEXT)
def test_nothing_that_acts_is_left(text):
    """By Unicode's own classes: no control and no mark of direction but tab and line feed."""
    left = visible(text)
    assert all(letter in "\t\n" or unicodedata.category(letter) not in ("Cc", "Cs", "Zl", "Zp") for letter in left)
    assert not re.search("[\u202a-\u202e\u2066-\u2069]", left)
    assert "\n" not in visible_line(text) and visible(left) == left
    etree.fromstring(f"<a>{left.replace('&', '').replace('<', '').replace('>', '')}</a>")


@pytest.mark.parametrize("text", ["=1+1", "+x", "-x", "@SUM(A1)", "\t=1", "\r=1", "--1", "=", "-", "-5 m", "=-5"])
def test_a_cell_that_would_be_run_is_not(text):
    left = cell(text)
    assert left[:1] not in "=+-@\t\r" or len(left) == 1


@pytest.mark.parametrize("text", ["-5", "+3.5", "-1e-9", ".5", "-.5E+3", "plain", "a=b", "", "0x1A0", "'quoted"])
def test_numbers_and_plain_words_stay(text):
    assert cell(text) == text


@given(st.text(st.characters(categories=["L", "N", "P", "S", "Zs"]), max_size=30))
def test_what_was_meant_comes_back(text):
    if not text.startswith("'"):
        assert meant(cell(text)) == text


def hostile_layout():
    # no JSON holds half a pair of surrogates, so no layout does
    text = HOSTILE.replace("\ud800", "")
    field = new_field(text, at("B0"), unit="=m")
    return new_layout(text, Applies(address=0x100), 8, [field])


@pytest.mark.parametrize("form", list(WRITERS))
def test_every_format_is_written_and_lists_what_it_could_not_hold(form, tmp_path):
    if form in ("json", "sunspec"):
        pytest.skip("our own JSON holds any text, and a model file holds one map of registers")
    layout = hostile_layout()
    clean = new_layout("plain", Applies(address=0x101), 8, [new_field("x", at("B0"))])
    written = WRITERS[form][2]([layout, clean])
    assert form == "xlsx" or not re.search(b"[\x00-\x08\x0b\x0c\x0e-\x1f\x7f]", written.data)
    path = tmp_path / f"out{WRITERS[form][1]}"
    path.write_bytes(written.data)
    if form == "eds":
        assert b"\n0x100" not in written.data
    if form in ("xtce", "autosar"):
        etree.fromstring(written.data)
        assert any("control characters" in left.reason for left in written.left)
        assert read_layout_file(path)[1].layouts


def test_cells_of_a_workbook_are_texts(tmp_path):
    book = openpyxl.load_workbook(io.BytesIO(write_workbook("x", [["=a"], ["=1+1"], ["\x1b[31m"], ["-5"]])))
    cells = [row[0] for row in book.active.iter_rows()]
    assert [one.data_type for one in cells] == ["s", "s", "s", "n"]
    assert cells[2].value == r"\x1b[31m"


def test_a_table_of_fields_comes_back_as_it_was():
    rows = [["name", "unit"], ["=1+1", "-x"], ["@a", "+b"], ["-5", "plain"]]
    text = write_csv(rows)
    assert all(one[:1] not in "=@+" for row in csv.reader(io.StringIO(text.decode())) for one in row if len(one) > 1)
    (sheet,) = read_sheets(text, "x")
    assert sheet.rows == rows


@given(st.lists(ANY_TEXT.filter(lambda text: not re.search("[\ud800-\udfff]", text)), min_size=1, max_size=6))
def test_a_table_of_values_holds_no_formula(words):
    schema = pa.schema([("=name", pa.string()), ("value", pa.float64())])
    table = pa.table({"=name": pa.array([*words, None]), "value": [-1.5] * (len(words) + 1)}, schema)
    out = io.BytesIO()
    write_tables(pa.PythonFile(out, mode="w"), "csv", schema, [table])
    rows = list(csv.reader(io.StringIO(out.getvalue().decode(), newline="")))
    assert rows[0] == ["'=name", "value"] and {row[1] for row in rows[1:]} == {"-1.5"}
    assert [row[0] for row in rows[1:]] == [*map(cell, words), ""]
    out = io.BytesIO()
    write_tables(pa.PythonFile(out, mode="w"), "csv", schema, [table], as_is=True)
    if not any("\r" in word for word in words):
        assert [row[0] for row in csv.reader(io.StringIO(out.getvalue().decode(), newline=""))][1:] == [*words, ""]


def test_sheets_stay_well_formed():
    sheet = sheet_of(hostile_layout(), HOSTILE)
    for page in sheet_pages(sheet):
        etree.fromstring(page.encode())
    etree.fromstring(stacked(sheet_pages(sheet)).encode())
    assert not re.search("[\x00-\x08\x0b-\x1f\x7f-\x9f]", sheets_html([sheet]))


@pytest.fixture(scope="module")
def library(tmp_path_factory):
    """A library of somebody who means harm."""
    path = tmp_path_factory.mktemp("hostile") / "library.sqlite"
    made = Library.create(path, HOSTILE.replace("\0", "").replace("\ud800", ""))
    layout = hostile_layout()
    text = HOSTILE.replace("\ud800", "").replace("\0", "")
    layout = new_layout(text, Applies(address=0x100), 8, [new_field(text, at("B0"), unit="=m")])
    made.layouts.commit(layout, parent=None, author=text, reason=text)
    made.releases.make(text, author=text, notes=text)
    made.proposals.propose(layout.id, None, parent=1, author=text, reason=text)
    made.close()
    return path


@pytest.mark.parametrize("words", [
    ("show",), ("log",), ("check",), ("releases",), ("proposals", "--all"), ("show", "--json"), ("log", "--json"),
    ("releases", "--json"), ("check", "--history"),
])  # fmt: skip
def test_no_command_lets_a_name_act(library, words):
    _, out, err = run("library", words[0], library, *words[1:])
    for said in (out, err):
        assert not re.search("[\x00-\x08\x0b-\x1f\x7f-\x9f\u202a-\u202e]", said), said
    assert "Forged" in out or words[0] == "check"
    assert not any(line.lstrip().startswith("0x100  Forged") for line in out.splitlines())
    if "--json" in words and words[0] != "show":
        json.loads(out)


def test_an_error_with_a_hostile_path_is_one_line(tmp_path):
    name = "no\x1b[31m\nsuch"
    code, out, err = run("frames", tmp_path / name)
    assert code == 1 and err.count("\n") == 1 and "\x1b" not in err and not out


def test_a_lone_surrogate_in_a_name_is_a_sentence(tmp_path):
    name = os.fsdecode(b"\xff\xfe.log")
    done = subprocess.run([sys.executable, "-m", "zesty_abacus", "frames", name], capture_output=True, cwd=tmp_path)
    assert done.returncode == 1 and b"cannot be opened" in done.stderr
