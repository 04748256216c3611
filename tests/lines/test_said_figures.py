"""What line codes say of a wave, in words and figures worked out on paper, never by the program's own functions."""

import numpy as np
import pytest

from tests.lines.drawing import can_bits, from_levels, i2c_wires, spi_wires, uart_parts
from tests.lines.test_clocked import wires_of
from tests.lines.test_pulses import train
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.lines import can_wave, clocked, i2c, pulses, spi, uart
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import Fact, LineResult, Marks
from zesty_abacus.core.lines.spi_transfers import agreement
from zesty_abacus.core.waves.edges import Edges

BITS = [1, 0, 0, 1, 1, 0, 1, 0, 1, 1, 1, 0, 0, 1]


def words_of(result):
    return {fact.name: fact.words for fact in result.facts}


def best(decoder, channels):
    return max(decoder.propose(channels), key=lambda one: one.score)


LENGTHS = "400 and 1200 µs of pulses, 400 and 1200 µs of spaces"


@pytest.mark.parametrize(
    ("coding", "bits", "words"),
    [
        ("width", BITS, f"{LENGTHS}, and a pulse with its space always lasts 1600 µs: width"),
        ("distance", BITS, "400 µs of pulses, 400 and 1200 µs of spaces: bits are in the distance of pulses"),
        ("manchester", BITS,
         "400 and 800 µs of pulses, 400 and 800 µs of spaces, the long ones twice the short ones: Manchester halves"),
        ("plain", [int(bit) for bit in "111010011000111000110010100"],
         "400, 800 and 1200 µs of pulses, 400, 800 and 1200 µs of spaces: multiples of one bit"),
    ],
)  # fmt: skip
def test_pulses_say_by_which_lengths_they_are_read(coding, bits, words):
    line = train(bits, coding, bursts=6)
    assert best(pulses.DECODER, {"ir": line}).reason == f"ir: {words}"
    facts = words_of(decode_line(pulses.PulseLine(line="ir"), {"ir": line}))
    assert (facts["unit_us"], facts["coding"]) == ("400 µs", words)


def test_a_clock_of_i2c_that_is_held_is_told_and_a_rest_is_none():
    """A half of 5 µs is 100 kHz. A low of 60 µs within a byte is held; rests of 400 µs with a high clock are none."""
    transfers = [[(0x90, True), (n, True), (0x55, True)] for n in range(6)]
    wires = i2c_wires(transfers, 5000)
    plain = wires.edges()
    assert words_of(decode_line(I2C, plain))["clock stretched"] == "0 times"
    # everything behind a fall within a byte comes later, and all behind the stop of the first transfer
    fall = int(plain["clock"].time_ns[plain["clock"].level == 0][5])
    clock = plain["clock"]
    rests = np.flatnonzero((clock.widths() > 30_000) & (clock.level[:-1] == 1))
    stop = int(clock.time_ns[rests[0]]) + 10_000
    rested = late(late(plain, stop, 400_000), fall, 50_000)
    facts = words_of(decode_line(I2C, rested))
    assert facts["clock rate"] == "100.0 kHz ± 0.0" and facts["clock stretched"] == "1 time"
    off = late(plain, fall, 1_000_000)
    assert words_of(decode_line(I2C, off))["clock stretched"] == "0 times", "a clock that was switched off"


def test_i2c_says_how_much_of_its_clock_is_transfers():
    lines = i2c_wires([[(0x90, True), (1, True), (2, False)]] * 8, 5000).edges()
    found = best(i2c.DECODER, {"a": lines["data"], "b": lines["clock"]})
    assert found.reason == "clock on b, 100.0 kHz: 8 transfers with 24 acknowledge bits take up 96% of its edges"
    assert found.score == pytest.approx(24 * 18 / len(lines["clock"]))


I2C = i2c.I2cLine(clock="clock", data="data")


def late(lines, from_ns, by_ns):
    """Return lines on which everything behind a moment comes later."""
    return {
        name: Edges(np.where(line.time_ns > from_ns, line.time_ns + by_ns, line.time_ns), line.level, line.first,
                    line.begin_ns, line.end_ns + by_ns)
        for name, line in lines.items()
    }  # fmt: skip


