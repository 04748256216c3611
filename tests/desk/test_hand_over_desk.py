import json

import msgspec
import pyarrow.parquet
import pytest

from zesty_abacus.core.handover.long_table import long_table
from zesty_abacus.core.handover.wide_table import wide_table
from zesty_abacus.desk.app import engine
from zesty_abacus.desk.app.library_choice import use_release
from zesty_abacus.desk.desks.handover.desk import REPORT, TRIAL


def written(pilot, tmp_path, **choices):
    """Write a Parquet file with these choices and read it back."""
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    desk.choose("form", "parquet")
    for name, value in choices.items():
        desk.choose(name, value)
    target = tmp_path / "out.parquet"
    pilot.type(desk.path, str(target), enter=True)
    if target.exists() and not desk.replace.isHidden():
        pilot.click(desk.replace)
    assert desk.problem.isHidden(), desk.problem.text()
    return pyarrow.parquet.read_table(target)


def rows_in(blocks):
    return sum(block.count for block in blocks)


@pytest.mark.parametrize("content", ["long", "wide"])
def test_the_file_holds_what_core_decodes(pilot, tmp_path, content):
    session = pilot.session
    table = written(pilot, tmp_path, content=content)
    tables = {"long": long_table, "wide": wide_table}[content]
    assert table.num_rows == rows_in(tables(session.reading.meaning))
    times = table["time_ns"].to_numpy()
    assert (times[1:] >= times[:-1]).all()


def test_one_message_alone(pilot, tmp_path):
    pilot.pick_kind(0x18FF0210)
    table = written(pilot, tmp_path, content="wide", messages="kind")
    assert table.num_rows == 2400
    assert next(name for name in table.column_names if "." in name) == "Pack totals.current"
    assert set(table["Pack totals.state"].to_pylist()) == {"closed"}


def test_the_message_in_hand_is_the_only_one_that_leaves(pilot, tmp_path):
    """One layout reads two messages here; frames of the other one stay."""
    session = pilot.session
    kind = pilot.kind(0x1A1)
    layout = session.reading.layout_of(kind)
    span = msgspec.structs.replace(layout.applies, address=0x1A1, to=0x2D0, lanes=())
    session.edits.change(msgspec.structs.replace(layout, applies=span))
    pilot.settle()
    assert len(session.reading.meaning.kinds_read_by(layout.id)) > 1
    pilot.pick_kind(0x1A1)
    table = written(pilot, tmp_path, content="wide", messages="kind")
    assert set(table["address"].to_pylist()) == {0x1A1}
    frames = written(pilot, tmp_path, content="frames", messages="kind")
    assert frames.num_rows == session.capture.kinds.count(kind) and set(frames["address"].to_pylist()) == {0x1A1}


def test_a_tied_message_leaves_as_it_is_shown(pilot, tmp_path):
    session = pilot.session
    pilot.pick_kind(0x2D0)
    kind = session.in_hand.kind
    layout = next(one for one in session.edits.layouts() if one.name == "Pod status")
    session.ties.tie(session.in_hand.kind, layout.id)
    pilot.settle()
    table = written(pilot, tmp_path, content="wide", messages="kind")
    assert table.num_rows == session.capture.kinds.count(kind) > 0
    assert set(table["message"].to_pylist()) == {"Pod status"} and set(table["address"].to_pylist()) == {0x2D0}
    every = written(pilot, tmp_path, content="long", messages="all")
    assert 0x2D0 in set(every["address"].to_pylist())


def test_a_window_of_a_map_leaves_with_its_rows(pilot, tmp_path):
    session = pilot.session
    reads = session.reading
    kind = next(n for n in reads.kinds_read() if reads.layout_of(n).registers is not None and reads.layout_of(n).fields)
    session.in_hand.take_kind(kind)
    pilot.settle()
    table = written(pilot, tmp_path, content="wide", messages="kind")
    assert table.num_rows == session.capture.kinds.count(kind) > 0


def test_a_layout_that_carries_another_leaves(pilot, tmp_path):
    session = pilot.session
    kind = next(n for n in session.reading.kinds_read() if session.reading.name(n) == "Beacon packet")
    session.in_hand.take_kind(kind)
    pilot.settle()
    table = written(pilot, tmp_path, content="long", messages="kind")
    assert table.num_rows > session.capture.kinds.count(kind)


