"""Which clock a recording is on: dates stay dates, own times stay as they are, and it is said why."""

from __future__ import annotations

from pathlib import Path

import msgspec
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.trial.test_bringing_in import DATE, UART, characters, vcd
from zesty_abacus.core.captures.report import ReadReport
from zesty_abacus.core.recipes.model import new_recipe
from zesty_abacus.core.trial import intake
from zesty_abacus.core.trial.clocks import put_on_one_clock
from zesty_abacus.core.trial.intake import SourceOutcome, SourceRequest, bring_in, forget_sources, open_trial_capture
from zesty_abacus.core.trial.trial import LaneEntry, Trial

LOG = f"({DATE / 1e9:.6f}) can0 1A0#01\n({DATE / 1e9 + 1:.6f}) can0 1A0#02\n"


def times_by_lane(made):
    """Return the times of each lane, in nanoseconds."""
    table = made.capture.in_order()
    return {lane.name: table.time_ns[table.lane == number].tolist() for number, lane in enumerate(made.capture.lanes)}


def files(tmp_path, **texts):
    """Write files named by keyword, ``_`` for the dot; return requests for them."""
    requests = []
    for name, text in texts.items():
        path = tmp_path / name.replace("_", ".")
        path.write_text(text)
        requests.append(SourceRequest(path))
    return requests


def test_an_undated_table_that_begins_before_its_zero_keeps_its_own_times(tmp_path):
    (table,) = files(tmp_path, early_csv="time_s,lane,address,payload\n-0.000025,a,100,01\n0.5,a,100,02\n")
    made = bring_in([table], tmp_path / "capture")
    assert times_by_lane(made) == {"a": [-25_000, 500_000_000]}
    (outcome,) = made.outcomes
    assert (outcome.zero_ns, outcome.first_ns, outcome.last_ns) == (0, -25_000, 500_000_000)
    assert outcome.clock == "its own clock: nothing here has a date"


def test_an_undated_table_is_put_with_its_zero_where_the_dated_begin(tmp_path):
    table, log = files(tmp_path, early_csv="time_s,lane,address,payload\n-0.000025,a,100,01\n0.5,a,100,02\n", b_log=LOG)
    made = bring_in([table, log], tmp_path / "capture")
    assert times_by_lane(made) == {"a": [DATE - 25_000, DATE + 500_000_000], "can0": [DATE, DATE + 1_000_000_000]}
    assert made.outcomes[0].clock.startswith("no date in the file: its zero is put where the dated recordings begin")
    assert made.outcomes[1].clock == "dated by every time in the file"


def test_undated_waves_without_a_recipe_do_not_turn_the_axis_to_1970(tmp_path):
    waves, log = files(tmp_path, a_vcd=vcd(characters([1]), date=False), b_log=LOG)
    made = bring_in([waves, log], tmp_path / "capture")
    outcome = made.outcomes[0]
    assert outcome.needs_recipe and outcome.zero_ns == DATE and outcome.first_ns >= DATE
    used = bring_in([SourceRequest(waves.path, recipe=UART), log], tmp_path / "again")
    assert used.outcomes[0].first_ns == outcome.first_ns, "times stay when the recipe is put to use"


def test_without_any_date_waves_begin_where_the_frames_do(tmp_path):
    waves, log = files(tmp_path, a_vcd=vcd(characters([0x41], begin=70_000), date=False),
                       b_log="(30.000000) can0 1A0#01\n(31.000000) can0 1A0#02\n")  # fmt: skip
    made = bring_in([SourceRequest(waves.path, recipe=UART), log], tmp_path / "capture")
    assert times_by_lane(made) == {"notes": [30_070_000_000], "can0": [30_000_000_000, 31_000_000_000]}
    assert made.outcomes[0].clock == "no date anywhere: its zero is put where the frames begin, 30.000000 s"


def test_waves_that_begin_after_their_own_zero_stay_there(tmp_path):
    waves, log = files(tmp_path, a_vcd=vcd(characters([0x41], begin=70_000), date=False), b_log=LOG)
    made = bring_in([SourceRequest(waves.path, recipe=UART), log], tmp_path / "capture")
    assert times_by_lane(made)["notes"] == [DATE + 70_000_000]


def test_the_trial_may_say_when_a_recording_begins(tmp_path):
    (log,) = files(tmp_path, b_log=LOG)
    made = bring_in([SourceRequest(log.path, begins_ns=DATE + 10**12)], tmp_path / "capture")
    assert times_by_lane(made) == {"can0": [DATE + 10**12, DATE + 10**12 + 10**9]}
    assert made.outcomes[0].clock == "begins at 2026-05-12 08:16:40 UTC, as the trial says"


