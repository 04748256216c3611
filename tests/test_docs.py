"""What the documents say is true: commands, keys, files, examples."""

import json
import re
import subprocess
import sys
from pathlib import Path

import jsonschema
import msgspec
import pytest

from tests.cli.program import run
from tests.generate.compiled import made_of
from tests.generate.test_c import tug_layout
from zesty_abacus.core.captures.registry import formats, line_formats
from zesty_abacus.core.forward.ways.registry import ways
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.generate.folder import write_folder
from zesty_abacus.core.generate.manifest import Manifest
from zesty_abacus.core.generate.node import read_sources
from zesty_abacus.core.handover.frame_table import FRAME_SCHEMA
from zesty_abacus.core.handover.long_table import LONG_SCHEMA
from zesty_abacus.core.handover.problem_table import PROBLEM_SCHEMA
from zesty_abacus.core.layouts.json_form import SCHEMA_PATH
from zesty_abacus.core.layouts.model import FieldKind
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.links.framing import framings
from zesty_abacus.core.live.registry import endpoint_of, schemes
from zesty_abacus.core.problems.problem import ProblemKind
from zesty_abacus.core.recipes.json_form import SCHEMA_PATH as RECIPE_SCHEMA_PATH
from zesty_abacus.core.recipes.json_form import recipe_from_json
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.steps import rehearsal_from_json
from zesty_abacus.core.trial.packed import Packed
from zesty_abacus.core.trial.trial import FILE_NAME, Trial
from zesty_abacus.desk.command_table import DESKS

ROOT = Path(__file__).parent.parent
PAGES = [ROOT / "README.md", *sorted((ROOT / "docs").glob("*.md"))]


def page(name: str) -> str:
    return (ROOT / name).read_text()


def examples(name: str) -> list[str]:
    """Return the JSON examples of a page."""
    return re.findall(r"```json\n(.*?)```", page(name), re.S)


def example_of(format_name: str) -> str:
    """Return the example of a format on the page of formats."""
    return next(example for example in examples("docs/formats.md") if f'"{format_name}"' in example)


def test_problems_are_listed_in_the_order_of_reading():
    listed = re.findall(r"^\| `([a-z-]+)` \|", page("docs/problems.md"), re.M)
    assert listed == [kind.value for kind in ProblemKind]
    assert ", ".join(PROBLEM_SCHEMA.names) in page("docs/problems.md")


@pytest.mark.parametrize("path", PAGES, ids=lambda path: path.name)
def test_links_lead_somewhere(path):
    for target in re.findall(r"\]\(([^)#]+)\)", path.read_text()):
        assert (path.parent / target).exists(), target


def test_every_picture_is_shown_and_there_are_few():
    pictures = sorted((ROOT / "docs" / "screenshots").glob("*.png"))
    text = "".join(path.read_text() for path in PAGES)
    assert 5 <= len(pictures) < 20
    assert all(picture.name in text for picture in pictures)


def test_the_readme_shows_the_two_commands_and_they_are_there():
    readme = page("README.md")
    script = page("dev")
    for verb in ("demo", "test", "shots", "bench", "check", "run"):
        assert f"./dev {verb}" in readme and f"{verb})" in script


def test_commands_of_the_readme_are_known():
    verbs = set(re.findall(r"^zesty-abacus (\w+)", page("README.md"), re.M))
    assert verbs == {
        *(
            "frames",
            "find",
            "problems",
            "exchanges",
            "unravel",
            "beside",
            "recipe",
            "decode",
            "encode",
            "library",
            "demo",
            "record",
            "send",
            "replay",
            "poll",
            "device",
            "rehearse",
            "wave",
            "handover",
            "report",
            "archive",
            "forward",
            "pack",
            "unpack",
        )
    }
    for verb in sorted(verbs):
        done = subprocess.run([sys.executable, "-m", "zesty_abacus", verb, "--help"], capture_output=True, text=True)
        assert done.returncode == 0
        for option in re.findall(rf"^zesty-abacus {verb}.*?(--\w+)", page("README.md"), re.M):
            assert option in done.stdout


def test_the_trial_example_is_a_trial(tmp_path):
    (tmp_path / FILE_NAME).write_text(example_of("zesty-abacus trial"))
    trial = Trial.open(tmp_path).file
    assert trial.lanes[0].note == "CAN 500k" and trial.moments[0].text == "bow thruster on"