def test_an_unnamed_message_alone_is_refused_but_its_frames_are_not(pilot, tmp_path):
    pilot.pick_kind(0x2C1)
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    desk.choose("messages", "kind")
    pilot.type(desk.path, str(tmp_path / "a.csv"), enter=True)
    assert "Nobody has named the message in hand" in desk.problem.text() and not (tmp_path / "a.csv").exists()
    desk.choose("content", "frames")
    pilot.type(desk.path, str(tmp_path / "a.csv"), enter=True)
    assert (tmp_path / "a.csv").exists()


def test_no_file_name_is_said(pilot):
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    pilot.type(desk.path, "", enter=True)
    assert desk.problem.text() == "Choose where the file goes."


def test_the_ending_follows_the_form(pilot):
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    for form in ("parquet", "jsonl", "csv"):
        desk.choose("form", form)
        assert desk.path.text().endswith(f".{form}")


def test_the_preview_is_the_beginning_of_the_file(pilot, tmp_path):
    table = written(pilot, tmp_path, content="long")
    preview = pilot.window.handover.tables.preview
    assert preview.names == table.column_names
    wanted = [list(row.values()) for row in table.slice(0, 40).to_pylist()]
    assert preview.rows == wanted


def test_the_preview_says_why_there_is_none(pilot):
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    pilot.pick_kind(0x2C1)
    desk.choose("messages", "kind")
    pilot.settle()
    assert "no layout of the library reads any frame" in desk.preview._instead


def listed(pilot):
    """Return the words of the list of what was handed over, as far as they are shown."""
    labels = pilot.window.handover.side.inner.findChildren(type(pilot.window.handover.tables.problem))
    return " ".join(label.text() for label in labels if not label.isHidden())


def test_what_was_handed_over_is_listed(pilot, tmp_path):
    desk = pilot.window.handover.tables
    hint = "What is written in this session is listed here."
    assert hint in listed(pilot)
    written(pilot, tmp_path, content="frames")
    assert hint not in listed(pilot)
    rows = f"{len(pilot.session.capture):,} rows".replace(",", chr(0x2009))
    assert "out.parquet" in listed(pilot) and rows in listed(pilot)
    assert "decoded" not in listed(pilot) and "decoded" not in desk.words.text(), "frames leave as they are"
    table = written(pilot, tmp_path, content="long")
    rows = f"{table.num_rows:,} rows".replace(",", chr(0x2009))
    state = f"decoded with harbour-team library, revision {pilot.session.library.marks().layouts}"
    assert rows in listed(pilot) and state in listed(pilot) and state in desk.words.text()
    origin = json.loads((tmp_path / "out.parquet.origin.json").read_bytes())
    assert origin["revision"] == pilot.session.library.marks().layouts and origin["library"] == "harbour-team library"


def test_what_leaves_while_a_release_is_shown_says_the_release(pilot, tmp_path):
    pilot.session.library.releases.make("run 14", author="ada")
    use_release(pilot.session, "run 14")
    pilot.settle()
    written(pilot, tmp_path, content="long")
    assert "harbour-team library, release run 14" in listed(pilot)
    assert json.loads((tmp_path / "out.parquet.origin.json").read_bytes())["release"] == "run 14"


