"""Each reader against a second, slow one that is written with other means: regular expressions and struct."""

import re
import struct

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from tests.captures.test_pcap import can_bytes, pcap_bytes
from tests.captures.test_pcapng import interface, option, packet, section
from tests.captures.test_text_log import read_text
from zesty_abacus.core.frames import flags as F

LINE = re.compile(
    rb"\s*\((?P<sec>\d{1,11})\.(?P<frac>\d+)\)\s+(?P<lane>\S{1,31})\s+(?P<id>[0-9A-Fa-f]{3}|[0-9A-Fa-f]{8})#"
    rb"(?:(?P<remote>[Rr][0-8]?)|#(?P<fd>[0-9A-Fa-f])(?P<long>(?:\.?[0-9A-Fa-f]{2}){0,64})"
    rb"|(?P<data>(?:\.?[0-9A-Fa-f]{2}){0,8}))(?:\s+(?P<way>[TtRr]))?\s*"
)


def reference_line(line: bytes):
    """Return (time, lane, address, flags, payload) of a line, or None if it is no frame."""
    match = LINE.fullmatch(line)
    if match is None or int(match["sec"]) > 9_000_000_000:
        return None
    number, flags = int(match["id"], 16), 0
    if len(match["id"]) == 3:
        if number > 0x7FF:
            return None
    elif number <= 0x1FFFFFFF:
        flags |= F.EXTENDED
    elif 0x20000000 <= number <= 0x3FFFFFFF:
        number, flags = number & 0x1FFFFFFF, F.ERROR
    else:
        return None
    payload = b""
    if match["remote"]:
        flags |= F.REMOTE
    elif match["fd"] is not None:
        digit = int(match["fd"], 16)
        flags |= F.LONG | (F.RATE_SWITCH if digit & 1 else 0) | (F.ERROR_PASSIVE if digit & 2 else 0)
        payload = bytes.fromhex(match["long"].replace(b".", b"").decode())
    else:
        payload = bytes.fromhex(match["data"].replace(b".", b"").decode())
    if match["way"]:
        flags |= F.SENT if match["way"] in b"Tt" else F.RECEIVED
    time = int(match["sec"]) * 10**9 + int(match["frac"][:9].ljust(9, b"0"))
    return time, match["lane"].decode(), number, flags, payload


GOOD_LINES = st.builds(
    "({}.{}) {} {}#{}{}".format,
    st.integers(0, 9_000_000_000),
    st.text("0123456789", min_size=1, max_size=10),
    st.sampled_from(["can0", "thruster", "b"]),
    st.one_of(st.integers(0, 0x7FF).map("{:03X}".format), st.integers(0, 0x3FFFFFFF).map("{:08x}".format)),
    st.one_of(
        st.binary(max_size=8).map(bytes.hex),
        st.binary(max_size=64).map(lambda data: "#5" + data.hex()),
        st.sampled_from(["R", "R8", "11.22.33"]),
    ),
    st.sampled_from(["", " R", " T", "\r"]),
)


@st.composite
def damaged_lines(draw):
    """Draw a good line with a few letters changed, dropped or put in."""
    line = bytearray(draw(GOOD_LINES).encode())
    for _ in range(draw(st.integers(0, 3))):
        place = draw(st.integers(0, len(line)))
        action = draw(st.sampled_from(["change", "drop", "put"]))
        letter = draw(st.sampled_from(b"0aF#.() RT_xg\t"))
        if action == "put" or place == len(line):
            line.insert(place, letter)
        elif action == "drop":
            del line[place]
        else:
            line[place] = letter
    return bytes(line)


@settings(max_examples=150)
@given(st.lists(damaged_lines(), min_size=1, max_size=25))
def test_the_text_reader_agrees_with_regular_expressions(tmp_path_factory, lines):
    lines = [line for line in lines if b"_" not in line]  # the raw length code is read by the kernel alone
    first = b"(1.0) can0 100#00"
    table, report = read_text(tmp_path_factory.mktemp("log"), b"\n".join([first, *lines]) + b"\n")
    wanted = [found for line in [first, *lines] if (found := reference_line(line)) is not None]
    found = [
        (
            int(table.time_ns[n]),
            report.lanes[table.lane[n]],
            int(table.address[n]),
            int(table.flags[n]),
            table.payload_of(n),
        )
        for n in range(len(table))
    ]
    assert found == wanted
    broken = [f"line {n}" for n, line in enumerate([first, *lines], 1) if line.strip() and reference_line(line) is None]
    assert [problem.place for problem in report.problems] == broken


