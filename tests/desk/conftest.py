from __future__ import annotations

import gc
import shutil
import sys
import threading
import traceback

import pytest
from PyQt6.QtCore import QEvent, qInstallMessageHandler

from tests.desk.pilot import Pilot
from tests.once import made_once
from zesty_abacus.core.trial.intake import open_trial_capture
from zesty_abacus.demo.trial import copy_shipped_trial
from zesty_abacus.desk.app.findings import Findings
from zesty_abacus.desk.app.problems import Problems
from zesty_abacus.desk.app.settings import demo_folder
from zesty_abacus.desk.launch import make_application, make_window
from zesty_abacus.desk.widgets.theme import PEEL, look


def let_go(window):
    """Delete a window now: one that lingers repaints with every theme and slows all later tests."""
    window.deleteLater()
    application = make_application()
    application.sendPostedEvents(None, QEvent.Type.DeferredDelete.value)
    application.processEvents()


@pytest.fixture(autouse=True)
def no_faults(monkeypatch):
    """Fail a test in which a fault of the program reached the window, or in which Qt says that it is used wrongly."""
    faults = []
    monkeypatch.setattr(sys, "excepthook", lambda kind, error, trace: faults.append(
        "".join(traceback.format_exception(kind, error, trace))))  # fmt: skip

    def hear(kind, where, words):
        # a class of Qt that complains of its caller says its name first; what a platform cannot do is told without
        if words.startswith("Q"):
            faults.append(words)
        else:
            print(words, file=sys.stderr)

    before = qInstallMessageHandler(hear)
    yield
    qInstallMessageHandler(before)
    assert not faults, faults[0]


@pytest.fixture(autouse=True)
def collects_here(collected):
    """Collect circles on this thread only, as the program does while it has a window."""
    gc.disable()


@pytest.fixture(autouse=True)
def looks_for_nothing(monkeypatch):
    """Keep windows from looking for findings and problems; tests that are about them put that back."""
    monkeypatch.setattr(Findings, "want", lambda _findings: None)
    monkeypatch.setattr(Problems, "look", lambda _problems: None)


@pytest.fixture(scope="session")
def fresh_demo(tmp_path_factory):
    """The user's copy of the Yuzu trial after its first use, once for all tests, each of which gets a copy.

    Its recordings are read and its bits are counted already, which is what takes longest.
    """
    return made_once(tmp_path_factory, "fresh", used_for_the_first_time)


def used_for_the_first_time(folder):
    """Make the user's copy of the trial in an empty folder, and use it."""
    folder.rmdir()
    open_trial_capture(copy_shipped_trial(folder))
    make_application()
    window = make_window(paths=[folder])
    hands = Pilot(window)
    hands.wait_open()
    hands.wait(lambda: window.session.overlays.references, "the references, which bear fields out")
    hands.settle()
    window.close()
    let_go(window)
    assert (folder / "explained.msgpack").exists()


WANT = Findings.want


@pytest.fixture(scope="session")
def found_demo(fresh_demo, tmp_path_factory):
    """The same with what is found out of it, as it is kept with a trial; also in copies that are made from now on."""

    def find(folder):
        shutil.copytree(fresh_demo, folder, dirs_exist_ok=True)
        with pytest.MonkeyPatch.context() as patched:
            patched.setattr(Findings, "want", WANT)
            make_application()
            window = make_window(paths=[folder])
            window.show()
            hands = Pilot(window)
            hands.wait_open()
            hands.wait(lambda: window.session.overlays.references, "the references, which findings are looked for with")
            window.show_desk("Unravel")
            hands.wait((folder / "findings.json").exists, "the findings")
            hands.settle()
            window.close()
            let_go(window)

    found = made_once(tmp_path_factory, "found", find)
    shutil.copytree(found, fresh_demo, dirs_exist_ok=True)
    return fresh_demo


@pytest.fixture
def pilot(no_faults, fresh_demo):
    """Return hands on a window that shows the Yuzu trial; fail if it leaves a thread behind."""
    make_application()
    shutil.copytree(fresh_demo, demo_folder())
    window = make_window(demo=True)
    window.show()
    hands = Pilot(window)
    hands.wait_open()
    yield hands
    window.close()
    look.put_on(PEEL)
    left = [thread.name for thread in threading.enumerate() if thread.name.startswith("job")]
    assert left == [], f"threads left behind: {left}"
    let_go(window)


@pytest.fixture
def live(pilot):
    """Return the Rehearse desk of the demo's trial with the simulated bench connected."""
    pilot.key("5")
    desk = pilot.window.rehearse
    pilot.type(desk.connecting.line, "bench:yuzu", enter=True)
    pilot.wait(lambda: desk.live.lanes and desk.live.lanes["thruster"].heard > 50, "frames of the bench")
    return desk


@pytest.fixture
def empty(no_faults):
    """Return hands on a window without a trial."""
    make_application()
    window = make_window()
    window.show()
    hands = Pilot(window)
    hands.settle()
    yield hands
    window.close()
    let_go(window)