def test_spi_says_clock_select_and_mode():
    """A half of 500 ns is a clock of 1 MHz."""
    lines = spi_wires([[(0x9F, 0xC2), (0x55, 0x3A)]] * 6, 3).edges()
    found = best(spi.DECODER, lines)
    assert found.reason.startswith(
        "clock on clock, 1 MHz, selected by select while low: 6 transfers, 100% of whole bytes; "
    )
    assert found.reason.endswith("rests high, taken on the second edge (100% of changes agree)")
    facts = words_of(decode_line(found.settings, lines))
    assert facts["clock rate"] == "1 MHz" and facts["mode"] == "3"


@pytest.mark.parametrize(
    ("bits", "whole", "sure", "selected"), [(8, "100%", 1.0, True), (7, "0%", 0.4, True), (8, "100%", 0.75, False)]
)
def test_spi_is_as_sure_as_its_transfers_are_of_whole_bytes(bits, whole, sure, selected):
    """Two fifths for a clock within the select line and data at its flanks, three for whole bytes; without one 3/4."""
    lines = spi_wires([[(0x1F, 0x42), (0x55, 0x3A)]] * 6, 3, bits=bits).edges()
    if not selected:
        del lines["select"]
    found = best(spi.DECODER, lines)
    assert found.score == pytest.approx(sure) and f" {whole} of whole bytes" in found.reason


def test_uart_and_can_say_their_rates():
    line = from_levels(uart_parts(range(40), 1e9 / 9600, parity="even"))
    found = best(uart.DECODER, {"rx": line})
    assert (found.settings.parity, found.settings.data_bits) == ("even", 8)
    assert "9600 bit/s" in found.reason
    bits = [1] * 12
    for n in range(10):
        bits += can_bits(0x200 + n, bytes([n, 255 - n])) + [1] * 5
    found = best(can_wave.DECODER, {"rx": from_levels([(bit, 4000) for bit in bits])})
    assert found.reason == "rx: 10 of 10 frames have a CRC that agrees, 250.00 kbit/s, all pulses fit"
    assert found.score == 1


def test_clocked_bursts_say_how_they_are_divided():
    """Eight bits, an acknowledge and three more clocks of 2 µs; 12 halves of 1 µs between bursts."""
    lines = wires_of([[n, 255 - n] for n in range(20)]).edges()
    found = best(clocked.DECODER, {"a": lines["data"], "b": lines["clock"]})
    assert (
        found.reason == "clock on b in 40 bursts of 12 (100% alike): 8 data bits and 4 more clocks, taken as it rises"
    )
    assert found.score == pytest.approx(0.6)
    facts = words_of(decode_line(found.settings, {"a": lines["data"], "b": lines["clock"]}))
    assert facts["clock rate"] == "500.00 kHz" and facts["clocks a burst"] == "12"


@pytest.mark.parametrize(
    ("changes", "share"), [([110, 210], 1 / 2), ([110, 310, 410], 2 / 3), ([110, 310], 1), ([50], 1 / 2)]
)
def test_data_follow_the_edges_of_a_clock_to_a_share(changes, share):
    """Each change belongs to the edge before it, also to the first; before any edge it belongs to none."""
    clock = Edges.of_toggles(np.array([100, 200, 300, 400]), 0, 0, 500)
    data = Edges.of_toggles(np.array(changes), 0, 0, 500)
    assert agreement(clock, [data]) == pytest.approx(share)


@pytest.mark.parametrize(
    ("facts", "rate"),
    [
        ([], None), ([Fact("rate", 9600.4, "bit/s")], 9600), ([Fact("rate", 9600.5, "bit/s")], 9600),
        ([Fact("rate", 0.0, "bit/s")], None), ([Fact("rate", 0.0, "bit/s"), Fact("rate", 300.0, "bit/s")], 300),
        ([Fact("rate", 9600.0, "Bd"), Fact("bit", 9600.0, "bit/s")], None),
    ],
)  # fmt: skip
def test_the_rate_of_a_line_is_the_one_that_was_measured(facts, rate):
    assert LineResult(FrameTable.empty(), np.empty(0, np.int64), Marks.none(), facts=tuple(facts)).bit_rate == rate
