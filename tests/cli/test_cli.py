"""The command itself, run as a program: output, exit codes, one-sentence errors."""

import csv
import io
import json
import subprocess
import sys

import pyarrow.parquet
import pytest

from tests.cli.program import run
from tests.trial.pieces import write_pieces
from zesty_abacus.cli.main import cli
from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.demo.trial import copy_shipped_trial


def test_demo_writes_everything(trial):
    names = {path.name for path in trial.iterdir()}
    assert names >= {"trial.json", "library.sqlite", "thruster.log.gz", "battery.pcapng.zst", "gnss.csv", "truth"}
    assert run("demo", trial)[0] == 1
    assert run("demo", trial / "x", "--length", "soon")[0] == 2


def test_frames_of_a_trial_and_of_files(trial):
    code, out, err = run("frames", trial)
    rows = list(csv.DictReader(io.StringIO(out)))
    columns = ["time_ns", "lane", "address", "direction", "flags", "size", "payload", "words"]
    assert code == 0 and list(rows[0]) == columns
    assert {row["lane"] for row in rows} == {
        "thruster", "battery", "shore", "deck", "bilge", "winch", "compass", "pendant", "beacon",
    }  # fmt: skip
    assert "sounder.wav: as WAV it holds waves, and no recipe says what they speak" in err
    code, out, _ = run("frames", trial / "battery.pcapng.zst", "--to", "jsonl")
    assert code == 0 and {json.loads(line)["lane"] for line in out.splitlines()} == {"battery"}


def test_decode_long_and_wide_in_every_format(trial, tmp_path):
    code, out, _ = run("decode", trial, "--library", trial)
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0 and {"angle", "current"} <= {row["field"] for row in rows}
    target = tmp_path / "wide.parquet"
    assert run("decode", trial, "--library", trial, "--shape", "wide", "--to", "parquet", "-o", target)[0] == 0
    table = pyarrow.parquet.read_table(target)
    assert "Pack totals.current" in table.column_names
    code, data, _ = run("decode", trial, "--library", trial, "--to", "parquet", binary=True)
    assert code == 0 and pyarrow.parquet.read_table(io.BytesIO(data)).num_rows == len(rows)


def test_a_tied_message_is_decoded_as_the_window_decodes_it(trial, tmp_path):
    copy = copy_shipped_trial(tmp_path / "tied")
    layout = next(one for one in layouts_from_file(copy.folder / "layouts.json") if one.name == "Pod status")
    copy.save(copy.file.with_tie(layout.id, "thruster", 0x2D0, 0))
    code, out, err = run("decode", copy.folder, "--library", trial, "--shape", "wide")
    rows = [row for row in csv.DictReader(io.StringIO(out)) if row["address"] == str(0x2D0)]
    assert code == 0 and rows and {row["message"] for row in rows} == {"Pod status"}, err
    code, out, _ = run("library", "check", trial, copy.folder, "--json")
    assert "Pod status" not in json.loads(out)["unused"]


def test_encode_tells_what_it_lost(trial):
    code, out, err = run("encode", "--library", trial, "Azimuth command port", "angle set=-12.32", "mode=transit")
    assert (code, out.strip()) == (0, "1A0#0AFF0000020000BC")
    assert err.strip() == "zesty-abacus: angle set is off by -0.02, the nearest step"
    code, _, err = run("encode", "--library", trial, "0x1A0", "angle set=9000")
    assert code == 2 and "does not fit" in err
    assert run("encode", "--library", trial, "0x1A0", "angle")[0] == 2
    assert run("encode", "--library", trial, "0x999", "a=1")[0] == 1


