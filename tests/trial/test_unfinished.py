"""Recordings that a program was killed in the middle of."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import textwrap

import pytest

from tests.frames.test_growing import table_of
from zesty_abacus.core.frames.capture import Lane
from zesty_abacus.core.live.sinks import JoiningFiles
from zesty_abacus.core.trial.intake import open_trial_capture
from zesty_abacus.core.trial.trial import Trial
from zesty_abacus.core.trial.unfinished import take_unfinished

LANES = [Lane("a"), Lane("b")]


@pytest.fixture
def trial(tmp_path):
    return Trial.create(tmp_path / "run", "run")


def left(trial):
    return sorted(path.name for path in trial.folder.glob("recording *.json"))


def test_what_is_being_recorded_is_left_alone_and_what_is_kept_leaves_no_word(trial):
    files = JoiningFiles(trial.folder)
    files.append(table_of([10**18, 10**18 + 1]), LANES)
    assert len(left(trial)) == 1
    assert take_unfinished(trial) == [] and trial.file.sources == ()
    files.close()
    files.joined(is_in_trial=True)
    assert left(trial) == []


def test_what_could_not_be_kept_joins_the_next_time(trial):
    files = JoiningFiles(trial.folder)
    files.append(table_of([10**18, 10**18 + 1]), LANES)
    files.close()
    files.joined(is_in_trial=False)
    names = take_unfinished(trial)
    assert [entry.path for entry in Trial.open(trial.folder).file.sources] == names and len(names) == 1
    assert left(trial) == [] and take_unfinished(trial) == []


def test_a_recording_without_a_frame_leaves_nothing(trial):
    files = JoiningFiles(trial.folder)
    files.close()
    files.joined(is_in_trial=False)
    assert sorted(path.name for path in trial.folder.iterdir() if path.is_file()) == ["trial.json"]


def test_a_killed_program_loses_no_frame_that_it_had_taken(trial):
    program = textwrap.dedent(f"""
        import sys, time
        from pathlib import Path
        from tests.frames.test_growing import table_of
        from zesty_abacus.core.frames.capture import Lane
        from zesty_abacus.core.live.sinks import JoiningFiles
        files = JoiningFiles(Path({str(trial.folder)!r}))
        for number in range(5):
            times = [10**18 + number * 1000, 10**18 + number * 1000 + 500]
            files.append(table_of(times, number), [Lane("a"), Lane("b")])
        print("there", flush=True)
        time.sleep(60)
    """)  # fmt: skip
    with subprocess.Popen([sys.executable, "-c", program], stdout=subprocess.PIPE, text=True) as process:
        assert process.stdout is not None and process.stdout.readline() == "there\n"
        os.kill(process.pid, signal.SIGKILL)
    again = Trial.open(trial.folder)
    assert len(take_unfinished(again)) == 1
    assert len(open_trial_capture(again).capture) == 10


def test_what_somebody_else_calls_a_recording_is_theirs(trial):
    mine = trial.folder / "recording notes.json"
    mine.write_text("[]")
    assert take_unfinished(trial) == [] and mine.read_text() == "[]"


@pytest.mark.parametrize(
    "word", [b"", b"{", b'[{"path": "/etc/passwd"}]', b'[{"path": "../out.log"}]', b'[{"path": 1}]']
)
def test_what_is_no_word_of_a_recording_leads_nowhere(trial, word):
    (trial.folder / "recording 1-1.json").write_bytes(word)
    (trial.folder.parent / "out.log").write_text("")
    assert take_unfinished(trial) == [] and trial.file.sources == ()
    assert left(trial) == []
