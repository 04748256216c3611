import json
import subprocess
import sys

import msgspec
import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.captures.registry import open_writer
from zesty_abacus.core.captures.report import CaptureReadError
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.core.trial.intake import SourceRequest, bring_in, forget_sources, open_trial_capture
from zesty_abacus.core.trial.merging import merge_trials
from zesty_abacus.core.trial.trial import LaneEntry, Moment, Trial, TrialError, TrialFile


def write_log(path, lines):
    path.write_text("".join(f"({time}) {lane} {address}#{data}\n" for time, lane, address, data in lines))
    return path


@pytest.fixture
def trial(tmp_path):
    made = Trial.create(tmp_path / "run", "Harbour loop")
    one = write_log(made.folder / "one.log", [("1.0", "can0", "100", "01"), ("3.0", "can0", "100", "03")])
    two = write_log(tmp_path / "two.log", [("2.0", "can1", "200", "02"), ("2.5", "can0", "100", "25")])
    made.save(msgspec.structs.replace(made.file, sources=(made.entry_for(one), made.entry_for(two))))
    return made


def test_a_saved_trial_opens_as_it_was(trial):
    file = trial.file.with_moment(Moment(time_ns=5, text="b")).with_moment(Moment(time_ns=3, text="ä <b>"))
    trial.save(file.with_lane(LaneEntry(name="can0", note="CAN 500k", offset_ns=-7)))
    again = Trial.open(trial.folder / "trial.json")
    assert again.file == trial.file and again.folder == trial.folder
    assert [moment.time_ns for moment in again.file.moments] == [3, 5]
    assert json.loads((trial.folder / "trial.json").read_text())["sources"][0]["path"] == "one.log"


@pytest.mark.parametrize("content", [b"", b"{", b"[]", b'{"name": 3}', b'{"format":"other","name":"x"}',
                                     b'{"version":9,"name":"x"}', b"\xff" * 50, b"[" * 100_000])  # fmt: skip
def test_a_damaged_trial_is_refused_and_left_alone(trial, content):
    path = trial.folder / "trial.json"
    path.write_bytes(content)
    with pytest.raises(TrialError):
        Trial.open(trial.folder)
    assert path.read_bytes() == content


def test_no_trial_and_two_trials(tmp_path, trial):
    with pytest.raises(TrialError, match="no trial can be opened"):
        Trial.open(tmp_path)
    with pytest.raises(TrialError, match="already"):
        Trial.create(trial.folder, "again")


def test_several_files_become_one_capture_on_one_clock(trial):
    made = open_trial_capture(trial)
    assert [int(byte) for byte in made.capture.in_order().payload[made.capture.in_order().start]] == [1, 2, 0x25, 3]
    assert made.capture.lanes == (Lane("can0"), Lane("can1"))
    assert [outcome.report.frames for outcome in made.outcomes] == [2, 2]


def test_lanes_are_renamed_and_moved_in_time(trial):
    sources = (trial.file.sources[0], msgspec.structs.replace(trial.file.sources[1], lanes={"can0": "other"}))
    file = msgspec.structs.replace(trial.file, sources=sources)
    trial.save(file.with_lane(LaneEntry(name="other", note="CAN 250k", offset_ns=10_000_000_000)))
    capture = open_trial_capture(trial).capture
    assert {lane.name: lane.note for lane in capture.lanes} == {"can0": "", "can1": "", "other": "CAN 250k"}
    assert int(capture.in_order().time_ns[-1]) == 12_500_000_000


def test_the_stored_capture_is_used_until_something_changes(trial):
    open_trial_capture(trial)
    first = in_cache(trial)
    open_trial_capture(trial)
    assert in_cache(trial) == first and len(first) == len(trial.file.sources)
    write_log(trial.folder / "one.log", [("1.0", "can0", "100", "01")])
    again = open_trial_capture(trial)
    assert len(again.capture) == 3 and len(in_cache(trial) - first) == 1, "only what changed is read"
    forget_sources(trial)
    assert len(in_cache(trial)) == len(trial.file.sources), "what the file was before is gone"


