"""A layout that cannot be read costs its own messages only, on the command line too, and is told."""

from __future__ import annotations

import csv
import io
import json
from fractions import Fraction
from uuid import uuid4

import msgspec
import pytest

from zesty_abacus.core.layouts.json_form import layouts_to_file_text
from zesty_abacus.core.layouts.model import Applies, Carried, FieldKind, Group, Repeat, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at

from .program import run

GOOD = new_layout("good", Applies(address=0x100), 8, [new_field("a", at("B0"))])
LOST = new_layout("lost", Applies(address=0x200), 1, [new_field("b", at("B0"))],
                  parts=(Carried(id=uuid4(), name="inside", layout=uuid4()),))  # fmt: skip
LOOP = new_layout("loop", Applies(address=0x300), 1, [new_field("c", at("B0"))])
LOOP = msgspec.structs.replace(LOOP, parts=(Carried(id=uuid4(), name="itself", layout=LOOP.id),))


def write_layouts(path, layouts):
    path.write_text(layouts_to_file_text(layouts))


@pytest.fixture()
def made(tmp_path):
    layouts = tmp_path / "layouts.json"
    write_layouts(layouts, [GOOD, LOST, LOOP])
    library = tmp_path / "team.sqlite"
    assert run("library", "new", library)[0] == 0
    assert run("library", "import", library, layouts)[0] == 0
    log = tmp_path / "bus.log"
    addresses = ("100", "200", "300", "100")
    log.write_text("".join(f"({n}.0) can0 {one}#0{n}02030405060708\n" for n, one in enumerate(addresses)))
    return library, log


@pytest.mark.parametrize("shape", ["long", "wide"])
def test_decode_leaves_out_what_cannot_be_read_and_says_why(made, shape):
    library, log = made
    code, out, err = run("decode", log, "--library", library, "--shape", shape)
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0 and {row["message"] for row in rows} == {"good"} and len(rows) == 2
    assert "lost: inside carries a layout that is not in the library. Its messages are left out." in err
    assert "loop: loop carries itself. Its messages are left out." in err and "Traceback" not in err


def test_find_and_problems_go_on_without_it(made):
    library, log = made
    code, out, _ = run("find", log, "--library", library, "--where", "a > 0")
    assert code == 0 and out.count("\n") == 2
    code, _, err = run("problems", log, "--library", library)
    assert code == 0 and "Traceback" not in err


def test_a_library_of_nothing_else_says_what_is_wrong(made, tmp_path):
    _, log = made
    alone = tmp_path / "alone.json"
    write_layouts(alone, [LOST])
    library = tmp_path / "other.sqlite"
    run("library", "new", library)
    run("library", "import", library, alone)
    code, _, err = run("decode", log, "--library", library)
    assert code == 2 and "inside carries a layout that is not in the library" in err


# values that are no number, or none that ends


X = new_field("x", at("B0..B3"), FieldKind.FLOAT, high=Fraction(1000))
FLOATS = new_layout("floats", Applies(address=0x100), 8, [X, new_field("y", at("B4..B7"), FieldKind.FLOAT)])


def test_no_number_is_never_good_and_infinity_is_a_number_in_json_lines(tmp_path):
    write_layouts(tmp_path / "f.json", [FLOATS])
    library = tmp_path / "f.sqlite"
    run("library", "new", library)
    run("library", "import", library, tmp_path / "f.json")
    log = tmp_path / "f.log"
    log.write_text("(0.0) can0 100#7FC000007F800000\n(1.0) can0 100#7F800000FF800000\n")
    code, out, err = run("decode", log, "--library", library, "--to", "jsonl")
    rows = [json.loads(line) for line in out.splitlines()]
    assert code == 0, err
    assert [(row["field"], row["value"], row["valid"]) for row in rows] == [
        ("x", None, "not available"), ("y", float("inf"), "good"),
        ("x", float("inf"), "outside limits"), ("y", float("-inf"), "good"),
    ]  # fmt: skip
    for row in rows:
        assert row["value"] is not None or row["valid"] != "good"


# encoding on the command line


@pytest.mark.parametrize(
    ("value", "words"),
    [("cells=[5]", "item 0 takes a value for each"), ("cells=[", "is no JSON"), ("cells={}", "takes a list of items"),
     ("cells=5", "takes a list of items"), ('cells=[{"z": 1}]', "no field 'z'")],
)  # fmt: skip
def test_arrays_that_are_none_are_refused_in_a_sentence(tmp_path, value, words):
    fields = new_field("x", at("B0")), new_field("y", at("B1"))
    cells = Group(id=uuid4(), name="cells", size=2, repeat=Repeat.TO_END, fields=fields)
    layout = new_layout("arrays", Applies(protocol="serial"), 0, parts=(cells,))
    write_layouts(tmp_path / "a.json", [layout])
    run("library", "new", tmp_path / "a.sqlite")
    run("library", "import", tmp_path / "a.sqlite", tmp_path / "a.json")
    code, _, err = run("encode", "--library", tmp_path / "a.sqlite", "arrays", value)
    assert code == 2 and words in err and "Traceback" not in err


def test_a_text_may_begin_with_a_bracket(tmp_path):
    layout = new_layout("note", Applies(protocol="serial"), 4, [new_field("note", at("B0..B3"), FieldKind.TEXT)])
    write_layouts(tmp_path / "n.json", [layout])
    run("library", "new", tmp_path / "n.sqlite")
    run("library", "import", tmp_path / "n.sqlite", tmp_path / "n.json")
    code, out, _ = run("encode", "--library", tmp_path / "n.sqlite", "note", "note=[ab]")
    assert (code, out.strip()) == (0, "#" + b"[ab]".hex().upper())
