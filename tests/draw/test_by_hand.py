"""Waves against what the standards of the lines show, drawn here by hand, a letter a part of a bit."""

import pytest

from zesty_abacus.core.draw.codes import can, clocked, i2c, manchester, nibbles, pulses, rz_words, spi, uart
from zesty_abacus.core.draw.errors import DrawError
from zesty_abacus.core.draw.parts import Burst, DrawnFrame, Telegram
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.can_wave import CanLine
from zesty_abacus.core.lines.clocked import ClockedLine
from zesty_abacus.core.lines.i2c import I2cLine
from zesty_abacus.core.lines.manchester import ManchesterLine
from zesty_abacus.core.lines.nibbles import NibbleLine
from zesty_abacus.core.lines.pulses import PulseLine
from zesty_abacus.core.lines.rz_words import RzLine
from zesty_abacus.core.lines.spi import SpiLine
from zesty_abacus.core.lines.uart import UartLine

_SIGNS = {-1: "-", 0: "0", 1: "1"}


def frame(payload, time_ns=0.0, address=0, flags=0):
    return DrawnFrame(time_ns, address, flags, payload)


def drawn(drawing, name, step_ns):
    """Return a line, a sign a step, as it is in the middle of each step, with the rest at its end as one sign."""
    steps = round(drawing.now_ns / step_ns)
    assert steps * step_ns == pytest.approx(drawing.now_ns)
    text = "".join(_SIGNS[level] for level in drawing.levels_at(name, [(n + 0.5) * step_ns for n in range(steps)]))
    return text.rstrip(text[-1]), steps


def test_a_character_is_start_bits_low_first_parity_stop():
    # 0x31 has three ones: of even parity the bit is 1
    line = UartLine(line="tx", rate=1e6, parity="even", stop_bits=2)
    text, steps = drawn(uart.draw(line, [Telegram(0, (0x31,), 0, "a")]), "line", 1000)
    assert text == "0" + "10001100" and steps == 1 + 8 + 1 + 2 + 40, "parity and stop are high, as the line at rest"
    high_first = UartLine(line="tx", rate=1e6, parity="odd", high_bit_first=True)
    assert drawn(uart.draw(high_first, [Telegram(0, (0x31,), 0, "a")]), "line", 1000)[0] == "0001100010"
    turned = UartLine(line="tx", rate=1e6, inverted=True)
    assert drawn(uart.draw(turned, [Telegram(0, (0x31,), 0, "a")]), "line", 1000)[0] == "1" + "01110011"
    no_stop = drawn(uart.draw(line, [Telegram(0, (0x31,), F.FRAMING, "a")]), "line", 1000)
    assert no_stop == ("0" + "10001100" + "1" + "00", 1 + 8 + 1 + 2 + 1 + 40)
    broken = drawn(uart.draw(line, [Telegram(0, (0, 0xFF), 0, "a", has_break=True)]), "line", 500)
    assert broken[0] == "0" * 26 + "111" + "00" + "1" * 16 + "00", "13 bits of break, one and a half of rest"


def test_i2c_changes_data_while_the_clock_is_low():
    """UM10204: a start is a fall of data under a high clock, a stop its rise; the ninth bit takes the byte."""
    made = i2c.draw(I2cLine(clock="scl", data="sda"), [frame(b"\x81", 5000, address=0x50)])
    # half a clock of rest goes before; half a clock is 5 µs; data change in the middle of its low half
    assert drawn(made, "clock", 2500) == ("1111" + "0011" * 18 + "000", 4 + 4 * 18 + 7 + 40)
    bits = "10100000" + "0" + "10000001" + "0"
    data = "11" + "00" + "0" + "".join(bit * 4 for bit in bits)
    assert drawn(made, "data", 2500)[0] == data + "0" * 4, "low up to the stop"
    refused = i2c.draw(I2cLine(clock="scl", data="sda"), [frame(b"\x81", 5000, address=0x50, flags=F.READ)])
    assert drawn(refused, "data", 2500)[0] == "11000" + "".join(bit * 4 for bit in "101000010100000011") + "0000"
    long = i2c.draw(I2cLine(clock="scl", data="sda"), [frame(b"", 5000, address=0x2A5, flags=F.EXTENDED)])
    assert drawn(long, "data", 2500)[0] == "11000" + "".join(bit * 4 for bit in "111101000101001010") + "0000"


@pytest.mark.parametrize(("mode", "rest", "second"), [(0, "0", False), (1, "0", True), (2, "1", False), (3, "1", True)])
def test_spi_clocks_in_all_four_modes(mode, rest, second):
    other = {"0": "1", "1": "0"}[rest]
    made = spi.draw(SpiLine(clock="c", to_device="d", select="s", mode=mode), [frame(b"\xa1", 1000)])
    clock = (other + rest if second else rest + other) * 8
    assert drawn(made, "select", 500) == ("11" + "00" + "0" * 16 + "00", 4 + 16 + 2 + 2 + 80)
    assert drawn(made, "clock", 500)[0] == (rest * 4 + clock).rstrip(rest)
    # a bit stands for a whole clock; the last is 1 and stays until somebody says otherwise
    assert drawn(made, "to_device", 500)[0] == ("0000" + "".join(bit * 2 for bit in "10100001")).rstrip("1")


