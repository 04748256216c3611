"""Which recipe a command takes: a given one by pattern and channels, else one of the library; when none is needed."""

from __future__ import annotations

import csv
import io
from uuid import uuid4

import msgspec
import pytest

from zesty_abacus.core.recipes.fitting import UnclearRecipeError, fitting, recipes_for
from zesty_abacus.core.recipes.json_form import recipes_from_file, recipes_to_file_text
from zesty_abacus.core.recipes.model import SourcePattern

from .program import run


@pytest.fixture(scope="module")
def kept(trial):
    return {recipe.lane: recipe for recipe in recipes_from_file(trial / "recipes.json")}


def lanes_of(out):
    return {row["lane"] for row in csv.DictReader(io.StringIO(out))}


def renamed(recipe, name, **source):
    pattern = msgspec.structs.replace(recipe.source, **source)
    return msgspec.structs.replace(recipe, id=uuid4(), name=name, source=pattern)


def test_the_pattern_that_says_most_is_taken(kept):
    winch = kept["winch"]
    wide, narrow = renamed(winch, "wide", file="*"), renamed(winch, "narrow", file="winch-*.vcd.gz")
    found = fitting([wide, narrow], "winch-load.vcd.gz", winch.source.form, ())
    assert [one.name for one in found] == ["narrow", "wide"]
    assert [one.name for one in recipes_for([wide, narrow], "winch-load.vcd.gz", winch.source.form, ())] == ["narrow"]
    assert recipes_for([narrow], "deck-bus.vcd.gz", winch.source.form, ()) == []


def test_recipes_whose_channels_are_not_there_are_passed_over(kept):
    winch, deck = kept["winch"], kept["deck"]
    both = [renamed(winch, "winch", file="*.vcd.gz"), renamed(deck, "deck", file="*.vcd.gz")]
    found = recipes_for(both, "new.vcd.gz", winch.source.form, winch.source.channels)
    assert [one.name for one in found] == ["winch"]


def test_equal_patterns_are_a_question_unless_each_gives_a_lane_of_its_own(kept):
    winch = kept["winch"]
    other = msgspec.structs.replace(renamed(winch, "other"), line=msgspec.structs.replace(winch.line, mode=3))
    with pytest.raises(UnclearRecipeError, match="fit this recording equally well"):
        recipes_for([winch, other], "winch-load.vcd.gz", winch.source.form, winch.source.channels)
    same = renamed(winch, "the same under another name")
    assert len(recipes_for([winch, same], "winch-load.vcd.gz", winch.source.form, winch.source.channels)) == 1
    beside = msgspec.structs.replace(other, lane="second")
    found = recipes_for([winch, beside], "winch-load.vcd.gz", winch.source.form, winch.source.channels)
    assert {one.lane for one in found} == {"winch", "second"}


def test_commands_say_which_recipe_is_unclear(trial, kept, tmp_path):
    winch = kept["winch"]
    other = msgspec.structs.replace(renamed(winch, "other"), line=msgspec.structs.replace(winch.line, mode=3))
    file = tmp_path / "two.json"
    file.write_text(recipes_to_file_text([winch, other]))
    code, _, err = run("frames", trial / "winch-load.vcd.gz", "--recipe", file)
    assert code == 2 and "load cell and other fit this recording equally well" in err
    lanes = tmp_path / "lanes.json"
    lanes.write_text(recipes_to_file_text([winch, msgspec.structs.replace(other, lane="second")]))
    code, out, _ = run("frames", trial / "winch-load.vcd.gz", "--recipe", lanes)
    assert code == 0 and lanes_of(out) >= {"winch"}


def test_the_library_keeps_the_recipe_that_is_needed(trial, tmp_path):
    library = tmp_path / "team.sqlite"
    run("library", "new", library)
    run("library", "import", library, trial / "layouts.json", trial / "recipes.json")
    code, out, err = run("decode", trial / "winch-load.vcd.gz", "--library", library)
    assert code == 0 and lanes_of(out) == {"winch"}, err
    assert "is read by the recipe" in err and "of the library" in err
    code, out, _ = run("library", "check", library, trial / "winch-load.vcd.gz")
    assert "no frame here" in out
    code, out, _ = run("library", "recordings", library, trial / "winch-load.vcd.gz")
    assert code == 0 and "winch (" in out


def test_recipes_can_be_given_to_the_commands_of_a_library(trial, tmp_path):
    library = tmp_path / "bare.sqlite"
    run("library", "new", library)
    run("library", "import", library, trial / "layouts.json")
    source, recipes = trial / "compass.bytes", trial / "recipes.json"
    for command in (("check", library, source), ("recordings", library, source)):
        code, out, err = run("library", *command, "--recipe", recipes)
        assert "Traceback" not in err and code in (0, 1)
    assert "compass (" in out


def test_a_log_of_a_bus_needs_no_recipe(tmp_path):
    log = tmp_path / "bus.log"
    log.write_text("(1.0) can0 1A0#0102\n(1.1) can0 1A0#0103\n")
    code, out, err = run("recipe", log)
    assert (code, out) == (0, "") and "no recipe is needed, it holds the frames of a bus" in err


def test_a_pattern_asks_for_its_form():
    pattern = SourcePattern(file="a*.csv", form="samples", channels=("x",))
    assert pattern.fits("a1.csv", "samples", ()) and pattern.fits("A1.CSV", "samples", ("x", "y"))
    assert not pattern.fits("a1.csv", "frames", ()) and not pattern.fits("a1.csv", "samples", ("y",))
    assert not pattern.fits("b1.csv", "samples", ())
