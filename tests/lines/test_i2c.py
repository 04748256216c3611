"""I2C against waves drawn bit by bit and against pictures drawn by hand."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import Wires, drawn, i2c_wires, jittered
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.i2c import DECODER, I2cLine
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind

LINE = I2cLine(clock="clock", data="data")


def decode(channels):
    return decode_line(LINE, channels)


def frames_of(result):
    table = result.frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def test_a_picture_drawn_by_hand():
    """One byte to device 0x50, refused after the address: drawn tick by tick."""
    #                start  1    0    1    0    0    0    0    W    no ack  stop
    clock = drawn("--- --_ _-_ _-_ _-_ _-_ _-_ _-_ _-_ _-_ _-_ _--- ---")
    data_ = drawn("--- ___ --- ___ --- ___ ___ ___ ___ ___ --- __-- ---".replace("__--", "___-"))
    result = decode({"clock": clock, "data": data_})
    assert frames_of(result) == [(0x50, F.REFUSED, b"")]
    kinds = [MarkKind(kind) for kind in result.marks.kind]
    assert kinds == [MarkKind.START, MarkKind.ADDRESS, MarkKind.REFUSED, MarkKind.STOP]
    assert int(result.marks.value[1]) == 0xA0


def test_a_register_read_with_a_start_in_between():
    wires = i2c_wires([[(0xB4, 1), (0x10, 1)], [(0xB5, 1), (0x8E, 1), (0x01, 0)]], repeated=(1,))
    result = decode(wires.edges())
    assert frames_of(result) == [(0x5A, 0, b"\x10"), (0x5A, F.READ, b"\x8e\x01")]
    assert MarkKind.RESTART in set(result.marks.kind)


def test_ten_bit_addresses_are_kept_over_the_second_start():
    """The example of UM10204, 3.1.11: write header, second address byte, then a read with the header alone."""
    wires = i2c_wires([[(0b11110010, 1), (0x55, 1), (7, 1)], [(0b11110011, 1), (9, 0)]], repeated=(1,))
    found = frames_of(decode(wires.edges()))
    assert found == [(0x155, F.EXTENDED, b"\x07"), (0x155, F.EXTENDED | F.READ, b"\x09")]


def test_a_write_that_is_refused_midway_says_so_and_a_read_that_ends_does_not():
    wires = i2c_wires([[(0xB4, 1), (0x10, 0)], [(0xB5, 1), (0x10, 0)]])
    assert [flags for _, flags, _ in frames_of(decode(wires.edges()))] == [F.REFUSED, F.READ]


def test_how_a_read_ends_is_no_fault_of_its_last_byte():
    wires = i2c_wires([[(0xB5, 1), (0x8E, 1), (0x01, 0)], [(0xB4, 1), (0x10, 0)], [(0xB5, 0)]])
    marks = decode(wires.edges()).marks
    ends = [MarkKind(kind) for kind in marks.kind if kind in (MarkKind.TAKEN, MarkKind.REFUSED, MarkKind.ENOUGH)]
    assert ends == [
        MarkKind.TAKEN, MarkKind.TAKEN, MarkKind.ENOUGH, MarkKind.TAKEN, MarkKind.REFUSED, MarkKind.REFUSED,
    ]  # fmt: skip
    wrong = [(MarkKind(kind), value) for kind, value, flags in marks.rows[:, 2:5].tolist() if flags]
    assert wrong == [(MarkKind.DATA, 0x10), (MarkKind.ADDRESS, 0xB5)]


def test_a_byte_cut_by_a_stop_is_shown_and_not_made_up():
    wires = i2c_wires([[(0xB4, 1)]])
    wires.wait(5000, data=0)
    for bit in (1, 0, 1):
        wires.wait(2500, clock=0)
        wires.wait(2500, data=bit)
        wires.wait(5000, clock=1)
    wires.wait(5000, data=0)
    wires.wait(5000, data=1)
    address, flags, payload = frames_of(decode(wires.edges()))[-1]
    assert flags & F.FRAMING and payload == b"" and address == 0


def test_a_recording_that_ends_inside_a_transfer_is_cut_short():
    whole = i2c_wires([[(0xB4, 1), (0x10, 1), (0x22, 1)]]).edges()
    part = {name: line.between(0, 240_000) for name, line in whole.items()}
    ((address, flags, payload),) = frames_of(decode(part))
    assert (address, flags, payload) == (0x5A, F.CUT_SHORT, b"\x10")


def test_clock_stretching_changes_nothing():
    wires = i2c_wires([[(0xB4, 1), (0x10, 1)]])
    for parts in wires.parts.values():
        level, length = parts[40]
        parts[40] = (level, length * 30)
    assert frames_of(decode(wires.edges())) == [(0x5A, 0, b"\x10")]


transfers = st.lists(
    st.tuples(st.integers(0, 0x77), st.booleans(), st.binary(max_size=6)).filter(lambda t: t[0] >> 2 != 0b11110),
    min_size=1,
    max_size=6,
)


@given(transfers, st.integers(0, 2**32 - 1))
def test_what_was_drawn_is_read_back_with_jitter(listed, seed):
    drawn_bytes = [[(a << 1 | r, 1), *((byte, 1) for byte in data)] for a, r, data in listed]
    lines = i2c_wires(drawn_bytes).edges()
    lines = {name: jittered(line, 300, seed) for name, line in lines.items()}
    found = frames_of(decode(lines))
    assert found == [(a, F.READ if r else 0, data) for a, r, data in listed]


def test_marks_belong_to_their_frames_and_never_go_back():
    result = decode(i2c_wires([[(0xB4, 1), (1, 1)], [(0xB4, 1), (2, 1)], [(0x60, 0)]]).edges())
    rows = result.marks.rows
    assert (np.diff(rows[:, 0]) >= 0).all() and (rows[:, 1] >= rows[:, 0]).all()
    for frame in range(len(result.frames)):
        own = rows[rows[:, 5] == frame]
        assert own[0, 0] == result.frames.time_ns[frame] and own[-1, 1] <= result.ends_ns[frame]


def test_the_pair_is_found_among_other_lines():
    lines = i2c_wires([[(0xB4, 1), (n, 1), (255 - n, 1)] for n in range(12)]).edges()
    channels = {"a": lines["data"], "b": lines["clock"], "c": drawn("-_" * 300, 7000)}
    best = max(DECODER.propose(channels), key=lambda proposal: proposal.score)
    assert best.settings == I2cLine(clock="b", data="a") and best.score > 0.9
    assert "100.0 kHz" in best.reason


def test_a_line_that_asks_for_what_is_clocked_carries_no_data():
    """It changes twice a burst, once while the clock is high, which is a start to I2C, and is still in between."""
    wires = Wires(clock=1, ask=1)
    for _ in range(30):
        wires.wait(5000, ask=0)
        for _ in range(27):
            wires.wait(5000, clock=0)
            wires.wait(5000, clock=1)
        wires.wait(5000, clock=0)
        wires.wait(5000, ask=1)
        wires.wait(50_000, clock=1)
    lines = wires.edges()
    assert len(decode(lines | {"data": lines["ask"]}).frames) >= 29, "it is read as some, if one insists"
    assert DECODER.propose(lines) == []


def test_lines_that_change_in_one_instant_are_read_as_the_standard_lets_them_change():
    """Data changes only while the clock is low (UM10204, 3.1.3), so at a rise it changed before, at a fall after."""
    #                start 1  0  1  0  0  0  0  R  taken 1 0 1 0 1 0 1 0 not  stop
    bits = [1, 0, 1, 0, 0, 0, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1, 0, 1]
    for data_changes_at in ("rise", "fall"):
        wires = Wires(clock=1, data=1)
        wires.wait(9000)
        wires.wait(9000, data=0)
        wires.wait(3000, clock=0)
        for bit in bits:
            if data_changes_at == "rise":
                wires.wait(5000, clock=1, data=bit)
                wires.wait(5000, clock=0)
            else:
                # the bit was put there in the instant in which the clock fell
                wires.levels["data"] = bit
                wires.parts["data"][-1] = (bit, wires.parts["data"][-1][1])
                wires.wait(5000, clock=1)
                wires.wait(5000, clock=0)
        wires.wait(5000, data=0)
        wires.wait(9000, clock=1)
        wires.wait(9000, data=1)
        assert frames_of(decode(wires.edges())) == [(0x50, F.READ, b"\xaa")], data_changes_at
