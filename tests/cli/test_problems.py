"""``problems``: the table, its columns, what a trial sets aside."""

import json

import msgspec
import pytest

from tests.cli.program import run
from zesty_abacus.core.problems.problem import ProblemKey
from zesty_abacus.core.trial.trial import Trial

COLUMNS = "kind,lane,address,flags,message,field,count,first_ns,worst_ns,worst,reason"


@pytest.fixture
def log(tmp_path):
    lines = [f"({n / 10:012.6f}) can0 1A0#{n % 250:02X}00" for n in range(100) if n not in (40, 41)]
    lines += [f"({n / 2 + 5.01:012.6f}) can0 7FF#0102" for n in range(10)]
    path = tmp_path / "deck.log"
    path.write_text("\n".join(sorted(lines)) + "\n")
    return path


def rows_of(output):
    return [json.loads(line) for line in output.splitlines()]


def test_problems_without_a_library(log):
    code, output, _ = run("problems", log)
    assert code == 0 and output.splitlines()[0] == COLUMNS
    rows = rows_of(run("problems", log, "--to", "jsonl")[1])
    assert [(row["kind"], row["address"], row["count"]) for row in rows] == [("gap", 0x1A0, 1), ("appeared", 0x7FF, 1)]
    gap = rows[0]
    assert (gap["lane"], gap["flags"], gap["message"], gap["field"]) == ("can0", "", "", "")
    assert gap["first_ns"] == gap["worst_ns"] == 3_900_000_000 and gap["worst"] == pytest.approx(0.3)
    assert gap["reason"] == "Comes every 100 ms, and was away once for 300 ms."


def test_a_recording_without_problems_has_a_table_without_rows(tmp_path):
    path = tmp_path / "calm.log"
    path.write_text("\n".join(f"({n / 10:.6f}) can0 1A0#00" for n in range(50)))
    assert run("problems", path)[:2] == (0, COLUMNS + "\n")


def test_what_a_trial_sets_aside_is_left_out_and_its_limits_hold(log, tmp_path):
    trial = Trial.create(tmp_path / "trial", "deck")
    file = msgspec.structs.replace(trial.file, sources=(trial.entry_for(log),))
    file = file.with_set_aside(ProblemKey("appeared", "can0", 0x7FF, 0), "started by hand")
    trial.save(file.with_limit(ProblemKey("gap", "can0", 0x7FF, 0), 0.4))
    code, output, errors = run("problems", trial.folder, "--to", "jsonl")
    assert code == 0 and "1 problem is set aside in the trial." in errors
    assert [(row["kind"], row["address"], row["count"]) for row in rows_of(output)] == [
        ("gap", 0x7FF, 9), ("gap", 0x1A0, 1),
    ]  # fmt: skip