def test_manchester_words_begin_with_a_sync_that_breaks_the_rule():
    line = ManchesterLine(line="x", word_bits=4, parity="odd", syncs=("111000", "000111"), one="fall")
    made = manchester.draw(line, [frame(b"\x05\x0e")])
    halves = {"1": "1-", "0": "-1"}
    words = "111---" + "".join(halves[bit] for bit in "01011"), "---111" + "".join(halves[bit] for bit in "11100")
    assert drawn(made, "line", 10_000) == ("".join(words), 32 + 40)
    other_way = manchester.draw(ManchesterLine(line="x", minus="y", word_bits=4, parity="even", one="rise",
                                               syncs=("111000", "000111")), [frame(b"\x05")])  # fmt: skip
    turned = "111000" + "".join({"1": "01", "0": "10"}[bit] for bit in "01010")
    assert drawn(other_way, "line", 10_000)[0] == turned.rstrip("0")
    assert drawn(other_way, "minus", 10_000)[0] == "".join("10"[int(level)] for level in turned).rstrip("0")


def test_words_that_return_to_zero():
    made = rz_words.draw(RzLine(line="x", word_bits=4), [frame(b"\xb0")])
    assert drawn(made, "line", 5000) == ("10-01010"[:-1], 8 + 32)


def test_half_bytes_are_distances_between_falls():
    """SAE J2716: 56 ticks of sync, then 12 and as many as the half byte says, five of each low."""
    made = nibbles.draw(NibbleLine(line="x"), [frame(b"\x12\x30")])
    text, _ = drawn(made, "line", 3000)
    distances = [len(part) + 5 for part in text.split("0" * 5)[1:]]
    assert text.startswith("0" * 5 + "1" * 51 + "0" * 5 + "1" * 8 + "0" * 5), "sync, and the status of one"
    assert distances[:4] == [56, 12 + 1, 12 + 2, 12 + 3] and len(distances) == 1 + 4 + 1 + 1


@pytest.mark.parametrize(
    ("coding", "bits", "text"),
    [
        ("width", (1, 0), "1110" + "1000"), ("distance", (1, 0), "1000" + "10" + "1"),
        ("manchester", (1, 0), "01" + "10"), ("biphase", (0, 1, 0), "10" + "11" + "01"),
        ("plain", (1, 0, 1, 1), "1011"),
    ],
)  # fmt: skip
def test_pulses_of_every_coding(coding, bits, text):
    made = pulses.draw(PulseLine(line="x", coding=coding, unit_us=1), [Burst(0, bits, "a")])
    assert drawn(made, "line", 1000) == (text.rstrip("0"), len(text) + 3 * 30)
    twice = pulses.draw(PulseLine(line="x", coding=coding, unit_us=1), [Burst(0, bits, "a", 2)])
    assert drawn(twice, "line", 1000) == ((text + "0" * 30 + text).rstrip("0"), 2 * len(text) + 4 * 30)


def test_bits_that_are_changes_and_bits_behind_a_scrambler():
    changes = pulses.draw(
        PulseLine(line="x", coding="plain", transitions=True, unit_us=1), [Burst(0, (0, 1, 1, 0, 0), "a")]
    )
    assert drawn(changes, "line", 1000)[0] == "11101", "a zero is a change"
    # x^3 + 1: each bit is added to the one sent three before
    behind = pulses.draw(
        PulseLine(line="x", coding="plain", scrambler="3", unit_us=1), [Burst(0, (1, 0, 0, 0, 1, 0, 1), "a")]
    )
    assert drawn(behind, "line", 1000)[0] == "10011"


def test_clocked_bursts_say_a_bit_a_clock():
    line = ClockedLine(clock="c", data="d", bits=4, on_rise=True, acknowledge=False)
    made = clocked.draw(line, [frame(b"\x0a\x05", time_ns=50_000.0)])
    assert drawn(made, "clock", 50_000)[0] == "01" * 4 + "0" * 8 + "01" * 4
    assert drawn(made, "data", 50_000)[0] == "11001100" + "0" * 8 + "00110011".rstrip("1")


def test_a_classic_frame_is_stuffed_and_taken():
    """ISO 11898-1: identifier 0 without data has a check of zeros, so a stuff bit stands behind every five zeros."""
    made = can.draw(CanLine(line="x", rate=1e6), [frame(b"")])
    plain = "0" + "0" * 11 + "0" * 3 + "0" * 4 + "0" * 15
    stuffed = "".join(plain[at : at + 5] + ("1" if len(plain[at : at + 5]) == 5 else "") for at in range(0, 34, 5))
    # after a stuff bit, which is a one, five zeros are counted anew
    text, steps = drawn(made, "line", 1000)
    assert text == stuffed + "1" + "0", "delimiter of the check, then somebody takes it"
    assert steps == len(stuffed) + 1 + 1 + 1 + 7 + 3 + 30


@pytest.mark.parametrize(
    ("draw", "settings", "one", "least_ns"),
    [
        (manchester.draw, ManchesterLine(line="x", syncs=("111000", "000111")), frame(b"\0\1"), (6 + 34 + 4) * 10_000),
        (rz_words.draw, RzLine(line="x", word_bits=8), frame(b"\1"), (8 + 2) * 10_000),
        (can.draw, CanLine(line="x", rate=1e6), frame(b""), (34 + 6 + 1 + 1 + 1 + 7 + 3) * 1000),
        (uart.draw, UartLine(line="x", rate=1e6), Telegram(0, (1, 2), 0, "a"), 20_000),
        (pulses.draw, PulseLine(line="x", coding="plain", unit_us=1), Burst(0, (1, 0), "a"), 2000 + 30_000),
    ],
)  # fmt: skip
def test_how_close_one_may_follow_another(draw, settings, one, least_ns):
    def followed(by_ns):
        draw(settings, [one, type(one)(by_ns, *(getattr(one, name) for name in list(one.__slots__)[1:]))])

    followed(least_ns)
    with pytest.raises(DrawError, match="before the one before it is over"):
        followed(least_ns - 1000)
