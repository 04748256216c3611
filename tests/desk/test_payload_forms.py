"""Payloads in the form that fits them, and in the one that is asked for."""

from __future__ import annotations

import pytest

from tests.desk.conftest import let_go
from tests.desk.pilot import Pilot
from zesty_abacus.desk.app.payload_form import payload_texts, shown_form
from zesty_abacus.desk.launch import make_application, make_window
from zesty_abacus.desk.widgets.told import told_lines


@pytest.mark.parametrize(
    ("form", "text", "shown"),
    [("fitting", True, ["A", "·"]), ("fitting", False, ["41", "0D"]), ("hex", True, ["41", "0D"]),
     ("text", False, ["A", "·"]), ("dec", True, [" 65", " 13"]), ("bin", True, ["01000001", "00001101"])],
)  # fmt: skip
def test_each_form(form, text, shown):
    assert payload_texts(b"A\r", shown_form(form, text=text)) == shown


@pytest.fixture
def terminal(tmp_path, no_faults):
    """Return hands on a window with a log of a terminal and one of CAN."""
    log, can = tmp_path / "terminal.txt", tmp_path / "bus.log"
    log.write_text("".join(f"{n}.5 depth {n} m\n" for n in range(30)))
    can.write_text("".join(f"({n}.250000) can0 1A0#41424344\n" for n in range(30)))
    make_application()
    window = make_window(paths=[log, can])
    window.show()
    hands = Pilot(window)
    hands.wait_open()
    yield hands
    window.close()
    let_go(window)


def said_by(widget):
    return " | ".join(line.words for line in told_lines(widget))


def test_a_log_of_text_is_read_as_text_and_bytes_stay_hex(terminal):
    terminal.key("2")
    frames = terminal.window.read.frames
    terminal.click(terminal.window.read.all_kinds)
    said = said_by(frames.viewport())
    assert "payload" in said and "41 42 43 44" in said
    # it says itself what it is, though nobody has made a layout
    assert "terminal, telegrams, depth 8 m, depth 8 m·" in said
    terminal.key("H")
    said = said_by(frames.viewport())
    assert "payload hex" in said and "64 65 70 74 68 20 38 20 6D 0D 0A" in said
    terminal.key("T")
    assert "ABCD" in said_by(frames.viewport())
    terminal.key("T")
    assert "41 42 43 44" in said_by(frames.viewport()) and terminal.session.form.asked == "fitting"
