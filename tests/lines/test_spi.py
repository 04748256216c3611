"""SPI in all four modes, any word size and order, with and without a select line."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import Wires, jittered, spi_wires
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.spi import DECODER, SpiLine

LINE = SpiLine(clock="clock", to_device="out", from_device="back", select="select")


def settings(**changes):
    return SpiLine(**{"clock": "clock", "to_device": "out", "from_device": "back", "select": "select", **changes})


def payloads(result, address):
    table = result.frames
    return [table.payload_of(n) for n in range(len(table)) if table.address[n] == address]


@given(
    st.integers(0, 3),
    st.integers(4, 32),
    st.booleans(),
    st.lists(
        st.lists(st.tuples(st.integers(0, 2**32 - 1), st.integers(0, 2**32 - 1)), min_size=1, max_size=4), max_size=4
    ),
    st.booleans(),
    st.integers(0, 1000),
)
def test_what_was_drawn_is_read_back(mode, bits, low_first, transfers, select, seed):
    transfers = [[(a % 2**bits, b % 2**bits) for a, b in words] for words in transfers]
    lines = spi_wires(transfers, mode, bits, low_first, select=select).edges()
    lines = {name: jittered(line, 15, seed) for name, line in lines.items()}
    line = settings(mode=mode, word_bits=bits, low_bit_first=low_first, select="select" if select else "")
    result = decode_line(line, lines)
    size = (bits + 7) // 8
    for address in (0, 1):
        wanted = [b"".join(pair[address].to_bytes(size, "big") for pair in words) for words in transfers]
        assert payloads(result, address) == wanted
    assert not (result.frames.flags & F.WRONG).any()


@pytest.mark.parametrize("mode", range(4))
def test_the_mode_is_found_from_the_wave(mode):
    lines = spi_wires([[(0x9F, 0xC2), (0x55, 0x3A)], [(0x00, 0xFF)]], mode).edges()
    result = decode_line(LINE, lines)
    assert payloads(result, 0) == [b"\x9f\x55", b"\x00"]
    assert payloads(result, 1) == [b"\xc2\x3a", b"\xff"]
    assert result.facts[0].value == mode


def test_a_transfer_cut_by_its_select_keeps_whole_words_only():
    wires = Wires(clock=0, out=0, back=0, select=1)
    wires.wait(5000)
    wires.wait(500, select=0)
    for bit in (1, 0, 1, 0, 0, 1, 0, 1, 1, 1, 0):
        wires.wait(500, out=bit)
        wires.wait(500, clock=1)
        wires.wait(0, clock=0)
    wires.wait(5000, select=1)
    result = decode_line(settings(mode=0, from_device=""), wires.edges())
    assert payloads(result, 0) == [b"\xa5"]
    assert result.frames.flags[0] & F.CUT_SHORT


def test_a_window_open_at_an_end_of_the_recording_is_cut_short():
    lines = spi_wires([[(1, 2)] * 3], 0).edges()
    part = {name: line.between(8000, 40_000) for name, line in lines.items()}
    result = decode_line(settings(mode=0), part)
    assert (result.frames.flags & F.CUT_SHORT).all()


def test_select_may_be_active_high():
    lines = spi_wires([[(0x12, 0x34)]], 0).edges()
    lines["select"] = lines["select"].inverted()
    assert payloads(decode_line(settings(mode=0, select_low=False), lines), 0) == [b"\x12"]


def test_lines_and_mode_are_proposed():
    transfers = [[(n * 37 % 256, n * 91 % 256), (255 - n, n)] for n in range(20)]
    lines = spi_wires(transfers, 3).edges()
    named = {"d0": lines["clock"], "d1": lines["out"], "d2": lines["back"], "d3": lines["select"]}
    best = max(DECODER.propose(named), key=lambda proposal: proposal.score)
    assert (best.settings.clock, best.settings.select, best.settings.mode) == ("d0", "d3", 3)
    assert {best.settings.to_device, best.settings.from_device} == {"d1", "d2"}
    assert "1 MHz" in best.reason and best.score > 0.9
