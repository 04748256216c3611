"""What instruments said: columns of tables on the trial's clock, and readings that were typed in."""

from pathlib import Path

import msgspec
import numpy as np
import pytest

from zesty_abacus.core.captures.report import CaptureReadError, ReadReport
from zesty_abacus.core.trial.content import HandReading
from zesty_abacus.core.trial.outcome import SourceOutcome
from zesty_abacus.core.trial.references import file_columns, hand_columns, references_of
from zesty_abacus.demo.trial import copy_shipped_trial

TABLE = "time,depth [m],heel\n0.5,12.5,1\n1.5,13,2\n2.5,12,4\n"


@pytest.fixture
def table(tmp_path):
    path = tmp_path / "sounder.csv"
    path.write_text(TABLE)
    return path


def outcome(path, zero_ns=0, holds="reference", error=""):
    return SourceOutcome(path, ReadReport("reference table"), holds=holds, zero_ns=zero_ns, error=error)


def test_the_columns_of_a_table_are_moved_to_the_clock_of_the_trial(table):
    depth, heel = file_columns(table, 10_000_000_000)
    assert (depth.source, depth.name, depth.unit, heel.unit) == ("sounder.csv", "depth [m]", "m", "")
    assert depth.time_ns.tolist() == [10_500_000_000, 11_500_000_000, 12_500_000_000]
    assert depth.values.tolist() == [12.5, 13.0, 12.0] and heel.values.tolist() == [1.0, 2.0, 4.0]


def test_readings_are_a_column_a_name_and_unit_in_order_of_time():
    readings = [
        HandReading(name="depth", time_ns=9, value=4.0, unit="m"), HandReading(name="heat", time_ns=3, value=1.0),
        HandReading(name="depth", time_ns=2, value=3.0, unit="m"), HandReading(name="depth", time_ns=5, value=9.0),
    ]  # fmt: skip
    columns = hand_columns(readings)
    assert [(one.name, one.unit, one.time_ns.tolist(), one.values.tolist()) for one in columns] == [
        ("depth", "m", [2, 9], [3.0, 4.0]), ("heat", "", [3], [1.0]), ("depth", "", [5], [9.0]),
    ]  # fmt: skip
    assert {one.source for one in columns} == {""}, "of no file"
    assert hand_columns([]) == []


def test_a_trial_has_those_beside_it_those_among_its_sources_and_what_was_typed_in(tmp_path, table):
    trial = copy_shipped_trial(tmp_path / "yuzu")
    (trial.folder / "gauge.csv").write_text("time,pressure\n1,5\n2,6\n")
    reading = HandReading(name="draught", time_ns=1, value=2.5)
    trial.save(msgspec.structs.replace(trial.file, references=("gauge.csv", "missing.csv"), readings=(reading,)))
    outcomes = [
        outcome(table, 7), outcome(table, holds="frames"), outcome(table, error="it is damaged"),
        outcome(Path(tmp_path / "gone.csv")),
    ]  # fmt: skip
    found, wrong = references_of(trial, outcomes)
    assert [one.name for one in found] == ["pressure", "depth [m]", "heel", "draught"]
    assert found[0].time_ns.tolist() == [10**9, 2 * 10**9] and found[1].time_ns[0] == 500_000_007
    assert len(wrong) == 2 and "missing.csv" in wrong[0] and "gone.csv" in wrong[1]


def test_a_table_without_numbers_is_refused(tmp_path):
    path = tmp_path / "words.csv"
    path.write_text("time,who\n1,mara\n2,ada\n")
    with pytest.raises(CaptureReadError):
        list(file_columns(path))
    assert np.size(hand_columns([HandReading(name="a", time_ns=0, value=1.0)])[0].values) == 1
