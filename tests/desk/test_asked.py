"""What is asked before a trial opens: a server not used before, a library that is not there."""

import json

import pytest

from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from zesty_abacus.core.layouts.json_form import layouts_from_file
from zesty_abacus.core.library.store import Library
from zesty_abacus.demo.trial import copy_shipped_trial
from zesty_abacus.desk.launch import make_application, make_window


@pytest.fixture
def trial(tmp_path):
    folder = tmp_path / "yuzu"
    copy_shipped_trial(folder)
    return folder


def name_library(folder, where):
    path = folder / "trial.json"
    path.write_text(json.dumps(json.loads(path.read_text()) | {"library": where}))


@pytest.fixture
def opened(no_faults):
    """Return a function that opens a trial in a window; all are closed afterwards."""
    made = []

    def open_trial(folder):
        make_application()
        window = make_window(paths=[folder])
        window.show()
        made.append(window)
        return Pilot(window)

    yield open_trial
    for window in made:
        window.close()
        let_go(window)


def test_a_server_not_used_before_is_asked_about_once(trial, opened, cluster):
    address = cluster.address(cluster.new_database())
    library = Library.create(address, "shared library")
    library.layouts.import_all(layouts_from_file(trial / "layouts.json"), author="pod team", reason="brought in")
    library.close()
    name_library(trial, address)
    pilot = opened(trial)
    pilot.wait(lambda: pilot.window.header.library.panel is not None)
    panel = pilot.window.header.library.panel
    assert pilot.session.capture is None and panel.go.text() == "Connect"
    pilot.click(panel.go)
    pilot.wait_open()
    assert pilot.session.library.name == "shared library"
    again = opened(trial)
    again.wait_open()
    assert again.window.header.library.panel is None


def test_another_library_is_used_in_the_place_of_a_strange_server(trial, opened):
    name_library(trial, "postgresql://mara@db.harbour.example/fleet")
    pilot = opened(trial)
    pilot.wait(lambda: pilot.window.header.library.panel is not None)
    panel = pilot.window.header.library.panel
    panel.lines["another library"].setText(str(trial / "library.sqlite"))
    assert panel.go.text() == "Open with it"
    pilot.click(panel.go)
    pilot.wait_open()
    assert len(pilot.session.edits.layouts()) == 35


def test_a_library_that_is_missing_is_made_only_when_somebody_says_so(trial, opened):
    name_library(trial, "gone.sqlite")
    pilot = opened(trial)
    pilot.wait(lambda: pilot.window.header.library.panel is not None)
    assert not (trial / "gone.sqlite").exists() and pilot.session.capture is None
    pilot.click(pilot.window.header.library.panel.go)
    pilot.wait_open()
    assert (trial / "gone.sqlite").exists() and pilot.session.edits.layouts() == []