def test_library_verbs(trial, tmp_path):
    path = tmp_path / "own.sqlite"
    assert run("library", "new", path, "--name", "bench")[0] == 0
    code, out, _ = run(
        "library", "import", path, trial / "layouts.json", "--author", "bench 2", "--reason", "from Yuzu"
    )
    assert code == 0 and "33 layouts, 33 new or changed" in out
    assert "0 new or changed" in run("library", "import", path, trial / "layouts.json")[1]
    code, out, _ = run("library", "export", path)
    assert code == 0 and json.loads(out)["format"] == "zesty-abacus layouts"
    assert run("library", "export", path, "-o", tmp_path / "out.json")[0] == 0
    assert run("library", "export", path, "-o", tmp_path / "no" / "out.json")[0] == 1
    assert "Pack totals" in run("library", "show", path, "0x18FF0210")[1]
    assert "bench 2" in run("library", "log", path)[1] and "from Yuzu" in run("library", "log", path)[1]
    assert run("library", "check", path)[:2] == (0, "0 problems\n")
    assert run("library", "new", path)[0] == 1


def test_a_bad_layout_file_changes_nothing(trial, tmp_path):
    path = tmp_path / "own.sqlite"
    run("library", "new", path)
    bad = tmp_path / "bad.json"
    bad.write_text((trial / "layouts.json").read_text().replace('"size": 8', '"size": 1'))
    code, _, err = run("library", "import", path, bad)
    assert code == 1 and "Nothing was brought in" in err
    assert run("library", "show", path)[1] == ""


@pytest.mark.parametrize(
    ("arguments", "code", "words"),
    [
        (["frames", "none.log"], 1, "cannot be opened"),
        (["frames"], 2, "Missing argument"),
        (["frames", __file__], 1, "none of the known formats"),
        (["decode", "none.log", "--library", "none.sqlite"], 1, "does not exist"),
        (["decode", "x"], 2, "Missing option"),
        (["library", "show", __file__], 1, "not a library"),
        (["frames", "x", "--to", "doc"], 2, "doc"),
        (["library", "nonsense"], 2, "nonsense"),
    ],
)
def test_errors_are_one_sentence_with_an_exit_code(arguments, code, words):
    found, out, err = run(*arguments)
    assert (found, out) == (code, "") and words in err and "Traceback" not in err


def test_problems_go_to_standard_error_and_the_rest_is_read(tmp_path):
    path = tmp_path / "a.log"
    path.write_text("(1.0) can0 100#00\nbroken\n(2.0) can0 100#01\n")
    code, out, err = run("frames", path)
    assert code == 0 and len(out.splitlines()) == 3 and "line 2" in err


@pytest.mark.parametrize("command", [[], ["frames"], ["decode"], ["encode"], ["library"], ["library", "log"], ["demo"]])
def test_help_everywhere(command):
    code, out, _ = run(*command, "--help")
    assert code == 0 and "Usage" in out


def test_a_reader_that_has_enough_ends_the_command(trial):
    shell = f"{sys.executable} -m zesty_abacus frames {trial} | head -1"
    done = subprocess.run(["bash", "-o", "pipefail", "-c", shell], capture_output=True, text=True, timeout=60)
    assert done.stdout.startswith("time_ns,") and "Traceback" not in done.stderr


HEAVY = ("numba", "numpy", "pyarrow", "PyQt6", "sqlalchemy", "psycopg", "scipy.linalg")


@pytest.mark.parametrize(
    ("arguments", "loaded"),
    [
        (["--help"], []), (["--version"], []), (["frames", "--help"], []), (["decode", "--help"], []),
        (["library", "--help"], []), (["frames", "--nonsense"], []), (["library", "nonsense"], []),
        (["decode", "x"], []),
        (["frames", "RECORDING"], ["numba", "numpy", "pyarrow"]),
    ],
)  # fmt: skip
def test_a_command_loads_what_it_needs(arguments, loaded, tmp_path):
    recording = tmp_path / "a.log"
    recording.write_text("(1.0) can0 100#00\n")
    arguments = [str(recording) if one == "RECORDING" else one for one in arguments]
    code = (
        f"import sys; sys.argv = ['zesty-abacus', *{arguments}]\n"
        "import zesty_abacus.cli.main as it\n"
        "try: it.main()\n"
        f"finally: print([m for m in {HEAVY} if m in sys.modules], file=sys.stderr)"
    )
    done = subprocess.run([sys.executable, "-c", code], capture_output=True, text=True)
    assert done.stderr.splitlines()[-1] == str(loaded)