def reference_packet(data: bytes):
    """Return (address, flags, payload) of a SocketCAN packet, or None."""
    if len(data) < 8:
        return None
    identifier, length, fd = struct.unpack_from(">IBB", data)
    if length > 64:
        return None
    flags = 0
    if length > 8 or fd & 4:
        flags |= F.LONG | (F.RATE_SWITCH if fd & 1 else 0) | (F.ERROR_PASSIVE if fd & 2 else 0)
    address = identifier & 0x1FFFFFFF
    if identifier >> 29 & 1:
        flags |= F.ERROR
    else:
        if identifier >> 31:
            flags |= F.EXTENDED
        else:
            address &= 0x7FF
        if identifier >> 30 & 1:
            flags, length = flags | F.REMOTE, 0
    payload = data[8 : 8 + length]
    return address, flags | (F.CUT_SHORT if len(payload) < length else 0), payload


PACKETS = st.one_of(
    st.builds(
        can_bytes, st.integers(0, 2**32 - 1), st.binary(max_size=70), st.integers(0, 255),
        st.one_of(st.none(), st.integers(0, 255)),
    ).filter(lambda data: len(data) >= 8),
    st.binary(max_size=20),
)  # fmt: skip


def frames_of(table):
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


@given(st.lists(PACKETS, min_size=1, max_size=20), st.booleans(), st.booleans())
def test_the_pcap_reader_agrees_with_struct(tmp_path_factory, packets, big, nano):
    packets = [data for data in packets if len(data) < 8 or data[4] < 256]
    timed = [(n, n * 7, data) for n, data in enumerate(packets)]
    table, report = read_text(tmp_path_factory.mktemp("pcap"), pcap_bytes(timed, big=big, nano=nano), "a.pcap")
    wanted = [found for data in packets if (found := reference_packet(data)) is not None]
    assert frames_of(table) == wanted
    assert report.problem_count == len(packets) - len(wanted)
    kept = [n for n, data in enumerate(packets) if reference_packet(data) is not None]
    assert [int(time) for time in table.time_ns] == [n * 10**9 + n * 7 * (1 if nano else 1000) for n in kept]


@given(
    st.lists(st.tuples(PACKETS, st.integers(0, 2**40), st.integers(0, 3)), min_size=1, max_size=15),
    st.sampled_from("<>"),
)
def test_the_pcapng_reader_agrees_with_struct(tmp_path_factory, packets, order):
    data = section(order) + interface(order, name="a")
    wanted = []
    for content, ticks, way in packets:
        options = option(order, 2, struct.pack(order + "I", way)) if way else b""
        data += packet(content, ticks, order=order, options=options)
        found = reference_packet(content)
        if found is not None:
            said = {1: F.RECEIVED, 2: F.SENT}.get(way, 0)
            wanted.append((found[0], found[1] | said, found[2], ticks * 1000))
    table, report = read_text(tmp_path_factory.mktemp("pcapng"), data, "a.pcapng")
    times = [int(time) for time in table.time_ns]
    assert [(*frame, time) for frame, time in zip(frames_of(table), times, strict=True)] == wanted
    assert report.problem_count == len(packets) - len(wanted)


@pytest.mark.parametrize("count", [1, 2, 3, 50])
def test_lines_at_the_very_end_are_read_as_all_others(tmp_path, count):
    """The quick way through a line stops short of the end of a chunk; the long way must say the same."""
    lines = [f"({n + 1700000000}.123456) can0 1A0#{n:02X}{'AB' * (n % 8)}" for n in range(count)]
    table, report = read_text(tmp_path, "\n".join(lines) + "\n")
    assert report.problems == [] and len(table) == count
    for number, line in enumerate(lines):
        assert table.payload_of(number) == reference_line(line.encode())[4]
        assert int(table.time_ns[number]) == (number + 1700000000) * 10**9 + 123456000
