import subprocess
import sys
import threading
import time

import pytest

from tests.steady import KEEPS_TIME
from zesty_abacus.core.errors import DataError
from zesty_abacus.core.progress import Cancelled, Progress
from zesty_abacus.desk.app.jobs import Jobs, JobState
from zesty_abacus.desk.app.paced import Paced
from zesty_abacus.desk.app.settings import reports_folder
from zesty_abacus.desk.launch import make_application

pytestmark = KEEPS_TIME


@pytest.fixture
def jobs():
    make_application()
    made = Jobs()
    yield made
    made.close()


@pytest.fixture
def pace(jobs):
    """Return what makes something paced; it is stopped when the test is, however that ends: its timer would go on."""
    made = []

    def paced(do):
        made.append(Paced(jobs, do))
        return made[-1]

    yield paced
    for one in made:
        one.stop()


def live(jobs, until, patience=10.0):
    """Deliver signals until something holds."""
    end = time.monotonic() + patience
    while not until():
        assert time.monotonic() < end, "waited in vain"
        make_application().processEvents()
        time.sleep(0.001)


def test_the_answer_comes_back_on_the_interface_thread(jobs):
    seen = {}

    def work(_progress):
        seen["work"] = threading.current_thread()
        return 42

    def done(answer):
        seen["done"] = (answer, threading.current_thread())

    job = jobs.start("g", "counting", work, done)
    live(jobs, jobs.is_idle)
    assert seen["done"] == (42, threading.main_thread()) and seen["work"] is not threading.main_thread()
    assert job.state is JobState.DONE


def test_a_newer_job_of_a_group_cancels_the_older_whose_answer_is_dropped(jobs):
    answers, began = [], threading.Event()

    def slow(progress):
        began.set()
        while True:
            progress.step(0.5)
            time.sleep(0.001)

    first = jobs.start("g", "slow", slow, answers.append)
    live(jobs, began.is_set)
    jobs.start("g", "quick", lambda _progress: "second", answers.append)
    live(jobs, lambda: jobs.is_idle() and first.state is JobState.CANCELLED)
    assert answers == ["second"]


def test_an_answer_that_comes_too_late_is_dropped_even_if_the_work_ignored_the_cancel(jobs):
    answers, gate = [], threading.Event()
    first = jobs.start("g", "deaf", lambda _progress: gate.wait(5), answers.append)
    live(jobs, lambda: jobs.running())
    jobs.start("g", "second", lambda _progress: "second", answers.append)
    live(jobs, lambda: answers == ["second"])
    gate.set()
    live(jobs, lambda: first.state is JobState.CANCELLED)
    assert answers == ["second"]


def test_groups_run_side_by_side(jobs):
    meeting = threading.Barrier(2, timeout=5)
    answers = []
    for group in "ab":
        jobs.start(group, group, lambda _progress: meeting.wait(), answers.append)
    live(jobs, jobs.is_idle)
    assert sorted(answers) == [0, 1]


def test_jobs_in_line_keep_their_order_and_none_is_cancelled(jobs):
    answers = []
    for number in range(20):
        jobs.start(
            "keep", "keeping", lambda _p, n=number: time.sleep(0.002 if n % 3 else 0) or n, answers.append, in_line=True
        )
    live(jobs, jobs.is_idle)
    assert answers == list(range(20))


def test_closing_finishes_what_is_in_line(jobs):
    kept = []
    for number in range(5):
        jobs.start(
            "keep",
            "keeping",
            lambda _p, n=number: (time.sleep(0.01), kept.append(n)),
            lambda _answer: None,
            in_line=True,
        )
    jobs.close()
    assert kept == [0, 1, 2, 3, 4]


