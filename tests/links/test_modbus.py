"""Modbus against the examples of its specification, and pairs that are late, missing, split or refused."""

import csv
import dataclasses
import io
import struct

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.cli.program import run
from tests.links.test_telegrams import bytes_result
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.links.framing import framing_of
from zesty_abacus.core.links.modbus_rtu import ModbusRtuFraming, _length_of, crc16
from zesty_abacus.core.links.modbus_tcp import ModbusTcpFraming, tcp_exchanges
from zesty_abacus.core.protocols.modbus import address_of, address_parts
from zesty_abacus.core.protocols.registry import protocol_named


def with_crc(data):
    """CRC-16 bit by bit, as the specification's flow chart has it."""
    crc = 0xFFFF
    for byte in data:
        crc ^= byte
        for _ in range(8):
            carry = crc & 1
            crc >>= 1
            if carry:
                crc ^= 0xA001
    return data + bytes((crc & 0xFF, crc >> 8))


def exchanges(groups, **settings):
    made = framing_of(ModbusRtuFraming()).apply(ModbusRtuFraming(**settings), bytes_result(groups))
    table = made.frames
    table.check()
    return [(address_parts(int(table.address[n])), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def test_the_crc_is_the_published_one():
    """The CRC catalogue gives 0x4B37 over '123456789' for this CRC."""
    assert crc16(np.frombuffer(b"123456789", np.uint8), 0, 9) == 0x4B37


def test_the_examples_of_the_specification():
    """Modbus application protocol V1.1b3: 6.3 read holding, 6.6 write register, 6.11 write coils, 6.1 read coils."""
    found = exchanges([
        with_crc(bytes.fromhex("11 03 006B 0003")), with_crc(bytes.fromhex("11 03 06 022B 0000 0064")),
        with_crc(bytes.fromhex("11 06 0001 0003")), with_crc(bytes.fromhex("11 06 0001 0003")),
        with_crc(bytes.fromhex("11 0F 0013 000A 02 CD01")), with_crc(bytes.fromhex("11 0F 0013 000A")),
        with_crc(bytes.fromhex("11 01 0013 0013")), with_crc(bytes.fromhex("11 01 03 CD6B05")),
    ])  # fmt: skip
    assert found == [
        ((0x11, 3, 0x6B), 0, b"\x00\x03"), ((0x11, 3, 0x6B), F.ANSWER, bytes.fromhex("022B00000064")),
        ((0x11, 6, 1), 0, b"\x00\x03"), ((0x11, 6, 1), F.ANSWER, b"\x00\x03"),
        ((0x11, 15, 0x13), 0, b"\xcd\x01"), ((0x11, 15, 0x13), F.ANSWER, b"\x00\x0a"),
        ((0x11, 1, 0x13), 0, b"\x00\x13"), ((0x11, 1, 0x13), F.ANSWER, b"\xcd\x6b\x05"),
    ]  # fmt: skip


def test_refused_unanswered_late_and_broken():
    read, answer = with_crc(bytes.fromhex("05 03 0010 0001")), with_crc(bytes.fromhex("05 03 02 1234"))
    refusal = with_crc(bytes.fromhex("05 83 02"))
    found = exchanges([read, refusal, read, read, answer, read, answer[:-1] + b"\0"], late_ms=5)
    assert [flags for _, flags, _ in found] == [
        0, F.ANSWER | F.EXCEPTION | F.LATE, F.UNANSWERED, 0, F.ANSWER | F.LATE, F.UNANSWERED, F.BAD_CHECK,
    ]  # fmt: skip
    assert found[1][2] == b"\x02" and protocol_named("modbus").refusal_text(b"\x02") == "illegal address"


def test_a_unit_split_by_a_pause_and_two_that_touch():
    read, answer = with_crc(bytes.fromhex("05 03 0010 0001")), with_crc(bytes.fromhex("05 03 02 1234"))
    split = bytes_result([read[:3], read[3:], answer], gap_ns=600_000)
    table = framing_of(ModbusRtuFraming()).apply(ModbusRtuFraming(), split).frames
    assert [table.payload_of(n) for n in range(len(table))] == [b"\x00\x01", b"\x12\x34"]
    assert [payload for _, _, payload in exchanges([read + answer])] == [b"\x00\x01", b"\x12\x34"]


@pytest.mark.parametrize(
    ("size", "flags"), [(4, 0), (5, 0), (256, 0), (257, F.BAD_CHECK), (3, F.CUT_SHORT | F.BAD_CHECK)]
)
def test_a_unit_of_a_function_nobody_knows_is_what_lies_between_silences(size, flags):
    """A frame has 256 bytes at most (MODBUS over serial line V1.02, 2.5.1); address, function and CRC are four."""
    body = bytes([0x11, 0x41]) + bytes(range(1, 255))
    stretch = with_crc((body * 2)[: size - 2])
    read = with_crc(bytes.fromhex("05 03 0010 0001"))
    found = exchanges([stretch, read], late_ms=500)
    assert found[0][1] & (F.BAD_CHECK | F.CUT_SHORT) == flags
    assert found[-1][0] == (5, 3, 0x10), "and the next one is read"


units = st.tuples(st.integers(1, 247), st.sampled_from([3, 4]), st.integers(0, 0xFFFF), st.integers(1, 20))


@given(st.lists(units, min_size=1, max_size=8), st.randoms(use_true_random=False))
def test_reads_come_back_with_their_registers(listed, random):
    groups, wanted = [], []
    for unit, function, register, count in listed:
        data = random.randbytes(2 * count)
        groups += [with_crc(struct.pack(">BBHH", unit, function, register, count)),
                   with_crc(bytes((unit, function, len(data))) + data)]  # fmt: skip
        wanted += [
            ((unit, function, register), 0, struct.pack(">H", count)),
            ((unit, function, register), F.ANSWER, data),
        ]
    assert exchanges(groups) == wanted


@given(st.lists(st.binary(min_size=1, max_size=30), max_size=6))
def test_any_bytes_make_frames_that_hold_together(groups):
    found = exchanges(groups)
    assert sum(len(payload) for _, _, payload in found) <= sum(map(len, groups))


def pieces_of(parts, port=502):
    """Return stream pieces: (milliseconds, from the server, bytes, lost before)."""
    sizes = np.array([len(data) for _, _, data, _ in parts], np.uint32)
    return FrameTable(
        np.array([ms * 1_000_000 for ms, *_ in parts], np.int64),
        np.zeros(len(parts), np.uint16),
        np.full(len(parts), port << 32, np.int64),
        np.array([(F.ANSWER if back else 0) | (F.LOST_BEFORE if lost else 0) for _, back, _, lost in parts], np.uint32),
        (np.cumsum(sizes) - sizes).astype(np.int64),
        sizes,
        np.frombuffer(b"".join(data for _, _, data, _ in parts), np.uint8),
    )


def unit(transaction, body):
    return struct.pack(">HHH", transaction, 0, len(body)) + body


def tcp(parts, **settings):
    table, rest = tcp_exchanges(pieces_of(parts), ModbusTcpFraming(**settings))
    assert not len(rest)
    table.check()
    return [(int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


READ, BACK = bytes.fromhex("01 03 0000 0002"), bytes.fromhex("01 03 04 AABBCCDD")


def test_units_split_over_segments_and_joined_in_one():
    two = unit(1, READ) + unit(2, READ)
    found = tcp(
        [
            (0, False, two, False),
            (5, True, unit(2, BACK)[:7], False),
            (6, True, unit(2, BACK)[7:] + unit(1, BACK), False),
        ]
    )
    assert found == [
        (0, b"\x00\x02"),
        (0, b"\x00\x02"),
        (F.ANSWER, b"\xaa\xbb\xcc\xdd"),
        (F.ANSWER, b"\xaa\xbb\xcc\xdd"),
    ]


def test_an_answer_is_found_by_its_transaction_number():
    other = bytes.fromhex("01 03 0100 0001")
    parts = [(0, False, unit(7, READ), False), (1, False, unit(8, other), False),
             (5, True, unit(8, bytes.fromhex("01 03 02 1111")), False), (900, True, unit(7, BACK), False)]  # fmt: skip
    table, _ = tcp_exchanges(pieces_of(parts), ModbusTcpFraming())
    assert [address_parts(int(a))[2] for a in table.address] == [0, 0x100, 0x100, 0]
    assert table.flags.tolist() == [0, 0, F.ANSWER, F.ANSWER | F.LATE]


def test_numbers_of_several_connections_do_not_meet():
    """Also of those that go up in step, some numbers apart, for as long as two masters poll."""
    for apart in (31, 4096, 31 * 7 - 4096, 62):
        one, other = (0, 5000 + apart), (1 if apart != 62 else 2, 5000)
        parts, roads = [], []
        for number, (connection, first) in enumerate((one, other, one, other)):
            transaction = first + number // 2
            parts += [(10 * number, False, unit(transaction, bytes.fromhex("01 03 0100 0002")), False)]
            roads += [connection]
        for number, (connection, first) in enumerate((one, other, one, other)):
            parts += [(100 + number, True, unit(first + number // 2, BACK), False)]
            roads += [connection]
        # requests just before the end are not called unanswered, so these are not the last
        pieces = pieces_of([*parts, (9000, False, unit(1, READ), False)])
        pieces = dataclasses.replace(pieces, address=pieces.address | np.array([*roads, 0], np.int64))
        table, _ = tcp_exchanges(pieces, ModbusTcpFraming())
        assert table.flags.tolist() == [0] * 4 + [F.ANSWER] * 4 + [0], apart
        assert [address_parts(int(one))[2] for one in table.address] == [0x100] * 8 + [0], apart


@given(st.lists(st.tuples(st.integers(0, 2), st.booleans(), st.integers(0, 3)), max_size=30))
def test_an_answer_is_to_the_newest_open_request_of_its_number(said):
    """Against a dictionary of what is open, a unit at a time."""
    pieces = pieces_of([
        (n, back, unit(number, BACK if back else bytes([1, 3, 0, n, 0, 2])), False)
        for n, (_, back, number) in enumerate(said)
    ])  # fmt: skip
    roads = np.array([road for road, _, _ in said], np.int64)
    table, _ = tcp_exchanges(dataclasses.replace(pieces, address=pieces.address | roads), ModbusTcpFraming(late_ms=0.0))
    registers, open_requests, answered = [], {}, set()
    for n, (road, back, number) in enumerate(said):
        request = open_requests.pop((road, number), None) if back else n
        registers.append(request or 0)
        if not back:
            open_requests[road, number] = n
        elif request is not None:
            answered.add(request)
    assert [address_parts(int(one))[2] for one in table.address] == registers
    wanted = [back or n in answered for n, (_, back, _) in enumerate(said)]
    assert [not flags & F.UNANSWERED for flags in table.flags.tolist()] == wanted


def test_after_a_hole_the_next_unit_is_found_and_the_rest_kept():
    data = unit(1, READ)
    found = tcp([(0, False, data[5:], True), (1, False, unit(2, READ), False), (9, False, unit(3, READ), False)])
    assert found[0][0] & F.LOST_BEFORE and found[0][0] & F.FRAMING
    assert [payload for _, payload in found[1:]] == [b"\x00\x02", b"\x00\x02"]


def test_a_request_just_before_the_end_is_not_called_unanswered():
    early, late = (0, False, unit(1, READ), False), (5000, False, unit(2, READ), False)
    assert [flags for flags, _ in tcp([early, late])] == [F.UNANSWERED, 0]


@given(st.lists(st.tuples(st.booleans(), st.binary(max_size=40), st.booleans()), max_size=8))
def test_any_stream_makes_units_that_hold_together(parts):
    tcp([(n, back, data, lost) for n, (back, data, lost) in enumerate(parts)])


def test_addresses_are_put_together_and_taken_apart():
    assert address_parts(address_of(17, 16, 0xABCD)) == (17, 16, 0xABCD)


# logs of bytes, handed over at times that are not those of the line


def log_of(path, units, chunk, *, header="time,hex", row_s=0.001, pause_s=0.05, blanks=True):
    """Write a log as programs keep one: a row a piece of at most ``chunk`` bytes, a pause between units."""
    time, lines = 0.0, [header] if header else []
    for unit in units:
        for first in range(0, len(unit), chunk):
            text = unit[first : first + chunk].hex(" " if blanks else "").upper()
            lines.append(f"{time:.6f},{text}")
            time += row_s
        time += pause_s
    path.write_text("\n".join(lines) + "\n")
    return path


POLLS = []
for turn in range(40):
    POLLS += [with_crc(bytes.fromhex("11 03 006B 0003")), with_crc(bytes.fromhex("05 04 0010 0001"))]
    POLLS.insert(-1, with_crc(bytes.fromhex("11 03 06") + struct.pack(">3H", turn, 2 * turn, 500 - turn)))
    POLLS.append(with_crc(bytes.fromhex("05 04 02") + struct.pack(">H", 7 * turn)))


@pytest.mark.parametrize("chunk", [1, 2, 3, 8, 100])
@pytest.mark.parametrize("header", ["time,hex", "time_s,data"])
def test_a_log_of_bytes_is_read_whatever_it_was_cut_into(tmp_path, chunk, header):
    source = log_of(tmp_path / "line.csv", POLLS, chunk, header=header)
    code, out, err = run("recipe", source, "-o", tmp_path / "r.json")
    assert code == 0, err
    code, out, err = run("frames", source, "--recipe", tmp_path / "r.json")
    rows = list(csv.DictReader(io.StringIO(out)))
    assert len(rows) == len(POLLS) and not any("bad" in row["flags"] for row in rows)
    answers = [row["payload"] for row in rows if int(row["address"]) >> 24 == 0x11 and row["flags"]]
    assert answers == [struct.pack(">3H", n, 2 * n, 500 - n).hex().upper() for n in range(40)], rows[:4]


def test_a_pause_or_a_rate_can_be_given():
    run_of = bytes_result([POLLS[0], POLLS[1]], gap_ns=2_000_000)
    for settings in (ModbusRtuFraming(), ModbusRtuFraming(rate=19200), ModbusRtuFraming(pause_ms=1.0)):
        table = framing_of(settings).apply(settings, run_of).frames
        assert [int(flags) for flags in table.flags] == [0, F.ANSWER]


@pytest.mark.parametrize("gap_ns", [4_000_000, 4_000_001])
def test_a_pause_that_is_given_counts_to_the_nanosecond(gap_ns):
    settings = ModbusRtuFraming(pause_ms=4.0)
    table = framing_of(settings).apply(settings, bytes_result([b"\x01\x02\x03", b"\x04\x05"], gap_ns)).frames
    # without a check that agrees only the pause parts them
    assert table.size.tolist() == ([5] if gap_ns == 4_000_000 else [3, 2])


@pytest.mark.parametrize("gap_ns", [12_000_000, 12_000_001])
def test_a_unit_is_whole_across_a_pause_of_twelve_times_what_is_given(gap_ns):
    settings = ModbusRtuFraming(pause_ms=1.0)
    cut = [POLLS[0][:5], POLLS[0][5:]]
    table = framing_of(settings).apply(settings, bytes_result(cut, gap_ns)).frames
    assert (len(table), bool(table.flags[0] & F.BAD_CHECK)) == ((1, False) if gap_ns == 12_000_000 else (2, True))


def test_lost_pauses_are_made_up_for_by_check_sums(tmp_path):
    source = log_of(tmp_path / "line.csv", POLLS, 1, pause_s=0.0)
    run("recipe", source, "-o", tmp_path / "r.json")
    _, out, _ = run("frames", source, "--recipe", tmp_path / "r.json")
    rows = list(csv.DictReader(io.StringIO(out)))
    assert len(rows) == len(POLLS) and not any("bad" in row["flags"] for row in rows)


def test_telegrams_that_only_share_the_crc_are_not_taken_for_modbus():
    way = framing_of(ModbusRtuFraming())
    spoken = [with_crc(bytes((17, function, 0, number, 0, 1))) for number in range(20) for function in (3, 6)]
    _, score, reason = way.judge(bytes_result(spoken))
    assert score == 1.0 and reason == "40 of 40 units have a CRC-16 that agrees"
    # a start code, a length and data: some lengths are functions as well, others are not
    telegrams = [with_crc(bytes((0xAA, size + 4, *range(size)))) for _ in range(10) for size in (2, 4, 6)]
    _, score, reason = way.judge(bytes_result(telegrams))
    assert score < 0.5 and "67% of them ask for a function that there is" in reason
    # no unit has an address like that
    assert way.judge(bytes_result([with_crc(bytes((0xFA, 3, number, 0, 0, 1))) for number in range(20)])) is None


def test_a_fault_of_a_character_is_a_fault_of_its_unit():
    """Wrong parity in one byte of the second unit, whose check agrees all the same."""
    groups = POLLS[:4]
    flags = [0] * sum(map(len, groups))
    flags[len(groups[0]) + 2] = F.PARITY
    table = framing_of(ModbusRtuFraming()).apply(ModbusRtuFraming(), bytes_result(groups, flags=flags)).frames
    assert [bool(one & F.PARITY) for one in table.flags.tolist()] == [False, True, False, False]
    assert not any(one & F.BAD_CHECK for one in table.flags.tolist())


ROOM = 40


@pytest.mark.parametrize(
    ("function", "request_bytes", "answer_bytes", "count_at"),
    [
        # Modbus application protocol V1.1b3, 6: where a unit says how many bytes follow, it is told of 6 here
        (1, 8, 5 + 6, (None, 2)), (2, 8, 5 + 6, (None, 2)), (3, 8, 5 + 6, (None, 2)), (4, 8, 5 + 6, (None, 2)),
        (5, 8, 8, (None, None)), (6, 8, 8, (None, None)), (15, 9 + 6, 8, (6, None)), (16, 9 + 6, 8, (6, None)),
        (22, 10, 10, (None, None)), (23, 13 + 6, 5 + 6, (10, 2)), (0x83, 0, 5, (None, None)),
        (0x97, 0, 5, (None, None)), (7, 0, 0, (None, None)), (21, 0, 0, (None, None)), (43, 0, 0, (None, None)),
    ],
)  # fmt: skip
def test_how_long_a_unit_is_by_its_function(function, request_bytes, answer_bytes, count_at):
    for is_answer, length, place in zip((False, True), (request_bytes, answer_bytes), count_at, strict=True):
        data = np.full(ROOM, 99, np.uint16)
        first = 3
        data[first + 1] = function
        if place is not None:
            data[first + place] = 6
            # where the count was not recorded, nobody knows
            assert _length_of(data, first, first + place, is_answer) == 0
            assert _length_of(data, first, first + place + 1, is_answer) == length
        assert _length_of(data, first, ROOM, is_answer) == length