@given(st.lists(st.tuples(st.booleans(), st.integers(-(10**12), 10**12), st.integers(0, 10**12)), min_size=1))
def test_own_times_stay_apart_and_dates_stay(recordings):
    requests = [SourceRequest(Path(f"{n}.log")) for n in range(len(recordings))]
    outcomes = []
    for dated, first, length in recordings:
        outcome = SourceOutcome(Path("x"), ReadReport("log"), holds="frames", date_ns=0 if dated else None)
        begin = first + DATE if dated else first
        outcome.cover(begin, begin + length)
        outcomes.append(outcome)
    put_on_one_clock(requests, outcomes)
    for (dated, first, length), outcome in zip(recordings, outcomes, strict=True):
        assert outcome.last_ns - outcome.first_ns == length
        if dated:
            assert outcome.zero_ns == 0 and outcome.first_ns == DATE + first
    earliest = min((DATE + first for dated, first, _ in recordings if dated), default=0)
    assert all(o.zero_ns == earliest for o, (dated, *_) in zip(outcomes, recordings, strict=True) if not dated)


# sources kept apart


@pytest.fixture
def counted(monkeypatch):
    """Count how often a recording is read."""
    reads = []
    real = intake.read_source.__globals__["_read"]

    def read(request, *rest):
        reads.append(request.path.name)
        return real(request, *rest)

    monkeypatch.setitem(intake.read_source.__globals__, "_read", read)
    return reads


@pytest.fixture
def trial(tmp_path):
    made = Trial.create(tmp_path / "trial", "t")
    for request in files(tmp_path, a_vcd=vcd(characters([0x41, 0x42])), b_log=LOG):
        made.save(msgspec.structs.replace(made.file, sources=(*made.file.sources, made.entry_for(request.path))))
    made.save(made.file.with_source(0, msgspec.structs.replace(made.file.sources[0], recipe=UART)))
    return made


def test_an_offset_a_name_or_another_source_reads_nothing_again(trial, counted, tmp_path):
    before = times_by_lane(open_trial_capture(trial))
    assert sorted(counted) == ["a.vcd", "b.log"]
    trial.save(trial.file.with_lane(LaneEntry(name="notes", offset_ns=-7, note="moved")))
    after = open_trial_capture(trial)
    assert times_by_lane(after) == {**before, "notes": [time - 7 for time in before["notes"]]}
    assert [lane.note for lane in after.capture.lanes if lane.name == "notes"] == ["moved"]
    sources = trial.file.sources
    renamed = msgspec.structs.replace(sources[1], lanes={"can0": "thruster"})
    trial.save(msgspec.structs.replace(trial.file, sources=(sources[0], renamed)))
    assert "thruster" in times_by_lane(open_trial_capture(trial))
    (more,) = files(tmp_path, c_log=LOG.replace("can0", "can1"))
    trial.save(msgspec.structs.replace(trial.file, sources=(*trial.file.sources, trial.entry_for(more.path))))
    open_trial_capture(trial)
    trial.save(msgspec.structs.replace(trial.file, sources=trial.file.sources[1:]))
    assert set(times_by_lane(open_trial_capture(trial))) == {"thruster", "can1"}
    assert sorted(counted) == ["a.vcd", "b.log", "c.log"], "each is read once"
    trial.save(msgspec.structs.replace(trial.file, sources=(sources[0], *trial.file.sources)))
    open_trial_capture(trial)
    assert len(counted) == 3, "one that comes back is there still"


def test_another_recipe_reads_its_source_alone(trial, counted):
    open_trial_capture(trial)
    other = msgspec.structs.replace(UART, lane_note="20k")
    trial.save(trial.file.with_source(0, msgspec.structs.replace(trial.file.sources[0], recipe=other)))
    open_trial_capture(trial)
    assert counted == ["a.vcd", "b.log", "a.vcd"]
    forget_sources(trial)
    kept = {folder.name for folder in (trial.folder / ".cache").iterdir() if folder.name.startswith("source ")}
    assert len(kept) == 2


def test_one_recording_is_read_by_several_recipes_each_with_its_lane(trial):
    entry = trial.file.sources[0]
    inverted = msgspec.structs.replace(new_recipe("other", line=UART.line, framing=UART.framing), lane="second")
    trial.save(msgspec.structs.replace(trial.file, sources=(
        *trial.file.sources, msgspec.structs.replace(entry, recipe=inverted),
    )))  # fmt: skip
    made = open_trial_capture(trial)
    found = times_by_lane(made)
    assert found["second"] == found["notes"] and len(found["notes"]) == 2
    assert [outcome.lanes for outcome in made.outcomes] == [["notes"], ["can0"], ["second"]]
    assert open_trial_capture(trial).outcomes[2].lanes == ["second"], "from the cache as well"


def test_a_lane_that_speaks_something_else_gets_a_name_of_its_own(tmp_path):
    waves, log = files(tmp_path, a_vcd=vcd(characters([0x41])), b_log=LOG)
    made = bring_in([SourceRequest(waves.path, {"": "can0"}, recipe=UART), log], tmp_path / "capture")
    assert [(lane.name, lane.protocol) for lane in made.capture.lanes] == [("can0", "serial"), ("can0 CAN", "can")]
