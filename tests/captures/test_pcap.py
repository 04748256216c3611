import dataclasses
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.captures.test_text_log import read_text, row
from tests.strategies import assert_same_frames, frame_tables, joined
from zesty_abacus.core.captures.registry import open_writer, read_recording
from zesty_abacus.core.captures.report import CaptureReadError
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F


def can_bytes(identifier: int, payload: bytes, fd: int = 0, length: int | None = None) -> bytes:
    """Build a SocketCAN frame as the link type describes it: identifier in network order."""
    return struct.pack(">IBBBB", identifier, len(payload) if length is None else length, fd, 0, 0) + payload


def pcap_bytes(packets, *, big=False, nano=False, link=227) -> bytes:
    """Build a pcap file from (seconds, fraction, packet bytes)."""
    order = ">" if big else "<"
    data = struct.pack(order + "IHHiIII", 0xA1B23C4D if nano else 0xA1B2C3D4, 2, 4, 0, 0, 65535, link)
    for seconds, fraction, packet in packets:
        data += struct.pack(order + "IIII", seconds, fraction, len(packet), len(packet)) + packet
    return data


@pytest.mark.parametrize("big", [False, True])
@pytest.mark.parametrize("nano", [False, True])
def test_both_byte_orders_and_resolutions(tmp_path, big, nano):
    packets = [(1700000000, 123456, can_bytes(0x1A0, b"\1\2")), (1700000001, 5, can_bytes(0x98FF0210, b"\3"))]
    table, report = read_text(tmp_path, pcap_bytes(packets, big=big, nano=nano), "a.pcap")
    tick = 1 if nano else 1000
    assert report.problems == [] and report.lanes == [""]
    assert row(table, 0) == (1700000000 * 10**9 + 123456 * tick, 0x1A0, 0, "0102")
    assert row(table, 1) == (1700000001 * 10**9 + 5 * tick, 0x18FF0210, F.EXTENDED, "03")


@pytest.mark.parametrize(
    ("packet", "wanted"),
    [
        (can_bytes(0x400001A0, b""), (0x1A0, F.REMOTE, "")),
        (can_bytes(0x20000088, bytes(8)), (0x88, F.ERROR, "00" * 8)),
        (can_bytes(0x1A0, bytes(12), fd=5), (0x1A0, F.LONG | F.RATE_SWITCH, "00" * 12)),
        (can_bytes(0x1A0, b"\1", fd=6), (0x1A0, F.LONG | F.ERROR_PASSIVE, "01")),
        (can_bytes(0x1A0, b"\1\2", length=8), (0x1A0, F.CUT_SHORT, "0102")),
    ],
)
def test_frame_formats(tmp_path, packet, wanted):
    table, _ = read_text(tmp_path, pcap_bytes([(1, 0, packet)]), "a.pcap")
    assert row(table, 0)[1:] == wanted


def test_cooked_capture_tells_the_direction(tmp_path):
    def cooked(kind, protocol):
        return struct.pack(">HHH8sH", kind, 280, 0, bytes(8), protocol) + can_bytes(0x1A0, b"\7")

    packets = [(1, 0, cooked(4, 0x0C)), (1, 0, cooked(0, 0x0C)), (1, 0, cooked(0, 0x800))]
    table, report = read_text(tmp_path, pcap_bytes(packets, link=113), "a.pcap")
    assert [int(flags) for flags in table.flags] == [F.SENT, F.RECEIVED, F.PACKET]
    assert int(table.address[2]) == 113 and report.problem_count == 0


@given(frame_tables(lanes=1))
def test_reading_inverts_writing(tmp_path_factory, table):
    path = tmp_path_factory.mktemp("pcap") / "a.pcap"
    # pcap has 32 bits of seconds and says nothing about directions
    said = table.flags & np.uint32(~(F.SENT | F.RECEIVED) & 0xFFFF)
    table = dataclasses.replace(table, time_ns=table.time_ns % (4 * 10**18), flags=said)
    writer = open_writer(path, ["can0"])
    writer.append(table)
    writer.close()
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
    assert report.problems == []
    assert_same_frames(joined(chunks), table)


def test_a_nonsense_length_is_passed_over(tmp_path):
    good = [(n, 0, can_bytes(0x100 + n, bytes([n]))) for n in range(6)]
    data = bytearray(pcap_bytes(good))
    third = 24 + 2 * (16 + 9)
    data[third + 8 : third + 12] = struct.pack("<I", 0xFFFFFFF0)
    table, report = read_text(tmp_path, bytes(data), "a.pcap")
    assert [int(address) for address in table.address] == [0x100, 0x101, 0x103, 0x104, 0x105]
    assert report.problem_count == 1 and report.problems[0].place == f"byte {third}"


def test_every_cut_keeps_what_is_whole(tmp_path):
    data = pcap_bytes([(n, 0, can_bytes(0x100, bytes(8))) for n in range(3)])
    for size in range(24, len(data)):
        table, report = read_text(tmp_path, data[:size], "a.pcap")
        whole, rest = divmod(size - 24, 32)
        assert len(table) == whole
        assert report.problem_count == (rest > 0)
    with pytest.raises(CaptureReadError, match="header"):
        read_text(tmp_path, data[:20], "a.pcap")


def test_other_links_are_refused(tmp_path):
    with pytest.raises(CaptureReadError, match="link type 147 is not read"):
        read_text(tmp_path, pcap_bytes([], link=147), "a.pcap")


def test_two_lanes_do_not_fit(tmp_path):
    with pytest.raises(MisuseError, match="one lane"):
        open_writer(tmp_path / "a.pcap", ["a", "b"])
    with pytest.raises(MisuseError, match=r"\.pcapng"):
        open_writer(tmp_path / "a.doc", ["a"])


@given(st.binary(max_size=200), st.integers(0, 60))
def test_any_damage_never_crashes(tmp_path_factory, noise, place):
    data = pcap_bytes([(n, 0, can_bytes(0x100, bytes(8))) for n in range(3)])
    damaged = data[: 24 + place] + noise + data[24 + place + len(noise) :]
    table, report = read_text(tmp_path_factory.mktemp("fuzz"), damaged, "a.pcap")
    assert len(table) + report.problem_count >= 1
    assert all(len(table.payload_of(number)) <= 64 for number in range(len(table)))