def test_an_existing_file_is_replaced_only_by_a_whole_one(pilot, tmp_path, monkeypatch):
    target = tmp_path / "out.parquet"
    target.write_bytes(b"precious")
    monkeypatch.setattr("os.fsync", lambda _number: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    pilot.type(desk.path, str(target), enter=True)
    assert "out.parquet is there already" in desk.problem.text() and target.read_bytes() == b"precious"
    pilot.click(desk.replace)
    assert "No space left" in desk.problem.text() and desk.replace.isHidden()
    assert target.read_bytes() == b"precious" and list(tmp_path.iterdir()) == [target]


def test_another_name_is_another_question(pilot, tmp_path):
    """What was said of one file holds for no other, and of none a second time."""
    first, second = tmp_path / "a.csv", tmp_path / "b.csv"
    for path in (first, second):
        path.write_bytes(b"precious")
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    pilot.type(desk.path, str(first), enter=True)
    assert not desk.replace.isHidden()
    pilot.type(desk.path, str(second))
    assert desk.replace.isHidden() and desk.problem.isHidden()
    desk.run()
    assert second.read_bytes() == b"precious" and "b.csv is there already" in desk.problem.text()
    pilot.click(desk.replace)
    assert second.read_bytes() != b"precious"
    desk.run()
    assert "b.csv is there already" in desk.problem.text()
    assert first.read_bytes() == b"precious"


def test_no_file_of_the_trial_is_written_over(pilot):
    trial = pilot.session.trial
    recording = trial.source_path(trial.file.sources[0])
    before = recording.read_bytes()
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    for path in (recording, trial.folder / "library.sqlite", trial.folder / "trial.json"):
        pilot.type(desk.path, str(path), enter=True)
        assert desk.replace.isHidden() and "which is read" in desk.problem.text(), path
    assert recording.read_bytes() == before


def test_rows_on_one_clock_with_times_as_people_write_them(pilot, tmp_path):
    pilot.pick_kind(0x18FF0210)
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    assert not desk.clock.isVisible()
    desk.choose("content", "clock")
    assert desk.clock.isVisible(), "how far rows are apart is asked where it matters"
    pilot.type(desk.every, "250 ms", enter=True)
    table = written(pilot, tmp_path, content="clock", messages="kind", times="seconds", between="linear")
    assert table.column_names[0] == "time_s"
    seconds = table["time_s"].to_pylist()
    assert seconds[1] - seconds[0] == pytest.approx(0.25) and len(seconds) == pytest.approx(480, abs=2)
    assert table["Pack totals.current"].null_count < 5


def test_a_length_of_time_that_is_none_is_said_and_nothing_is_written(pilot, tmp_path):
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    desk.choose("content", "clock")
    pilot.type(desk.every, "often", enter=True)
    pilot.type(desk.path, str(tmp_path / "a.csv"), enter=True)
    assert "'often' is no length of time" in desk.problem.text() and not (tmp_path / "a.csv").exists()


def test_the_other_forms_are_offered_and_written(pilot, tmp_path):
    pilot.pick_kind(0x18FF0210)
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    desk.choose("messages", "kind")
    desk.choose("content", "wide")
    for form, begins in (("arrow", b"ARROW1"), ("xlsx", b"PK"), ("mat", b"MATLAB"), ("npz", b"PK")):
        desk.choose("form", form)
        target = tmp_path / f"out.{form}"
        pilot.type(desk.path, str(target), enter=True)
        assert desk.problem.isHidden(), desk.problem.text()
        assert target.read_bytes().startswith(begins)


def test_frames_leave_as_a_recording_again_and_only_frames(pilot, tmp_path):
    pilot.pick_kind(0x1A1)
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    pilot.settle()
    assert desk.choices["form"].buttons["log"].isHidden(), "decoded values are no frames"
    desk.choose("content", "frames")
    desk.choose("messages", "lane")
    desk.choose("form", "log")
    pilot.settle()
    assert desk.path.text().endswith(".log") and not desk.choices["times"].isVisible() and desk.own_times.isVisible()
    target = tmp_path / "thruster.log"
    pilot.type(desk.path, str(target), enter=True)
    assert desk.problem.isHidden(), desk.problem.text()
    capture = pilot.session.capture
    thruster = next(number for number, lane in enumerate(capture.lanes) if lane.name == "thruster")
    assert len(target.read_text().splitlines()) == len(capture.order_of_lanes(frozenset([thruster])))
    assert {line.split()[1] for line in target.read_text().splitlines()} == {"thruster"}
    desk.choose("content", "wide")
    pilot.settle()
    assert desk.choices["form"].value == "csv" and desk.path.text().endswith(".csv")
    assert desk.choices["times"].isEnabled()


def test_what_a_recording_cannot_hold_is_told(pilot, tmp_path):
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    desk.choose("content", "frames")
    desk.choose("form", "pcapng")
    pilot.type(desk.path, str(tmp_path / "all.pcapng"), enter=True)
    told = pilot.window.foot.told.text()
    assert "all.pcapng is written: " in told and "more are left out" in told
    desk.choose("form", "pcap")
    pilot.type(desk.path, str(tmp_path / "all.pcap"), enter=True)
    assert "pcap holds one lane, not 2. Choose one lane" in desk.problem.text()
    assert not (tmp_path / "all.pcap").exists()


def test_a_name_alone_is_beside_the_trial_and_gets_its_ending(pilot):
    folder, pages = pilot.session.trial.folder, pilot.window.handover.pages
    pilot.window.show_desk("Hand over")
    desk = pilot.window.handover.tables
    desk.choose("content", "frames")
    desk.choose("form", "pcapng")
    pilot.type(desk.path, "night", enter=True)
    assert (folder / "night.pcapng").exists() and "night.pcapng is written: " in pilot.window.foot.told.text()
    pilot.type(desk.path, "night.txt", enter=True)
    assert (folder / "night.txt").read_bytes() == (folder / "night.pcapng").read_bytes()
    pages.show_page(TRIAL)
    pilot.type(pilot.window.handover.trial.target.path, "night", enter=True)
    assert (folder.parent / "night.ztrial").exists()
    pages.show_page(REPORT)
    pilot.wait(lambda: pilot.window.handover.report.made is not None, "the report")
    pilot.type(pilot.window.handover.report.target.path, "night", enter=True)
    assert (folder / "night.html").exists()


def packed(pilot, tmp_path):
    pilot.window.show_desk("Hand over")
    pilot.window.handover.pages.show_page(TRIAL)
    page = pilot.window.handover.trial
    pilot.type(page.target.path, str(tmp_path / "yuzu.ztrial"), enter=True)
    assert page.target.problem.isHidden(), page.target.problem.text()
    return page, tmp_path / "yuzu.ztrial"


def test_the_trial_leaves_in_one_file_and_opens_elsewhere(pilot, tmp_path):
    frames, name = len(pilot.session.capture), pilot.session.trial.file.name
    page, file = packed(pilot, tmp_path)
    assert "recordings with their recipes" in page.said.text() and "working copy" in page.said.text()
    assert "is packed: " in page.outcome.text() and "the trial in one file" in listed(pilot)
    pilot.session.trials.open_paths([file])
    pilot.settle()
    assert pilot.session.trial.folder == tmp_path / "yuzu" and pilot.session.trial.file.name == name
    assert len(pilot.session.capture) == frames


def test_a_part_of_it_leaves_without_what_is_to_stay(pilot, tmp_path):
    pilot.pick_kind(0x18FF0210)
    pilot.window.show_desk("Hand over")
    pilot.window.handover.pages.show_page(TRIAL)
    page = pilot.window.handover.trial
    for choice, value in ((page.span, "view"), (page.lanes, "kind"), (page.messages, "kind")):
        choice.choose(value)
    pilot.click(page.people)
    assert (
        "of the lane battery, waves cut between two frames" in page.said.text()
        and "does not take it back" in page.said.text()
    )
    _, file = packed(pilot, tmp_path)
    assert (
        "Left out: Lanes: 8 lanes of 9." in page.outcome.text()
        and "Left out: The names of people" in page.outcome.text()
    )
    pilot.session.trials.open_paths([file])
    pilot.settle()
    assert {lane.name for lane in pilot.session.capture.lanes} == {"battery"}
    assert [layout.name for layout in pilot.session.edits.layouts()] == ["Pack totals"]


def test_a_file_that_is_no_packed_trial_is_said_in_the_foot(pilot, tmp_path):
    (tmp_path / "broken.ztrial").write_bytes(b"PK")
    before = pilot.session.trial.folder
    pilot.session.trials.open_paths([tmp_path / "broken.ztrial"])
    pilot.settle()
    assert "no packed trial" in pilot.window.foot.told.text() and pilot.session.trial.folder == before


def test_frames_are_offered_until_there_are_values(empty, tmp_path):
    (tmp_path / "a.log").write_text("".join(f"({n}.0) can0 1A0#{n:02X}\n" for n in range(20)))
    tables, session = empty.window.handover.tables, empty.session
    session.trials.open_paths([tmp_path / "a.log"])
    empty.wait_open()
    assert tables.choices["content"].value == "frames"
    layout = session.kinds.layout_for_new_field(0)
    session.edits.change(layout.with_field(engine.new_field("step", engine.parse_places("B0"))))
    empty.settle()
    assert tables.choices["content"].value == "long"
    # what somebody chose stays
    tables.choose("content", "frames")
    session.edits.change(session.reading.layout_of(0).with_field(engine.new_field("x", engine.parse_places("B0[0]"))))
    empty.settle()
    assert tables.choices["content"].value == "frames"