def test_a_trial_that_was_moved_is_not_read_again(trial, tmp_path):
    open_trial_capture(trial)
    before = {time for _, time in in_cache(trial)}
    moved = Trial.open(trial.folder.rename(tmp_path / "elsewhere"))
    made = open_trial_capture(moved)
    assert {time for _, time in in_cache(moved)} == before
    assert [outcome.path for outcome in made.outcomes] == [moved.folder / "one.log", tmp_path / "two.log"]
    assert len(made.capture) == 4


def test_what_is_wrong_with_a_recording_of_a_moved_trial_names_it_where_it_is(trial, tmp_path):
    (trial.folder / "one.log").write_text("no log at all")
    assert str(trial.folder) in open_trial_capture(trial).outcomes[0].error
    moved = Trial.open(trial.folder.rename(tmp_path / "elsewhere"))
    assert str(moved.folder) in open_trial_capture(moved).outcomes[0].error


def test_a_recording_that_could_not_be_opened_is_tried_again(trial, monkeypatch):
    def refused(*_, **__):
        raise CaptureReadError("you may not read this file.", where="one.log") from PermissionError(13, "no right")

    with monkeypatch.context() as patched:
        patched.setattr("zesty_abacus.core.trial.source.read_recording", refused)
        assert all("may not read" in outcome.error for outcome in open_trial_capture(trial).outcomes)
    assert len(open_trial_capture(trial).capture) == 4, "nothing about the files has changed"


def in_cache(trial):
    """Return the recordings in the cache of a trial, each with the time at which it was read."""
    return {(path, path.stat().st_mtime_ns) for path in (trial.folder / ".cache").glob("source */frames/capture.json")}


def test_a_damaged_cache_is_made_again(trial):
    open_trial_capture(trial)
    for path, _ in in_cache(trial):
        (path.parent / "0" / "frames.arrow").write_bytes(b"broken")
    assert len(open_trial_capture(trial).capture) == 4


def test_a_source_that_cannot_be_read_is_told_and_the_others_are_read(trial):
    (trial.folder / "one.log").write_bytes(b"\x00\x01 no recording")
    made = open_trial_capture(trial)
    assert len(made.capture) == 2
    assert "none of the known formats" in made.outcomes[0].error and not made.outcomes[1].error
    (trial.folder / "one.log").unlink()
    assert "cannot be opened" in open_trial_capture(trial).outcomes[0].error


def test_cancelling_leaves_nothing(tmp_path):
    path = write_log(tmp_path / "a.log", [("1.0", "can0", "100", "01")])
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        bring_in([SourceRequest(path)], tmp_path / "capture", progress=progress)
    assert sorted(item.name for item in tmp_path.iterdir()) == ["a.log"]


def test_progress_rises_to_the_end(tmp_path):
    path = write_log(tmp_path / "a.log", [("1.0", "can0", "100", "01")])
    shares = []
    bring_in(
        [SourceRequest(path)] * 2, tmp_path / "capture", progress=Progress(lambda share, _note: shares.append(share))
    )
    assert shares == sorted(shares) and shares[-1] == 1.0


def test_a_file_without_interface_names_gives_its_own_name(tmp_path):
    path = write_log(tmp_path / "a.log", [("1.0", "can0", "100", "01")])
    capture = bring_in([SourceRequest(path)], tmp_path / "x").capture
    writer = open_writer(tmp_path / "port pod.pcap.gz", ["can0"])
    writer.append(capture.in_order())
    writer.close()
    again = bring_in([SourceRequest(tmp_path / "port pod.pcap.gz")], tmp_path / "y").capture
    assert again.lanes[0].name == "port pod"
    assert np.array_equal(again.in_order().time_ns, capture.in_order().time_ns)


