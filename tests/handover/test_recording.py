"""Frames that leave as a recording again: which lanes a format holds, which frames go, and what is told of the rest."""

from __future__ import annotations

from pathlib import Path

import numpy as np
import pytest

from zesty_abacus.core.captures.registry import read_recording, writable_formats
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.files.writing import Target
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.handover.chunks import Span
from zesty_abacus.core.handover.recording import is_recording, recording_forms, write_recording
from zesty_abacus.core.progress import Cancelled, Progress

LANES = (Lane("thruster", "can"), Lane("deck", "modbus"), Lane("battery", "can"))
DECK_ADDRESS = 1 << 24 | 3 << 16 | 100


@pytest.fixture
def capture():
    """30 frames a tenth of a second apart, in turn on thruster, deck and battery."""
    lanes = np.arange(30) % 3
    addresses = np.choose(lanes, [0x1A0, DECK_ADDRESS, 0x18FF0210])
    flags = np.choose(lanes, [0, 0, 4])
    payloads = [bytes([number, 7]) for number in range(30)]
    return Capture.from_table(table_of(lanes, addresses, flags, payloads), LANES)


def table_of(lanes, addresses, flags, payloads):
    sizes = np.array([len(one) for one in payloads], np.uint32)
    times = 1_700_000_000_000_000_000 + 100_000_000 * np.arange(len(payloads))
    return FrameTable(
        times, lanes.astype(np.uint16), addresses.astype(np.int64), flags.astype(np.uint32),
        np.cumsum(sizes) - sizes, sizes, np.frombuffer(b"".join(payloads), np.uint8),
    )  # fmt: skip


def read(path):
    """Return (lane, address, payload) of each frame of a recording."""
    seen = []

    def take(table, lanes):
        seen.extend(
            (lanes[lane] if lanes else "", address, table.payload_of(row))
            for row, (lane, address) in enumerate(zip(table.lane.tolist(), table.address.tolist(), strict=True))
        )

    read_recording(path, take)
    return seen


@pytest.mark.parametrize("name", ["a.log", "a.pcapng", "a.log.gz"])
def test_lanes_that_a_format_cannot_hold_are_left_out_and_told(capture, tmp_path, name):
    written = write_recording(Target(tmp_path / name), capture)
    assert written.frames == 20 and written.left_out == ("deck",)
    expected = [
        (LANES[number % 3].name, (0x1A0, 0, 0x18FF0210)[number % 3], bytes([number, 7]))
        for number in range(30) if number % 3 != 1
    ]  # fmt: skip
    assert read(tmp_path / name) == expected
    assert written.words() == "deck is left out: such a file holds CAN frames alone."


def test_the_form_that_is_asked_for_holds_whatever_the_name_ends_in(capture, tmp_path):
    written = write_recording(Target(tmp_path / "night.txt"), capture, form="pcapng")
    assert written.frames == 20 and (tmp_path / "night.txt").read_bytes()[:4] == b"\x0a\x0d\x0d\x0a"


def test_a_table_of_frames_is_no_recording(tmp_path):
    # by its name it is written as the table that was asked for, and holds every lane; a recording never does
    assert not is_recording(tmp_path / "a.csv")
    assert all(one.protocols for one in writable_formats())


def test_only_what_was_chosen_leaves(capture, tmp_path):
    where = Target(tmp_path / "part.log", True)
    assert write_recording(where, capture, Span(6, 12)).frames == 4
    assert [payload[0] for *_, payload in read(where.path)] == [6, 8, 9, 11]
    assert write_recording(where, capture, np.array([0, 1, 29], np.uint32)).left_out == ("deck",)
    assert [payload[0] for *_, payload in read(where.path)] == [0, 29]
    battery = [number for number, key in enumerate(capture.kinds.keys) if key.lane == 2]
    written = write_recording(where, capture, Span(0, 9), kinds=battery)
    assert (written.frames, written.left_out) == (3, ())
    assert read(where.path) == [("battery", 0x18FF0210, bytes([number, 7])) for number in (2, 5, 8)]


def test_pcap_takes_the_one_lane_that_leaves(capture, tmp_path):
    with pytest.raises(MisuseError, match=r"holds one lane, not 2.*pcapng"):
        write_recording(Target(tmp_path / "a.pcap"), capture)
    assert not (tmp_path / "a.pcap").exists()
    thruster = [number for number, key in enumerate(capture.kinds.keys) if key.lane < 2]
    assert write_recording(Target(tmp_path / "a.pcap"), capture, kinds=thruster).frames == 10


@pytest.mark.parametrize(("name", "what"), [("a.log", "CAN frames"), ("a.pcap", "CAN frames")])
def test_where_no_lane_fits_nothing_is_written(capture, tmp_path, name, what):
    deck = [number for number, key in enumerate(capture.kinds.keys) if key.lane == 1]
    with pytest.raises(MisuseError) as caught:
        write_recording(Target(tmp_path / name), capture, kinds=deck)
    assert str(caught.value) == (
        f"{tmp_path / name}: such a file holds {what} alone, and what leaves is of deck. "
        "Write a table, such as .csv; it is read as a recording, too."
    )
    assert not (tmp_path / name).exists()


def test_nothing_at_all_is_told(capture, tmp_path):
    with pytest.raises(MisuseError, match="no frame leaves"):
        write_recording(Target(tmp_path / "a.log"), capture, Span(3, 3))


def test_bytes_hold_lanes_of_bytes(tmp_path):
    zeros = np.zeros(3)
    table = table_of(zeros, zeros, zeros, [b"a", b"bc", b"d"])
    serial = Capture.from_table(table, [Lane("deck", "serial")])
    assert write_recording(Target(tmp_path / "a.bytes"), serial).frames == 3
    assert [payload for *_, payload in read(tmp_path / "a.bytes")] == [b"a", b"bc", b"d"]


def test_the_forms_that_can_be_written():
    assert set(recording_forms()) == {"log", "pcap", "pcapng", "bytes"}
    assert is_recording(Path("a.LOG")) and is_recording(Path("a.pcapng.zst")) and not is_recording(Path("a.gz"))


def test_an_empty_choice_of_kinds_is_no_frame(capture, tmp_path):
    with pytest.raises(MisuseError, match="no frame leaves"):
        write_recording(Target(tmp_path / "a.log"), capture, kinds=())


def test_it_can_be_cancelled_and_leaves_nothing(capture, tmp_path):
    progress = Progress()
    progress.cancel()
    with pytest.raises(Cancelled):
        write_recording(Target(tmp_path / "a.log"), capture, progress=progress)
    assert list(tmp_path.iterdir()) == []
