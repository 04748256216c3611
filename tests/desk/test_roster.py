"""The roster where a device of registers is asked in many ways."""

from __future__ import annotations

import struct
from uuid import uuid4

import msgspec
import pytest
from PyQt6.QtCore import QPointF, Qt

from tests.desk.pilot import Pilot
from zesty_abacus.desk.around.roster_model import Device
from zesty_abacus.desk.widgets.told import told_lines

_POLLS = 9
NAMES = "time_ns,lane,address,direction,flags,size,payload"


def polled(path):
    """Write a recording of two units: one that is polled in nine blocks, and one in a single one."""
    rows, time_ns = [NAMES], 1_700_000_000_000_000_000
    for turn in range(40):
        for unit, blocks in ((1, _POLLS), (7, 1)):
            for block in range(blocks):
                for function, payload in ((3, struct.pack(">HH", block * 10, 2)),
                                          (3, struct.pack(">HH", turn * (block + 1), 5))):  # fmt: skip
                    answer = payload[2:] == b"\x00\x05"
                    time_ns += 2_000_000
                    address = unit << 24 | function << 16 | block * 10
                    rows.append(f"{time_ns},meter,{address},,{'answer' if answer else ''},4,{payload.hex()}")
    path.write_text("\n".join(rows) + "\n")
    return path


@pytest.fixture
def devices(empty, tmp_path):
    """A window on such a recording."""
    pilot = empty
    path = polled(tmp_path / "meter.csv")
    pilot.session.trials.open_paths([path])
    pilot.wait(lambda: pilot.session.capture is not None, "the recording")
    file = pilot.session.trial.file
    entry = msgspec.structs.replace(file.sources[0], protocol="modbus")
    pilot.session.trials.change(msgspec.structs.replace(file, sources=(entry,)), "it speaks Modbus")
    pilot.wait(lambda: pilot.session.capture.lanes[0].protocol == "modbus", "a lane of Modbus")
    pilot.wait(pilot.session.jobs.is_idle, "everything counted")
    return pilot


def rows(pilot: Pilot):
    return pilot.window.roster.model.entries


def unit(pilot):
    return next(entry for entry in rows(pilot) if isinstance(entry, Device))


def test_a_device_of_many_exchanges_is_one_row_that_opens(devices):
    roster = devices.window.roster
    kinds = len(devices.session.capture.kinds.keys)
    assert kinds == 2 * (_POLLS + 1)
    device = unit(devices)
    assert (device.text, len(device.kinds), device.is_open) == ("unit 1", 2 * _POLLS, False)
    assert [entry for entry in rows(devices) if isinstance(entry, int)] == [
        kind for kind in range(kinds) if devices.session.kinds.address(kind).startswith("7 ")
    ], "few exchanges are listed one by one"
    assert roster.count.text() == f"{kinds} kinds"
    place = roster.view.visualRect(roster.model.index(rows(devices).index(device))).center()
    devices.click(roster.view.viewport(), QPointF(place))
    assert unit(devices).is_open and len(rows(devices)) == 2 + kinds
    assert devices.session.in_hand.kind is None, "to open a device takes nothing in hand"
    devices.click(roster.view.viewport(), QPointF(place))
    assert not unit(devices).is_open


def test_a_device_is_opened_by_a_key_and_by_what_is_taken_in_hand(devices):
    roster = devices.window.roster
    roster.view.setFocus()
    roster.view.setCurrentIndex(roster.model.index(rows(devices).index(unit(devices))))
    devices.key(Qt.Key.Key_Return)
    assert unit(devices).is_open
    devices.key(Qt.Key.Key_Return)
    assert not unit(devices).is_open
    inside = unit(devices).kinds[3]
    devices.session.in_hand.take_kind(inside)
    assert unit(devices).is_open and roster.view.currentIndex().row() == rows(devices).index(inside)
    devices.key("N")
    assert devices.session.in_hand.kind == unit(devices).kinds[4]


def test_a_device_that_was_closed_stays_closed_when_counts_come(devices):
    roster = devices.window.roster
    devices.session.in_hand.take_kind(unit(devices).kinds[0])
    roster._turn(roster.model.index(rows(devices).index(unit(devices))))
    assert not unit(devices).is_open
    roster.order.setCurrentText("least explained first")
    devices.settle()
    assert not unit(devices).is_open
    assert roster.view.currentIndex().row() == rows(devices).index(unit(devices))


def test_a_filter_lists_what_matches_inside_a_device(devices):
    roster = devices.window.roster
    devices.type(roster.filter, "unit 1 answer")
    device = unit(devices)
    assert device.is_open and len(device.kinds) == _POLLS
    assert roster.count.text() == f"{_POLLS} of {2 * (_POLLS + 1)} kinds"
    role = Qt.ItemDataRole.AccessibleTextRole
    words = roster.model.data(roster.model.index(rows(devices).index(device)), role)
    assert words.startswith("unit 1 unnamed, 9 exchanges, 0% explained")


def test_exchanges_below_their_device_do_not_say_it_again(devices):
    """Where the row of the device stands above there is room for the registers; the others say whose they are."""
    roster = devices.window.roster
    assert any("7 · " in line.words for line in told_lines(roster.view)), "few exchanges have no row above them"
    devices.session.in_hand.take_kind(unit(devices).kinds[0])
    devices.settle()
    said = [line.words for line in told_lines(roster.view)]
    place = next(number for number, words in enumerate(said) if words.startswith("▾, unit 1"))
    below = said[place + 1 : place + 4]
    assert below and not any("1 · " in words for words in below), below
    assert all(words.startswith(("holding", "inputs", "coils", "discrete")) for words in below), below


def test_layouts_of_one_identifier_that_differ_are_told_in_numbers(pilot):
    session = pilot.session
    kind = pilot.kind(0x1A1)
    own = session.reading.layout_of(kind)
    angle = next(field for field in own.fields if field.name == "angle")
    turned = msgspec.structs.replace(angle, ratio=1 / angle.ratio)
    receiver = msgspec.structs.replace(own.with_field(turned), id=uuid4(), name="Azimuth as read")
    model = pilot.window.roster.view.model()
    row = model.row_of(kind)
    tip = lambda: model.data(model.index(row), Qt.ItemDataRole.ToolTipRole)  # noqa: E731
    assert session.kinds.clash(kind) == ()
    assert "both read" not in tip()
    session.edits.change(receiver, "the receiver's side")
    pilot.settle()
    row = model.row_of(kind)
    assert model.data(model.index(row), Qt.ItemDataRole.AccessibleTextRole).endswith(", layouts differ")
    assert "Azimuth feedback port and Azimuth as read both read 0x1A1 on thruster." in tip()
    assert "angle: the ratio is the wrong way round: step 0.05 in Azimuth feedback port, 20 in Azimuth as read" in tip()
    assert session.kinds.clash(pilot.kind(0x1A0)) == ()
    pilot.window.show_library()
    pilot.settle()
    found = pilot.window.library.list.model
    rows = {found.data(found.index(n), Qt.ItemDataRole.DisplayRole): n for n in range(found.rowCount())}
    words = found.data(found.index(rows["Azimuth as read"]), Qt.ItemDataRole.AccessibleTextRole)
    assert words.endswith(", layouts differ")
    assert "wrong way round" in found.data(found.index(rows["Azimuth as read"]), Qt.ItemDataRole.ToolTipRole)
