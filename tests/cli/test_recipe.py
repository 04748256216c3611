"""``recipe``: for several recordings, for each line of one, with figures in the place of what was measured."""

from __future__ import annotations

import json

import msgspec
import pytest

from tests.lines.drawing import Wires, from_levels, uart_parts
from zesty_abacus.core.captures.registry import read_lines, recognise
from zesty_abacus.core.lines.settings import check_settings
from zesty_abacus.core.recipes.changes import fields_of
from zesty_abacus.core.recipes.json_form import (
    recipe_from_json,
    recipe_to_json,
    recipes_from_file,
    recipes_to_file_text,
)
from zesty_abacus.core.recipes.measured import measured_proposal
from zesty_abacus.core.recipes.propose import propose
from zesty_abacus.core.recipes.run import run_recipe

from .program import run

WAVES = ("bilge-scl-sda.csv.gz", "deck-bus.vcd.gz", "winch-load.vcd.gz", "beacon.wav", "sounder.wav",
         "pendant.sigmf-meta", "bridge-remote.pulses")  # fmt: skip


def vcd(path, lines):
    """Write lines as value changes (IEEE 1364, 18.2), a nanosecond a tick."""
    names = dict(zip(lines, "!%&+", strict=False))
    head = "$timescale 1 ns $end\n" + "".join(f"$var wire 1 {names[name]} {name} $end\n" for name in lines)
    rows = [(0, name, line.first) for name, line in lines.items()]
    for name, line in lines.items():
        rows += [(int(time), name, int(level)) for time, level in zip(line.time_ns, line.level, strict=True)]
    end = max(line.end_ns for line in lines.values())
    body = "".join(f"#{time}\n{level}{names[name]}\n" for time, name, level in sorted(rows, key=lambda row: row[0]))
    path.write_text(f"{head}$enddefinitions $end\n{body}#{end}\n")
    return path


def test_several_recordings_give_a_recipe_each(trial, tmp_path):
    out = tmp_path / "found.json"
    sources = [trial / name for name in (*WAVES, "thruster.log.gz", "compass.bytes", "shore-meter.pcap")]
    code, text, err = run("recipe", *sources, "-o", out)
    assert (code, text) == (0, ""), err
    found = recipes_from_file(out)
    assert [one.lane for one in found] == [
        "bilge", "deck", "winch", "beacon", "sounder", "pendant", "bridge", "compass", "shore",
    ]  # fmt: skip
    assert "thruster.log.gz: no recipe is needed, it holds the frames of a bus." in err
    assert err.count("%)") >= len(found) and "bilge, I2C" in err
    code, frames, err = run("frames", *sources, "--recipe", out)
    assert code == 0 and {row.split(",")[1] for row in frames.splitlines()[1:]} >= {one.lane for one in found}, err


def test_each_line_of_a_recording_has_its_recipe(tmp_path):
    down = from_levels(uart_parts(list(b"depth 12.5 m\r\n" * 12), 1e9 / 9600))
    up = from_levels(uart_parts(list(b"$YZDPT,3,41*66\r\n" * 9), 1e9 / 38_400, parity="even", data_bits=8))
    source = vcd(tmp_path / "pair.vcd", {"rx": down, "tx": up})
    code, text, _ = run("recipe", source)
    made = json.loads(text)["recipes"]
    assert code == 0 and {(one["lane"], one["line"]["line"]) for one in made} == {("pair rx", "rx"), ("pair tx", "tx")}
    rates = {one["line"]["line"]: one["line"]["rate"] for one in made}
    assert rates == pytest.approx({"rx": 9600, "tx": 38_400}, rel=0.002)


def test_what_nothing_explains_is_told_and_the_rest_comes_out(trial, tmp_path):
    wires = Wires(x=0)
    for level in (1, 0, 1, 0):
        wires.wait(1000, x=level)
    still = vcd(tmp_path / "still.vcd", wires.edges())
    code, text, err = run("recipe", still, trial / "winch-load.vcd.gz")
    assert code == 0 and len(json.loads(text)["recipes"]) == 1
    assert f"{still}: no line code explains this recording." in err
    code, text, err = run("recipe", still)
    assert (code, text) == (1, "") and "no line code explains this recording" in err and "Traceback" not in err


@pytest.mark.parametrize("name", WAVES)
def test_a_recipe_with_its_figures_reads_what_the_measured_one_reads(trial, tmp_path, name):
    recording, _ = read_lines(trial / name, tmp_path / "lines", recognise(trial / name))
    proposal = propose(trial / name, recording)[0]
    filled = measured_proposal(proposal, recording).recipe
    # as far as the code itself tells: a pause that no recording shows stays to be measured
    left = [
        field.name for field in fields_of(filled.line) if field.measured and getattr(filled.line, field.name) is None
    ]
    assert set(left) <= {"gap_us"}
    plain, figures = (run_recipe(one, recording).result.frames for one in (proposal.recipe, filled))
    assert plain.payload.tolist() == figures.payload.tolist() and plain.flags.tolist() == figures.flags.tolist()
    assert plain.address.tolist() == figures.address.tolist() and len(plain)


@pytest.mark.parametrize(
    ("lane", "part", "name", "value", "words"),
    [
        ("deck", "line", "parity", "E", "parity='E', expected one of 'none', 'odd', 'even', 'mark', 'space'."),
        ("deck", "line", "stop_bits", 3.0, "stop_bits=3.0, expected one of 1.0, 1.5, 2.0."),
        ("deck", "line", "rate", -9600.0, "rate=-9600.0, expected a number above 0."),
        ("winch", "line", "mode", 4, "mode=4, expected one of 0, 1, 2, 3."),
        (
            "pendant",
            "line",
            "coding",
            "both",
            "coding='both', expected one of 'width', 'distance', 'manchester', 'plain', 'biphase'.",
        ),
        ("deck", "framing", "pause_ms", 0.0, "pause_ms=0.0, expected a number above 0."),
    ],
)
def test_words_that_mean_nothing_are_refused(trial, tmp_path, lane, part, name, value, words):
    recipe = next(one for one in recipes_from_file(trial / "recipes.json") if one.lane == lane)
    settings = msgspec.structs.replace(getattr(recipe, part), **{name: value})
    file = tmp_path / "wrong.json"
    wrong = msgspec.structs.replace(recipe, **{part: settings})
    file.write_text(recipes_to_file_text([wrong]))
    code, _, err = run("frames", trial / "deck-bus.vcd.gz", "--recipe", file)
    assert code == 1 and f"wrong.json: these are no recipes: {recipe.name}, {part}: {words}" in err
    assert "Traceback" not in err
    assert recipe_from_json(recipe_to_json(wrong)) == wrong, "what is kept already opens, and is told when it is used"


def test_every_recipe_of_the_trial_passes(trial):
    for recipe in recipes_from_file(trial / "recipes.json"):
        for settings in filter(None, (recipe.line, recipe.framing)):
            check_settings(settings, fields_of(settings), "")


def test_a_recipe_that_does_not_say_what_the_wires_speak_is_named(trial, tmp_path):
    recipe = next(one for one in recipes_from_file(trial / "recipes.json") if one.lane == "winch")
    file = tmp_path / "silent.json"
    file.write_text(recipes_to_file_text([msgspec.structs.replace(recipe, line=None, name="half a recipe")]))
    code, _, err = run("frames", trial / "winch-load.vcd.gz", "--recipe", file)
    assert code == 1 and "the recipe half a recipe does not say what they speak" in err
