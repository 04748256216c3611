"""The recordings that a library lists, looked through and asked from the window, by real processes."""

from __future__ import annotations

import csv

import pytest
from PyQt6.QtWidgets import QLabel

from tests.cli.program import run
from tests.voyages import voyage


@pytest.fixture(scope="module")
def archive(tmp_path_factory):
    """Two runs of the tug, and a file that is none."""
    folder = tmp_path_factory.mktemp("runs")
    for seed in (1, 2):
        made = voyage(tmp_path_factory, "4s", seed)
        (folder / "all" / f"run{seed}").mkdir(parents=True)
        (made / "thruster.log.gz").rename(folder / "all" / f"run{seed}" / f"thruster-{seed}.log.gz")
    (folder / "all" / "broken.pcap").write_bytes(b"\xd4\xc3\xb2\xa1 no more")
    return folder / "all"


@pytest.fixture
def page(pilot, archive):
    pilot.window.show_library("Recordings")
    pilot.settle()
    view = pilot.window.library.recordings
    view.list_folder(archive)
    pilot.wait(lambda: len(view.shown) >= 2, "the list")
    pilot.settle()
    return view


def words(view):
    return "\n".join(one.text() for one in view.findChildren(QLabel) if one.isVisibleTo(view))


def test_a_folder_is_listed_once_and_what_cannot_be_read_is_told(pilot, page, archive):
    names = [one.name for one in page.shown]
    assert {"thruster-1.log.gz", "thruster-2.log.gz"} <= set(names)
    assert (
        "1 file could not be read" in pilot.window.foot.told.text() and "broken.pcap" in pilot.window.foot.told.text()
    )
    page.list_folder(archive)
    pilot.settle()
    assert [one.name for one in page.shown] == names


def test_all_are_looked_through_and_a_field_is_drawn_over_the_runs(pilot, page):
    assert page.looked is None and "explained" not in words(page)
    pilot.click(page.look)
    pilot.wait(lambda: page.looked is not None, "the look through all")
    said = words(page)
    assert said.count("proved") == 2 and "unknown message" in said
    page.field.setCurrentText("Helm lever.lever port")
    pilot.settle()
    assert [name for name, _ in page.ranges.rows] == [one.name for one in page.shown if "thruster" in one.name]
    for _, one in page.ranges.rows:
        assert one.low <= one.first_quartile <= one.median <= one.third_quartile <= one.high
    assert page.ranges.unit == "%" and "middle" in page.ranges.accessibleDescription()


def test_the_ranges_are_those_of_the_command(pilot, page, archive):
    pilot.click(page.look)
    pilot.wait(lambda: page.looked is not None, "the look through all")
    code, out, _ = run(
        "decode", archive / "run1" / "thruster-1.log.gz", "--library", pilot.session.library.address.path
    )
    values = [float(row["value"]) for row in csv.DictReader(out.splitlines())
              if row["field"] == "lever port" and row["valid"] == "good"]  # fmt: skip
    page.field.setCurrentText("Helm lever.lever port")
    pilot.settle()
    one = dict(page.ranges.rows)["thruster-1.log.gz"]
    assert code == 0 and (one.low, one.high) == (min(values), max(values))


def test_a_hit_opens_its_recording_at_its_place(pilot, page, archive):
    pilot.type(page.condition, "`Helm lever`.`lever port` > 2", enter=True)
    pilot.wait(lambda: page.hits is not None, "the hits")
    hit = page.hits.runs[0]
    assert page.hits.count == sum(one.count for one in page.hits.runs) > 0 and "frames found in" in words(page)
    page.open_at(hit.path, hit.first_ns)
    pilot.wait(lambda: pilot.session.trial.folder.name.startswith("thruster-"), "the recording")
    pilot.settle()
    assert pilot.session.clock.cursor_ns == hit.first_ns and pilot.window.desk_name == "Read"
    assert {lane.name for lane in pilot.session.capture.lanes} == {"thruster"}
    assert pilot.session.library.name == "harbour-team library", "what found the hit also reads it"
    pilot.type(pilot.window.read.condition.line, "`Helm lever`.`lever port` > 2", enter=True)
    assert pilot.session.asking.hits is not None and len(pilot.session.asking.hits) == hit.count


def test_a_listed_recording_of_a_line_opens_by_the_recipe_that_the_library_keeps(pilot):
    pilot.window.show_library("Recordings")
    page, home = pilot.window.library.recordings, pilot.session.trial.folder
    pilot.click(page.add)
    pilot.wait(lambda: page.shown, "the list")
    page.open_at(str(home / "deck-bus.vcd.gz"))
    pilot.wait(lambda: pilot.session.trial.folder.name == "deck-bus trial", "the recording")
    pilot.settle()
    assert len(pilot.session.capture) == 954 and [one.name for one in pilot.session.capture.lanes] == ["deck"]
    assert "Valve island" in {pilot.session.kinds.name(n) for n in range(len(pilot.session.capture.kinds.keys))}
    # opened once more it is the same trial, with the recording in it once
    folder = pilot.session.trial.folder
    pilot.session.trials.open(home)
    pilot.wait(lambda: pilot.session.trial.folder == home, "the trial before")
    page.open_at(str(home / "deck-bus.vcd.gz"))
    pilot.wait(lambda: pilot.session.trial.folder == folder, "the recording again")
    pilot.settle()
    assert len(pilot.session.trial.file.sources) == 1 and pilot.session.library.name == "harbour-team library"


def test_a_condition_that_makes_no_sense_is_told(pilot, page):
    pilot.type(page.condition, "nothing > 2", enter=True)
    pilot.settle()
    assert page.hits is None and "nothing" in pilot.window.foot.told.text()