@pytest.mark.parametrize("path", [[], ["library"]])
def test_the_help_of_a_group_says_of_each_command_what_its_own_help_says(path):
    group = cli if not path else cli.get_command(None, path[0])
    for name, entry in group.entries.items():
        command = group.get_command(None, name)
        assert command is not None and command.hidden == (not entry.words)
        # the same verb, so that the two cannot say different things
        assert command.hidden or command.help.split()[0] == entry.words.split()[0], name


def test_a_recipe_is_measured_and_used(trial, tmp_path):
    sounder, recipe = trial / "sounder.wav", tmp_path / "sounder.json"
    code, _, err = run("frames", sounder)
    assert code == 1 and "no recipe says what they speak" in err and "zesty-abacus recipe" in err
    code, _, err = run("recipe", sounder, "-o", recipe)
    assert code == 0 and "Manchester words" in err and "three levels" in err
    code, out, _ = run("frames", sounder, "--recipe", recipe)
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0 and len(rows) == 29 and rows[0]["payload"].startswith("A500") and rows[0]["lane"] == "sounder"


def test_of_several_recipes_each_source_takes_its_own(trial):
    files = [trial / name for name in ("compass.bytes", "winch-load.vcd.gz", "shore-meter.pcap")]
    code, out, _ = run("frames", *files, "--recipe", trial / "recipes.json")
    rows = list(csv.DictReader(io.StringIO(out)))
    assert code == 0 and {row["lane"] for row in rows} == {"compass", "winch", "shore"}
    assert {row["flags"] for row in rows if row["lane"] == "shore"} == {"", "answer"}


def test_recipes_go_in_and_out_of_a_library(trial, tmp_path):
    library = tmp_path / "library.sqlite"
    assert run("library", "new", library)[0] == 0
    code, out, _ = run("library", "import", library, trial / "recipes.json")
    assert code == 0 and "7 recipes, 7 new or changed" in out
    code, out, _ = run("library", "export", library, "--recipes")
    assert code == 0 and len(json.loads(out)["recipes"]) == 7
    code, out, _ = run("library", "show", library, "pendant")
    assert code == 0 and "recipe  pendant: Pulses, bursts" in out


def test_a_recording_nothing_explains_says_so(tmp_path):
    path = tmp_path / "a.pulses"
    path.write_text("pulse 350\nspace 350\npulse 350\nspace 350\n")
    code, _, err = run("recipe", path)
    assert code == 1 and "no line code explains this recording" in err


def test_a_message_with_an_array_and_a_list_is_encoded_from_json(trial):
    code, out, err = run(
        "encode", "--library", trial, "Beacon packet", "name=YZ7", "number=3", "has swell=1", "step=0.5",
        'swell=[{"height": 0.5}, {"height": -0.26}]', 'extras=[["note", {"note": "slack"}]]',
    )  # fmt: skip
    assert (code, err) == (0, "")
    assert out.strip() == "#" + (b"YZ7\x03" + bytes(12) + b"\x82\x05\x19\xf3\x02\x05slack").hex().upper()
    assert run("encode", "--library", trial, "Beacon packet", "swell=[1")[0] == 2
    code, out, _ = run("encode", "--library", trial, "Heading sentence", "sentence=YZHDG", "heading=12.5",
                       "reference=true", "check=0")  # fmt: skip
    assert code == 0 and bytes.fromhex(out.strip().split("#")[1]) == b"$YZHDG,12.5,T*00"


def test_items_of_arrays_are_decoded_to_rows_of_their_own(trial, tmp_path):
    # a copy, since opening a trial keeps its capture beside it
    copy = copy_shipped_trial(tmp_path / "yuzu").folder
    code, out, _ = run("decode", copy, "--library", trial, "--to", "csv")
    assert code == 0
    rows = [row for row in csv.DictReader(io.StringIO(out)) if row["lane"] == "beacon"]
    heights = [row for row in rows if row["field"].startswith("swell[") and row["valid"] == "good"]
    assert {row["unit"] for row in heights} == {"m"} and max(abs(float(row["value"])) for row in heights) < 1.5
    counts = [int(row["raw"]) for row in rows if row["field"] == "swell points" and row["valid"] == "good"]
    assert len(heights) == sum(counts) > 20
    assert any(row["field"].startswith("note[") and row["label"] == "slack water" for row in rows)