def test_the_layout_example_is_brought_in_as_it_stands(tmp_path):
    (tmp_path / "example.json").write_text(example_of("zesty-abacus layouts"))
    library = tmp_path / "team.sqlite"
    for words in (["new", library], ["import", library, tmp_path / "example.json"], ["check", library]):
        done = run("library", *words)
        assert done[0] == 0, done
    code, out, _ = run("library", "export", library)
    jsonschema.validate(json.loads(out), json.loads(SCHEMA_PATH.read_text()))
    kept = json.loads(out)["layouts"][0]
    assert code == 0 and kept["fields"][3]["selected"]["field"] == kept["fields"][2]["id"]


def test_the_rehearsal_example_is_one_with_every_sort_of_step_it_shows():
    made = rehearsal_from_json(example_of("zesty-abacus rehearsal").encode(), "docs/formats.md")
    assert made.name == "Hook holds under load"
    listed = set(re.findall(r"`(\w+)`", page("docs/formats.md").split("A step is one of")[1].split(";")[0]))
    assert {type(step).__struct_config__.tag for step in made.all_steps()} <= listed


def test_every_feed_of_the_page_is_one_and_every_endpoint_can_be_meant():
    text = page("docs/rehearse.md")
    feeds = re.findall(r"^\| `((?:ramp|saw|sine|steps|random|noise|table|=) [^`]*)`", text, re.M)
    assert len(feeds) == 8, feeds
    assert all(parse_feed(feed).words for feed in feeds)
    for written in re.findall(r"^\| `((?:can|udp|tcp|serial|modbus|bench):[^`]*)`", text, re.M):
        filled = (
            written.replace("HOST", "127.0.0.1")
            .replace("PORT", "5000")
            .replace("UNIT", "1")
            .replace("PATH", "/dev/ttyS0")
        )
        assert endpoint_of(filled).address.scheme in schemes()


def usages() -> list[tuple[str, str]]:
    """Return every line of the pages that shows how a command is used, with the page it stands on."""
    return [
        (path.name, line)
        for path in PAGES
        for line in re.findall(r"^zesty-abacus (.*)$", path.read_text(), re.M)
    ]  # fmt: skip


@pytest.mark.parametrize(("where", "line"), usages(), ids=lambda text: text[:40])
def test_every_command_that_is_shown_exists_with_its_options(where, line):
    from zesty_abacus.cli.main import cli

    verbs = line.split()
    group = cli
    if verbs[0] in ("library", "archive"):
        group, verbs = cli.get_command(None, verbs[0]), verbs[1:]
    names = verbs[0].split("|")
    for name in names:
        command = group.get_command(None, name)
        assert command is not None, f"{where}: {name}"
        if len(names) == 1:
            known = {option for one in command.params for option in (*one.opts, *one.secondary_opts)}
            shown = set(re.findall(r"(?<![\w-])--[a-z][a-z-]*", line))
            assert shown <= known, f"{where}: {sorted(shown - known)} of {name}"


def test_the_schema_and_the_pages_know_every_kind():
    schema = json.loads(SCHEMA_PATH.read_text())
    kinds = {kind.value for kind in FieldKind}
    assert set(schema["$defs"]["Field"]["properties"]["kind"]["enum"]) == kinds
    assert all(f"`{kind}`" in page("docs/layouts.md") for kind in kinds)


def part_of_schema(example: dict) -> str:
    """Return which definition of the schema an example on the page of layouts is about."""
    if "part" in example:
        names = {
            "group": "Group", "run": "Run", "elements": "Elements", "text-line": "TextLine", "carried": "Carried",
            "packed": "Packed", "labels": "Labels",
        }  # fmt: skip
        return names[example["part"]]
    if "check" in example and isinstance(example["check"], str):
        return example["check"].capitalize()
    if "expression" in example or "text" in example:
        return "Computed"
    return "RegisterMap" if "space" in example else "Applies" if "protocol" in example else "Field"


