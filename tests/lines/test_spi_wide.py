"""SPI on two and four lines that work together, drawn clock by clock."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import Wires, jittered
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind
from zesty_abacus.core.lines.spi import DECODER as NARROW
from zesty_abacus.core.lines.spi_wide import DECODER, WideSpiLine

NAMES = ("io0", "io1", "io2", "io3")


def single(*data):
    """Return clocks of bytes on line 0, as texts with a digit a line."""
    return [f"{bit}000" for byte in data for bit in f"{byte:08b}"]


def four(*data):
    """Return clocks of bytes on four lines: the highest bit stands on line 3."""
    return [nibble[::-1] for byte in data for nibble in (f"{byte >> 4:04b}", f"{byte & 15:04b}")]


def two(*data):
    """Return clocks of bytes on two lines."""
    return [f"{byte >> low & 1}{byte >> low + 1 & 1}00" for byte in data for low in (6, 4, 2, 0)]


def both_ways(out, back):
    """Return clocks of a byte on line 0 and one on line 1."""
    pairs = zip(out, back, strict=True)
    return [f"{a}{b}00" for one, other in pairs for a, b in zip(f"{one:08b}", f"{other:08b}", strict=True)]


def drawn(transfers, mode=0, half_ns=50.0):
    rest, second = mode >> 1, mode & 1
    wires = Wires(clock=rest, select=1, io0=0, io1=0, io2=0, io3=0)
    wires.wait(half_ns * 20)
    for clocks in transfers:
        wires.wait(half_ns, select=0)
        for levels in clocks:
            put = {name: int(level) for name, level in zip(NAMES, levels, strict=True)}
            wires.wait(half_ns, clock=1 - rest if second else rest, **put)
            wires.wait(half_ns, clock=rest if second else 1 - rest)
        wires.wait(half_ns, clock=rest)
        wires.wait(half_ns * 30, select=1)
    return wires.edges()


def settings(lines=4, **changes):
    names = {f"data_{line}": NAMES[line] for line in range(lines)}
    return WideSpiLine(**{"clock": "clock", "select": "select", **names, **changes})


def frames_of(result):
    table = result.frames
    return [(int(table.address[n]), int(table.flags[n]), table.payload_of(n)) for n in range(len(table))]


def test_a_read_of_a_memory_on_four_lines():
    """Command EB: the address and one byte of mode on four lines, four clocks of waiting, then the data."""
    clocks = [*single(0xEB), *four(0x01, 0x02, 0x03, 0xA0), *["0000"] * 4, *four(0xDE, 0xAD, 0xBE, 0xEF)]
    form = settings(wide_bytes=4, wait_clocks=4, mode=0)
    result = decode_line(form, drawn([clocks]))
    assert frames_of(result) == [
        (0, 0, bytes.fromhex("EB010203A0")), (1, F.ANSWER, bytes.fromhex("DEADBEEF")),
    ]  # fmt: skip
    (waiting,) = result.marks.of_kind(MarkKind.CONTROL)
    assert (waiting[3], waiting[6]) == (4, 1)
    # what goes out is drawn in the first row, what comes back below it
    assert result.marks.of_kind(MarkKind.DATA)[:, 6].tolist() == [0] * 5 + [1] * 4
    assert result.marks.of_kind(MarkKind.DATA)[:, 5].tolist() == [0] * 5 + [1] * 4
    assert result.marks.of_kind(MarkKind.DATA)[:, 3].tolist() == list(bytes.fromhex("EB010203A0DEADBEEF"))


def test_the_highest_bit_stands_on_the_last_line():
    edges = drawn([[*single(0x32), *four(0x81)]])
    assert frames_of(decode_line(settings(mode=0), edges)) == [(0, 0, b"\x32\x81")]
    turned = settings(mode=0, data_0="io0", data_1="io2", data_2="io1", data_3="io3")
    assert frames_of(decode_line(turned, drawn([[*single(0x32), *four(0x42)]]))) == [(0, 0, b"\x32\x24")]


def test_other_commands_are_read_as_on_one_line_each_way():
    form = settings(wide_commands="EB 6B", wide_bytes=3, wait_clocks=2, mode=0)
    identity = both_ways(b"\x9f\x00\x00", b"\x00\xc2\x20")
    wide = [*single(0x6B), *four(1, 2, 3), "0000", "0000", *four(0x77)]
    assert frames_of(decode_line(form, drawn([identity, wide]))) == [
        (0, 0, b"\x9f\x00\x00"), (1, F.ANSWER, b"\x00\xc2\x20"), (0, 0, b"\x6b\x01\x02\x03"), (1, F.ANSWER, b"\x77"),
    ]  # fmt: skip


bytes_of = st.binary(min_size=1, max_size=6)
transfers_of = st.lists(st.tuples(st.binary(min_size=2, max_size=2), bytes_of, bytes_of), min_size=1, max_size=4)


@given(
    st.integers(0, 3), st.sampled_from([2, 4]), st.integers(0, 2), st.integers(0, 9), transfers_of, st.integers(0, 999)
)
def test_what_was_drawn_is_read_back(mode, lines, first, wait, transfers, seed):
    wide = four if lines == 4 else two
    clocks, wanted = [], []
    for command, address, answer in transfers:
        address = address[:1] * 2
        begin = command[:first]
        clocks.append([*single(*begin), *wide(*address), *["0000"] * wait, *wide(*answer)])
        if wait:
            wanted += [(0, 0, begin + address), (1, F.ANSWER, answer)]
        else:
            wanted.append((0, 0, begin + address + answer))
    edges = {name: jittered(line, 1.5, seed) for name, line in drawn(clocks, mode).items()}
    form = settings(lines, mode=mode, single_bytes=first, wide_bytes=2, wait_clocks=wait)
    assert frames_of(decode_line(form, edges)) == wanted


def test_half_a_byte_is_shown_and_no_byte_is_made_up():
    result = decode_line(settings(mode=0), drawn([[*single(0x32), *four(0x12), "1010"]]))
    assert frames_of(result) == [(0, F.CUT_SHORT, b"\x32\x12")]
    (bits,) = result.marks.of_kind(MarkKind.BITS)
    assert bits[3] == 0b0101


def test_four_lines_are_proposed_with_the_bytes_that_stand_on_one():
    clocks = [[*single(0xEB), *four(n, 255 - n, n ^ 0x55, 7 * n & 255, n)] for n in range(30)]
    edges = drawn(clocks)
    ((proposal, score),) = [(one.settings, one.score) for one in DECODER.propose(edges)][:1]
    assert (proposal.clock, proposal.select, proposal.data_0, proposal.single_bytes) == ("clock", "select", "io0", 1)
    assert (proposal.data_1, proposal.data_2, proposal.data_3) == NAMES[1:]
    assert score >= max(one.score for one in NARROW.propose(edges))
    assert [payload for _, _, payload in frames_of(decode_line(proposal, edges))][3][:3] == bytes([0xEB, 3, 252])


def test_what_is_one_line_each_way_is_not_proposed_as_four():
    edges = drawn([both_ways(bytes([n, n + 1]), bytes([n ^ 3, 200 - n])) for n in range(30)])
    assert DECODER.propose(edges) == []
    assert NARROW.propose(edges)


def test_settings_that_say_nothing_are_refused_with_what_to_do():
    edges = drawn([single(0x9F)])
    with pytest.raises(MisuseError, match="three data lines"):
        decode_line(settings(3), edges)
    with pytest.raises(MisuseError, match="no bytes in hex"):
        decode_line(settings(wide_commands="EX"), edges)
