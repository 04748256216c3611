"""Text in another size: by keys, kept, and put on at the next start."""

from __future__ import annotations

import os
import subprocess
import sys

import pytest
from PyQt6.QtCore import Qt

from zesty_abacus.desk.app import settings
from zesty_abacus.desk.app.text_size import STEPS, next_size, put_on
from zesty_abacus.desk.launch import WindowHolder


@pytest.mark.parametrize(
    ("now", "by", "then"),
    [(100, 1, 110), (100, -1, 90), (200, 1, 200), (75, -1, 75), (150, 0, 100), (103, 1, 110), (125, -1, 110)],
)
def test_sizes_go_by_steps(now, by, then):
    assert next_size(now, by) == then and then in STEPS


def test_what_the_user_set_for_all_programs_goes_before():
    own = {"QT_SCALE_FACTOR": "2"}
    put_on(125, own)
    assert own == {"QT_SCALE_FACTOR": "2"}
    fresh: dict[str, str] = {}
    put_on(125, fresh)
    assert fresh["QT_SCALE_FACTOR"] == "1.25"
    # a program that we start has our factor, which is not the user's
    put_on(100, fresh)
    assert fresh["QT_SCALE_FACTOR"] == "1"


def test_keys_change_it_and_the_program_starts_anew_with_the_trial(pilot, monkeypatch):
    monkeypatch.setattr(os, "environ", dict(os.environ))
    holder = WindowHolder(pilot.window)
    started: list[list[str]] = []
    holder.start_program = started.append
    folder = pilot.session.trial.folder
    pilot.window.roster.view.setFocus()
    pilot.key(Qt.Key.Key_Plus, Qt.KeyboardModifier.ControlModifier)
    assert started == [[sys.executable, "-m", "zesty_abacus", str(folder)]]
    assert settings.load_settings().text_percent == 110 and not pilot.window.isVisible()


def test_while_something_runs_it_waits_for_the_next_start(pilot):
    asked: list[bool] = []
    pilot.window.appearance.size_changed.connect(lambda: asked.append(True))
    pilot.session.forwarding.is_running = True
    pilot.window.appearance.change_text_size(-1)
    pilot.session.forwarding.is_running = False
    assert not asked and "from the next start on" in pilot.window.foot.told.text()
    assert settings.load_settings().text_percent == 90
    pilot.window.appearance.change_text_size(-1)
    pilot.window.appearance.change_text_size(-1)
    assert "at 75 % already" in pilot.window.foot.told.text()


def test_a_start_draws_in_the_size_that_was_kept(tmp_path):
    script = (
        "from zesty_abacus.desk.app.settings import Settings, save_settings; save_settings(Settings(text_percent=150));"
        "from zesty_abacus.desk.launch import make_application; a = make_application();"
        "print(a.primaryScreen().devicePixelRatio())"
    )
    home = {"HOME": str(tmp_path), "XDG_CONFIG_HOME": str(tmp_path / "c"), "QT_QPA_PLATFORM": "offscreen"}
    env = {name: value for name, value in os.environ.items() if "SCALE" not in name and "ZESTY" not in name} | home
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, env=env, check=False)
    assert done.stdout.strip() == "1.5", done.stderr
