"""The program as it is started, in a real window on a real X server, driven from outside."""

import os
import shutil
import subprocess
import sys
import time

import pytest

from tests.desk.pilot import Pilot
from zesty_abacus.core.library.store import Library
from zesty_abacus.desk.launch import make_application, make_window

pytestmark = pytest.mark.skipif(not (shutil.which("Xvfb") and shutil.which("xdotool")), reason="needs Xvfb and xdotool")
SIZE = (1280, 800)


@pytest.fixture
def screen():
    """Start an X server of our own on a free display."""
    server = subprocess.Popen(
        ["Xvfb", "-displayfd", "1", "-screen", "0", f"{SIZE[0]}x{SIZE[1]}x24", "-nolisten", "tcp"],
        stdout=subprocess.PIPE, stderr=subprocess.DEVNULL, text=True,
    )  # fmt: skip
    assert server.stdout is not None
    yield f":{server.stdout.readline().strip()}"
    server.terminate()
    server.wait()
    server.stdout.close()


@pytest.fixture
def places():
    """Return where things are, measured in a window of the same size without a screen."""
    make_application()
    window = make_window(demo=True)
    window.resize(*SIZE)
    window.show()
    pilot = Pilot(window)
    pilot.wait_open()
    pilot.key("3")
    pilot.pick_kind(0x2C1)
    pilot.session.in_hand.select_bits(frozenset({16}))
    pilot.settle()

    def spot(widget, point):
        mapped = widget.mapTo(window, point if not hasattr(point, "toPoint") else point.toPoint())
        return mapped.x(), mapped.y()

    view, abacus, panel = window.roster.view, window.unravel.abacus, window.unravel.side.selection
    index = window.roster.show_entry(pilot.kind(0x2C1))
    found = {
        "kind": spot(view.viewport(), view.visualRect(index).center()),
        "first": spot(abacus, abacus.rods.bead_center(23)),
        "last": spot(abacus, abacus.rods.bead_center(24)),
        "message": spot(panel.message, panel.message.rect().center()),
        "field": spot(panel.field, panel.field.rect().center()),
    }
    window.close()
    return found


def test_a_field_is_kept_through_the_screen(screen, places, tmp_path):
    environment = {**os.environ, "DISPLAY": screen, "QT_QPA_PLATFORM": "xcb", "XDG_CONFIG_HOME": str(tmp_path / "c"),
                   "XDG_DATA_HOME": str(tmp_path / "d")}  # fmt: skip
    program = subprocess.Popen([sys.executable, "-m", "zesty_abacus", "--demo"], env=environment)

    def do(*words):
        subprocess.run(["xdotool", *map(str, words)], env=environment, check=True, timeout=20)
        time.sleep(0.25)

    def seen():
        command = ["xdotool", "search", "--name", "Yuzu sea trial – Zesty Abacus"]
        return subprocess.run(command, env=environment, capture_output=True, text=True).stdout.split()

    try:
        end = time.monotonic() + 60
        while not seen() and time.monotonic() < end:
            time.sleep(0.2)
        window = seen()[0]
        do("windowmove", window, 0, 0)
        do("windowfocus", window)
        time.sleep(1.0)
        do("key", "3")
        do("mousemove", *places["kind"], "click", 1)
        time.sleep(1.0)
        do("mousemove", *places["first"], "mousedown", 1)
        do("mousemove", *places["last"], "mouseup", 1)
        time.sleep(1.0)
        do("mousemove", *places["message"], "click", 1, "type", "Motion")
        do("mousemove", *places["field"], "click", 1, "type", "water speed")
        do("key", "Return")
        time.sleep(1.0)
        do("key", "ctrl+q")
        assert program.wait(timeout=20) == 0
    finally:
        program.kill()
        program.wait()
    library = Library.open(tmp_path / "d" / "zesty-abacus" / "yuzu" / "library.sqlite")
    layout = next(item for item in library.layouts.states() if item.name == "Motion")
    library.close()
    assert layout.field_named("water speed").kind.value == "signed"
