import struct

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.captures.test_pcap import can_bytes
from tests.captures.test_text_log import read_text, row
from tests.strategies import assert_same_frames, frame_tables, joined
from zesty_abacus.core.captures.registry import open_writer, read_recording
from zesty_abacus.core.frames import flags as F


def block(order, kind, body):
    body += b"\0" * (-len(body) % 4)
    size = len(body) + 12
    return struct.pack(order + "II", kind, size) + body + struct.pack(order + "I", size)


def option(order, code, value):
    return struct.pack(order + "HH", code, len(value)) + value + b"\0" * (-len(value) % 4)


def section(order="<"):
    return block(order, 0x0A0D0D0A, struct.pack(order + "IHHq", 0x1A2B3C4D, 1, 0, -1))


def interface(order="<", link=227, name="", resolution=None, offset=None):
    options = option(order, 2, name.encode()) if name else b""
    if resolution is not None:
        options += option(order, 9, bytes([resolution]))
    if offset is not None:
        options += option(order, 14, struct.pack(order + "q", offset))
    return block(order, 1, struct.pack(order + "HHI", link, 0, 0) + options + struct.pack(order + "HH", 0, 0))


def packet(data, ticks=0, number=0, order="<", options=b""):
    head = struct.pack(order + "IIIII", number, ticks >> 32, ticks & 0xFFFFFFFF, len(data), len(data))
    return block(order, 6, head + data + b"\0" * (-len(data) % 4) + options)


@pytest.mark.parametrize("order", ["<", ">"])
@pytest.mark.parametrize(
    ("resolution", "ticks", "nanoseconds"),
    [(None, 1_500_000, 1_500_000_000), (9, 1_500_000_001, 1_500_000_001), (3, 1500, 1_500_000_000),
     (12, 1_500_000_000_123, 1_500_000_000), (0x80 | 10, 1536, 1_500_000_000), (0x80 | 32, 3 << 31, 1_500_000_000)],
)  # fmt: skip
def test_orders_and_resolutions(tmp_path, order, resolution, ticks, nanoseconds):
    data = (
        section(order) + interface(order, resolution=resolution) + packet(can_bytes(0x1A0, b"\1"), ticks, order=order)
    )
    table, report = read_text(tmp_path, data, "a.pcapng")
    assert report.problems == [] and row(table, 0) == (nanoseconds, 0x1A0, 0, "01")


def test_interfaces_sections_and_offsets(tmp_path):
    frame = can_bytes(0x1A0, b"\1")
    data = (
        section()
        + interface(name="thruster")
        + interface(name="usb0", link=189)
        + interface(name="battery", offset=100)
    )
    data += packet(frame, 1_000_000, 0) + packet(b"\0" * 60, 0, 1) + packet(frame, 1_000_000, 2)
    data += block("<", 0x00000BAD, b"some other block") + block("<", 5, bytes(12))
    data += section(">") + interface(">", name="battery") + packet(frame, 3_000_000, 0, ">")
    table, report = read_text(tmp_path, data, "a.pcapng")
    assert report.lanes == ["thruster", "battery"]
    assert list(table.lane) == [0, 1, 1]
    assert list(table.time_ns) == [10**9, 101 * 10**9, 3 * 10**9]
    assert report.problem_count == 1 and "link type 189" in report.problems[0].reason


def test_direction_option_and_simple_packets(tmp_path):
    frame = can_bytes(0x1A0, bytes(8))
    data = section() + interface()
    for flags in (1, 2, 0):
        data += packet(frame, 5, options=option("<", 2, struct.pack("<I", flags)) + bytes(4))
    data += block("<", 3, struct.pack("<I", len(frame)) + frame)
    table, _ = read_text(tmp_path, data, "a.pcapng")
    assert [int(flags) for flags in table.flags] == [F.RECEIVED, F.SENT, 0, 0]
    assert list(table.time_ns) == [5000] * 4


@given(frame_tables())
def test_reading_inverts_writing(tmp_path_factory, table):
    path = tmp_path_factory.mktemp("pcapng") / "a.pcapng"
    writer = open_writer(path, ["thruster", "battery"])
    writer.append(table)
    writer.close()
    chunks = []
    report = read_recording(path, lambda chunk, _names: chunks.append(chunk))
    assert report.lanes == ["thruster", "battery"] and report.problems == []
    assert_same_frames(joined(chunks), table)


@pytest.mark.parametrize(
    ("broken", "reason"),
    [
        (struct.pack("<II", 6, 0xFFFFFFFC) + bytes(40), "nonsense"),
        (struct.pack("<II", 6, 31) + bytes(40), "nonsense"),
        (packet(can_bytes(1, b""), number=9), "not described"),
        (packet(b"\0\0"), "shorter than a CAN header"),
        (packet(can_bytes(1, b"", length=200)), "does not fit"),
        (packet(can_bytes(1, b""), ticks=2**63), "out of range"),
    ],
)
def test_a_broken_block_is_listed_and_the_rest_is_read(tmp_path, broken, reason):
    good = packet(can_bytes(0x1A0, b"\1"), 7)
    data = section() + interface() + good
    place = len(data)
    table, report = read_text(tmp_path, data + broken + good, "a.pcapng")
    assert len(table) == 2
    assert reason in report.problems[0].reason and report.problems[0].place == f"byte {place}"


def test_every_cut_keeps_what_is_whole(tmp_path):
    head = section() + interface()
    one = packet(can_bytes(0x1A0, bytes(8)))
    data = head + one * 3
    for size in range(len(head), len(data)):
        table, report = read_text(tmp_path, data[:size], "a.pcapng")
        whole, rest = divmod(size - len(head), len(one))
        assert len(table) == whole and report.problem_count == (rest > 0)


@given(st.binary(max_size=120), st.integers(0, 250))
def test_any_damage_never_crashes(tmp_path_factory, noise, place):
    data = section() + interface(name="a") + packet(can_bytes(0x1A0, bytes(8))) * 3
    place = min(place, len(data) - 12)
    damaged = data[: 12 + place] + noise + data[12 + place + len(noise) :]
    table, _ = read_text(tmp_path_factory.mktemp("fuzz"), damaged, "a.pcapng")
    assert all(len(table.payload_of(number)) <= 64 for number in range(len(table)))


def test_places_count_from_the_beginning_of_the_file_however_far_they_are(tmp_path):
    """Recordings are read in pieces; blocks that nobody knows lie before what is broken."""
    filling = block("<", 0x0BAD, bytes(60_000)) * 300
    head = section() + interface() + filling
    nonsense = struct.pack("<II", 1, 0xFFFFFFFC) + bytes(40)
    table, report = read_text(tmp_path, head + nonsense + packet(can_bytes(0x1A0, b"\1")), "a.pcapng")
    assert len(table) == 1 and len(head) > 16_000_000
    assert report.problems[0].place == f"byte {len(head)}"
    table, report = read_text(tmp_path, head + packet(can_bytes(1, b"", length=200)), "a.pcapng")
    assert report.problems[0].place == f"byte {len(head)}"