def test_errors_reach_whoever_asked_or_else_the_window(jobs):
    told, asked = [], []
    jobs.failed.connect(lambda title, sentence: told.append((title, sentence)))

    def broken(_progress):
        raise DataError("it is broken.", where="a.log")

    jobs.start("a", "reading", broken, lambda _answer: None, asked.append)
    jobs.start("b", "reading too", broken, lambda _answer: None)
    jobs.start("c", "dividing", lambda _progress: 1 // 0, lambda _answer: None)
    live(jobs, jobs.is_idle)
    assert asked == ["a.log: it is broken."]
    assert ("reading too", "a.log: it is broken.") in told
    assert any("ZeroDivisionError" in sentence for _, sentence in told)
    (report,) = reports_folder().glob("report-*.txt")
    assert "Traceback" in report.read_text() and "dividing" in report.read_text()
    assert any(str(report) in sentence for _, sentence in told)


def test_progress_is_told_a_percent_at_a_time(jobs):
    moved, listening = [], threading.Event()

    def work(progress):
        listening.wait(5)
        for step in range(10_000):
            progress.step(step / 10_000, "on the way")

    job = jobs.start("g", "counting", work, lambda _answer: None)
    job.moved.connect(lambda share, note: moved.append((share, note)))
    listening.set()
    live(jobs, jobs.is_idle)
    live(jobs, lambda: len(moved) > 50)
    assert len(moved) <= 101 and all(note == "on the way" or note == "counting" for _, note in moved)


def test_a_cancel_is_no_error(jobs):
    told, answers = [], []
    jobs.failed.connect(lambda *words: told.append(words))

    def work(progress):
        progress.cancel()
        progress.step(0.1)

    job = jobs.start("g", "stopping", work, answers.append)
    live(jobs, jobs.is_idle)
    assert job.state is JobState.CANCELLED and told == answers == []


def test_progress_itself():
    told = []
    progress = Progress(lambda share, note: told.append((share, note)))
    progress.step(-1, "a")
    progress.step(2, "b")
    assert told == [(0.0, "a"), (1.0, "b")]
    part = progress.quiet()
    part.step(0.5, "silent")
    assert len(told) == 2
    progress.cancel()
    assert part.is_cancelled
    with pytest.raises(Cancelled):
        part.step(0.6)


STUCK = """
import os, sys, threading
from PyQt6.QtCore import QTimer
from zesty_abacus.desk import launch
made = launch.make_window
def window(**given):
    found = made(**given)
    def begin():
        found.session.jobs.start("read", "reading", lambda _progress: threading.Event().wait(), lambda _answer: None)
        QTimer.singleShot(300, found.close)
    QTimer.singleShot(300, begin)
    return found
launch.make_window = window
sys.exit(launch.launch([]))
"""


def test_a_read_that_is_stuck_does_not_keep_the_program_from_ending():
    """Nobody lets the thread go; the window closes and the process ends all the same."""
    done = subprocess.run([sys.executable, "-c", STUCK], timeout=60, capture_output=True, text=True)
    assert done.returncode == 0, done.stderr


def test_what_is_paced_goes_on_after_work_that_was_cancelled(jobs, pace):
    began = []

    def work(progress):
        while True:
            progress.check()
            time.sleep(0.001)

    def do():
        began.append(jobs.start("paced", "work", work, lambda _answer: None))
        began[-1].finished.connect(paced.done)

    paced = pace(do)
    for turn in range(1, 3):
        paced.want()
        live(jobs, lambda turn=turn: len(began) == turn)
        began[-1].cancel()
        live(jobs, jobs.is_idle)


def test_what_is_paced_is_done_once_more_if_it_was_wanted_meanwhile_and_rests_between(jobs, pace):
    began = []

    def do():
        began.append(time.monotonic())
        jobs.start("paced", "work", lambda _progress: time.sleep(0.05), lambda _answer: None).finished.connect(
            paced.done
        )

    paced = pace(do)
    for _ in range(5):
        paced.want()
    live(jobs, lambda: len(began) == 2)
    # a timer of Qt may be a twentieth early
    assert began[1] - began[0] >= 0.05 * (1 + 9 * 0.95), "nine times as long as it worked nothing is done"
    live(jobs, jobs.is_idle)
    paced.want()
    paced.stop()
    end = time.monotonic() + 0.7
    live(jobs, lambda: time.monotonic() > end)
    assert len(began) == 2