def test_every_example_of_the_layout_language_obeys_the_schema_and_all_structures_are_shown():
    # one validator for all: the schema itself is looked at once
    obeys = jsonschema.Draft202012Validator(json.loads(SCHEMA_PATH.read_text()))
    schema, shown = obeys.schema, set()
    for text in examples("docs/layouts.md"):
        example = json.loads(text.replace('"…"', '"5d5cf6f0-5c0e-5f3c-9a53-1f0f0b6f0c11"'))
        shown.add(part_of_schema(example))
        part = {"$defs": schema["$defs"], "$ref": f"#/$defs/{part_of_schema(example)}"}
        obeys.evolve(schema=part).validate(example)
    tagged = {name for name, one in schema["$defs"].items() if {"part", "check"} & set(one["properties"])}
    assert tagged | {"Field", "Computed", "Applies", "RegisterMap"} == shown


def test_columns_of_the_tables_are_told():
    text = page("docs/formats.md").replace("\n", " ")
    for schema in (FRAME_SCHEMA, LONG_SCHEMA):
        assert f"`{', '.join(schema.names)}`" in text


def test_flags_are_told_with_their_numbers():
    text = page("docs/formats.md").replace("\n", " ")
    for number, words in ((F.RECEIVED, "received"), (F.SENT, "sent"), (F.EXTENDED, "extended"), (F.REMOTE, "remote"),
                          (F.ERROR, "error"), (F.LONG, "long"), (F.CUT_SHORT, "cut short"),
                          (F.REFUSED, "not acknowledged"), (F.ANSWER, "answer"), (F.VOTED, "voted")):  # fmt: skip
        assert f"{number} {words}" in text


def test_every_format_and_every_place_in_the_guide_is_real():
    text = page("docs/formats.md")
    assert all(format_.name in text for format_ in (*formats(), *line_formats()))
    for place in re.findall(r"`((?:[BR]\d+(?:\[[\d.]+\])?(?:\.\.[BR]\d+)? ?)+)`", page("docs/guide.md")):
        assert len(parse_places(place)) > 0


def test_the_guide_goes_through_every_desk_by_its_key():
    guide = page("docs/guide.md")
    assert all(name in page("README.md") for name in DESKS)
    assert all(f"`{key}`" in guide for key in "123456XZPMHDBTUOF"[1:] if key not in "3")


def test_every_line_code_and_framing_is_told():
    text = page("docs/formats.md")
    for one in (*decoders(), *framings()):
        assert one.name in text, one.name
    tags = {one.settings.__struct_config__.tag for one in (*decoders(), *framings())}
    assert all(f"`{tag}`" in text for tag in tags), tags


def test_the_recipe_example_is_a_recipe():
    document = json.loads(example_of("zesty-abacus recipes"))
    jsonschema.validate(document, json.loads(RECIPE_SCHEMA_PATH.read_text()))
    recipe = recipe_from_json(json.dumps(document["recipes"][0]).encode())
    assert recipe.speaks == "I2C, register device" and recipe.level("ch1").above == 1.62


def test_the_architecture_names_every_package():
    text = page("docs/architecture.md")
    for package in sorted((ROOT / "zesty_abacus" / "core").iterdir()):
        if package.is_dir() and package.name != "__pycache__":
            assert f"{package.name}/" in text, package.name


def test_generated_code_is_described_by_what_reads_it():
    manifest = example_of("language")
    assert msgspec.json.decode(manifest, type=Manifest).results["ok"] == "YUZU_OK"
    node = next(example for example in examples("docs/code.md") if "every_ms" in example)
    assert read_sources(node.encode(), "docs").keys() == {"Helm lever"}


def test_the_example_of_generated_python_runs(tmp_path):
    write_folder(tmp_path, made_of([tug_layout()], "python", prefix="yuzu"))
    script = re.findall(r"```python\n(.*?)```", page("docs/code.md"), re.S)[0]
    done = subprocess.run([sys.executable, "-c", script + "\nprint(speed, again.shape)"], cwd=tmp_path,
                          capture_output=True, text=True, check=False)  # fmt: skip
    assert done.returncode == 0 and done.stdout.split() == ["-1.66", "(1000,", "4)"], done.stderr


def test_ways_of_forwarding_are_all_told():
    told = page("docs/forward.md")
    assert all(f"{scheme}://" in told for scheme in ways())


def test_the_example_of_a_packed_trial_is_one():
    example = example_of("zesty-abacus packed trial")
    assert msgspec.json.decode(example, type=Packed).files[0].name == "trial.json"