def test_a_full_or_missing_disk_keeps_the_trial(trial, monkeypatch):
    before = trial.file
    monkeypatch.setattr("os.fsync", lambda _number: (_ for _ in ()).throw(OSError(28, "No space left on device")))
    with pytest.raises(TrialError, match="No space left"):
        trial.save(msgspec.structs.replace(before, name="other"))
    assert trial.file is before and Trial.open(trial.folder).file == before


def test_what_two_windows_save_is_in_the_trial_once(trial):
    """The later save keeps what the earlier one wrote down, also where both began from the same file."""
    one, two = Trial.open(trial.folder), Trial.open(trial.folder)
    one.save(one.file.with_moment(Moment(time_ns=1, text="hook released")))
    two.save(two.file.with_moment(Moment(time_ns=2, text="astern")).with_lane(LaneEntry(name="can0", offset_ns=7)))
    assert [moment.text for moment in two.file.moments] == ["hook released", "astern"]
    one.save(one.file.with_lane(LaneEntry(name="can1", offset_ns=9)))
    assert Trial.open(trial.folder).file == one.file
    assert {lane.name: lane.offset_ns for lane in one.file.lanes} == {"can0": 7, "can1": 9}
    assert [moment.text for moment in one.file.moments] == ["hook released", "astern"]
    # what was seen and taken out stays out
    two.save(two.file)
    one.save(msgspec.structs.replace(one.file, moments=one.file.moments[1:]))
    two.save(msgspec.structs.replace(two.file, run="14"))
    assert [moment.text for moment in two.file.moments] == ["astern"] and two.file.run == "14"


TRIALS = st.builds(
    lambda moments, lanes, references, run: TrialFile(
        name="x", run=run, references=tuple(dict.fromkeys(references)),
        moments=tuple(Moment(time_ns=n, text=str(n)) for n in sorted(set(moments))),
        lanes=tuple(LaneEntry(name=name, offset_ns=n) for name, n in lanes.items()),
    ),
    st.lists(st.integers(0, 5)), st.dictionaries(st.sampled_from("abc"), st.integers(0, 3)),
    st.lists(st.sampled_from("rst")), st.sampled_from(["", "14"]),
)  # fmt: skip


def content(file):
    """Everything in a trial, whatever its order."""
    return {
        *(("moment", moment.time_ns) for moment in file.moments), *(("run", file.run),),
        *(("lane", lane.name, lane.offset_ns) for lane in file.lanes),
        *(("reference", name) for name in file.references),
    }  # fmt: skip


@given(TRIALS, TRIALS, TRIALS)
def test_merging_keeps_what_either_side_did(base, ours, theirs):
    merged = content(merge_trials(base, ours, theirs))
    was, now, there = content(base), content(ours), content(theirs)
    assert content(merge_trials(base, base, theirs)) == there and content(merge_trials(base, ours, base)) == now
    assert now - was <= merged, "what we changed or added is there"
    assert merged <= now | there, "nothing is invented"
    untouched = was & now & there
    assert untouched <= merged
    gone = {one for one in was if one[0] in ("moment", "reference")} - now - there
    assert not gone & merged


def test_many_programs_write_down_moments_at_once(trial):
    code = (
        "import sys\n"
        "from pathlib import Path\n"
        "from zesty_abacus.core.trial.trial import Moment, Trial\n"
        "trial = Trial.open(Path(sys.argv[1]))\n"
        "for n in range(10):\n"
        "    trial.save(trial.file.with_moment(Moment(time_ns=n, text=sys.argv[2])))\n"
    )
    running = [subprocess.Popen([sys.executable, "-c", code, str(trial.folder), str(n)]) for n in range(4)]
    assert [process.wait(60) for process in running] == [0] * 4
    assert len(Trial.open(trial.folder).file.moments) == 40
    assert sorted(path.name for path in trial.folder.iterdir()) == ["one.log", "trial.json"]