def test_the_library_speaks_json_and_tells_what_nothing_uses(trial, tmp_path):
    code, out, _ = run("library", "check", trial, trial, "--json")
    found = json.loads(out)
    assert (code, found["problems"]) == (0, []) and "Climate remote" in found["unused"] and "Tow" not in found["unused"]
    code, out, _ = run("library", "log", trial, "--limit", "2", "--json")
    assert code == 0 and {"revision", "layout"} == set(json.loads(out)[0]) and len(json.loads(out)) == 2
    shown = tmp_path / "shown.json"
    code, out, _ = run("library", "show", trial, "azimuth", "--json")
    shown.write_text(out)
    assert {layout.name.split()[0] for layout in layouts_from_file(shown)} == {"Azimuth"}


def test_bytes_that_look_like_telegrams_are_told_with_what_to_do(tmp_path):
    pump, recipe = write_pieces(tmp_path / "pump.csv"), tmp_path / "pump.json"
    code, rows, errors = run("frames", pump)
    assert code == 0 and len(rows.splitlines()) == 1 + 20 * (8 + 11)
    assert errors == (
        f"zesty-abacus: {pump} looks like Modbus RTU: 40 of 40 units have a CRC-16 that agrees. "
        "To have it read so, write a recipe with zesty-abacus recipe, and give it with --recipe.\n"
    )
    assert run("recipe", pump, "-o", recipe)[0] == 0
    code, rows, errors = run("frames", pump, "--recipe", recipe)
    assert code == 0 and len(rows.splitlines()) == 1 + 40 and "looks like" not in errors


@pytest.mark.parametrize("group", ["library", "archive"])
def test_a_group_without_a_verb_shows_its_help_line_by_line(group):
    code, out, err = run(group)
    assert code == 2 and out == "" and "\\n" not in err
    assert err == run(group, "--help")[1]


def test_all_of_a_layout_is_shown(tmp_path):
    library, file = tmp_path / "team.sqlite", tmp_path / "dryer.json"
    file.write_text(json.dumps({"format": "zesty-abacus layouts", "version": 2, "layouts": [{
        "name": "Burner", "applies": {"address": "0x210", "lanes": ["hall"]}, "size": 8,
        "fields": [
            {"name": "page", "places": "B0"},
            {"name": "heat", "places": "B1 B2", "ratio": "1/10", "offset": "-40", "unit": "°C", "high": "75",
             "selected": {"field": "page", "values": "1..2"}, "unavailable": "65535"},
            {"name": "fan", "places": "B4 B3", "unit": "rpm"},
            {"name": "mode", "places": "B5", "kind": "names", "names": [{"raw": 0, "label": "off"},
                                                                        {"raw": 1, "label": "on", "to": 3}]},
            {"name": "crc", "places": "B7"}],
        "checks": [{"check": "counter", "name": "turns", "field": "page", "step": 1}],
        "computed": [{"name": "twice", "expression": "fan * 2", "unit": "rpm"}],
        "parts": [{"part": "group", "name": "cells", "size": 1, "repeat": "to-end",
                   "fields": [{"name": "cell", "places": "B0"}]}],
    }]}))  # fmt: skip
    assert run("library", "new", library)[0] == 0 and run("library", "import", library, file)[0] == 0
    assert run("library", "show", library)[1].splitlines() == [
        "0x210  Burner on hall, 8 bytes",
        "    page: B0, unsigned",
        "    heat: B1 B2, unsigned, high byte first, 0.1 a step from -40, °C, open to 75; "
        "if page is 1..2; not available at 65535",
        "    fan: B4 B3, unsigned, low byte first, rpm",
        "    mode: B5, named values",
        "    crc: B7, unsigned",
        "    cells: array to the end, bytes an item 1, how often to-end",
        "        cell: B0, unsigned",
        "    twice: computed, fan * 2, rpm",
        "    mode is off at 0, on at 1 to 3",
        "    turns (counter): field page, step 1",
    ]
