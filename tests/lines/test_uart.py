"""UART: any form and rate, wrong bits at their place, breaks, and rates nobody told."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn, from_levels, jittered, uart_parts
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.registry import decode_line
from zesty_abacus.core.lines.result import MarkKind
from zesty_abacus.core.lines.timing import fit_words, rate_words, usual_rate
from zesty_abacus.core.lines.uart import DECODER, UartLine


def run_of(line, **form):
    return decode_line(UartLine(line="rx", **form), {"rx": line}).byte_run


def test_a_picture_drawn_by_hand():
    """0x4B as 8N1: start, then 1 1 0 1 0 0 1 0 lowest first, stop."""
    run = run_of(drawn("--- _ -- _ - __ - _ - ---", 100), rate=1e7)
    assert run.value.tolist() == [0x4B] and run.flags.tolist() == [0]
    assert (int(run.start_ns[0]), int(run.end_ns[0])) == (300, 1300)


@given(
    st.lists(st.integers(0, 511), min_size=1, max_size=20),
    st.integers(5, 9),
    st.sampled_from(["none", "odd", "even", "mark", "space"]),
    st.sampled_from([1.0, 1.5, 2.0]),
    st.booleans(),
    st.floats(0, 3),
    st.integers(0, 1000),
)
def test_what_was_drawn_is_read_back(values, bits, parity, stop, inverted, gap, seed):
    values = [value % 2**bits for value in values]
    line = from_levels(uart_parts(values, 10_000, bits, parity, stop, gap))
    line = jittered(line, 250, seed)
    line = line.inverted() if inverted else line
    run = run_of(line, rate=1e5, data_bits=bits, parity=parity, stop_bits=stop, inverted=inverted)
    assert run.value.tolist() == values
    assert not run.flags.any()


@pytest.mark.parametrize("rate", [9600, 19_200, 115_200, 10_417, 76_923, 250_000])
@pytest.mark.parametrize("off", [0.98, 1.0, 1.02])
def test_the_rate_is_measured_odd_ones_too(rate, off):
    data = np.random.default_rng(rate).integers(0, 256, 200).tolist()
    line = jittered(from_levels(uart_parts(data, 1e9 / rate / off)), 5e6 / rate)
    result = decode_line(UartLine(line="rx"), {"rx": line})
    assert result.byte_run.value.tolist() == data
    assert abs(result.facts[0].value / (rate * off) - 1) < 0.002


def test_a_rate_is_found_without_any_single_bit():
    line = from_levels(uart_parts([0x33, 0xCC, 0x33, 0x0F] * 20, 1000))
    found = decode_line(UartLine(line="rx"), {"rx": line}).facts[0].value
    assert abs(found / 1e6 - 1) < 0.01


def test_wrong_parity_and_a_low_stop_bit_stand_at_their_byte():
    parts = uart_parts([0x41, 0x42, 0x43], 1000, parity="even")
    level, length = parts[1 + 11 + 9]  # the parity bit of the second character
    parts[1 + 11 + 9] = (1 - level, length)
    parts[1 + 22 + 10] = (0, 1000)  # the stop bit of the third
    run = run_of(from_levels(parts), rate=1e6, parity="even")
    assert run.value.tolist() == [0x41, 0x42, 0x43]
    assert run.flags.tolist() == [0, F.PARITY, F.FRAMING]


def test_a_line_held_low_is_one_break():
    parts = [(1, 5000), (0, 30_000), (1, 8000), *uart_parts([0x55], 1000)]
    result = decode_line(UartLine(line="rx", rate=1e6), {"rx": from_levels(parts)})
    assert result.marks.kind.tolist() == [MarkKind.BREAK, MarkKind.DATA]
    assert result.byte_run.flags.tolist() == [F.BREAK, 0]
    assert int(result.marks.end_ns[0]) == 35_000


def test_a_pulse_shorter_than_half_a_bit_starts_nothing():
    parts = [(1, 5000), (0, 300), (1, 5000), *uart_parts([0x7E], 1000)]
    assert run_of(from_levels(parts), rate=1e6).value.tolist() == [0x7E]


def test_a_character_at_the_end_of_the_recording_is_cut_short():
    line = from_levels(uart_parts([0x41, 0x42], 1000))
    run = run_of(line.between(0, 28_000), rate=1e6)
    assert run.flags.tolist() == [0, F.CUT_SHORT]


@pytest.mark.parametrize(("parity", "bits"), [("none", 8), ("even", 8), ("odd", 7)])
def test_the_form_is_proposed(parity, bits):
    data = np.random.default_rng(5).integers(0, 2**bits, 400).tolist()
    line = from_levels(uart_parts(data, 26_042, bits, parity))
    best = max(DECODER.propose({"rx": line}), key=lambda proposal: proposal.score)
    assert (best.settings.parity, best.settings.data_bits, best.settings.inverted) == (parity, bits, False)


@pytest.mark.parametrize(("parity", "bits"), [("even", 7), ("odd", 7), ("even", 8), ("odd", 8)])
@pytest.mark.parametrize("seed", range(4))
def test_a_parity_is_told_though_one_character_is_at_fault(parity, bits, seed):
    rng = np.random.default_rng(seed)
    data = rng.integers(0, 2**bits, 120).tolist()
    parts = uart_parts(data, 26_042, bits, parity, gap_bits=float(rng.integers(0, 3)))
    # the parity bit of character 50: a start bit, its data bits, the parity and the stop bit are a list each
    place = 1 + 50 * (bits + 3) + 1 + bits
    parts[place] = (1 - parts[place][0], parts[place][1])
    line = from_levels(parts)
    best = max(DECODER.propose({"rx": line}), key=lambda proposal: proposal.score)
    assert (best.settings.parity, best.settings.data_bits) == (parity, bits)
    assert "99.2% of 120 characters are whole" in best.reason
    assert run_of(line, rate=1e9 / 26_042, parity=parity, data_bits=bits).flags.nonzero()[0].tolist() == [50]


@pytest.mark.parametrize("seed", range(6))
def test_no_parity_is_made_up(seed):
    data = np.random.default_rng(seed).integers(0, 256, 120).tolist()
    line = from_levels(uart_parts(data, 26_042, gap_bits=float(seed % 3)))
    best = max(DECODER.propose({"rx": line}), key=lambda proposal: proposal.score)
    assert (best.settings.parity, best.settings.data_bits) == ("none", 8)


@pytest.mark.parametrize(
    ("values", "bits", "stop"),
    [
        (range(64, 80), 7, 2.0),
        # fifteen are too few to say so, and so are seven different ones however often they come
        (range(64, 79), 8, 1.0),
        ([*range(64, 71)] * 8, 8, 1.0),
    ],
)
def test_a_bit_that_is_always_high_behind_seven_is_a_stop_bit(values, bits, stop):
    line = from_levels(uart_parts(values, 26_042, 7, stop=2.0))
    best = max(DECODER.propose({"rx": line}), key=lambda proposal: proposal.score)
    assert (best.settings.parity, best.settings.data_bits, best.settings.stop_bits) == ("none", bits, stop)
    assert ("7 data bits, parity none, 2 stop bits: 100.0% of" in best.reason) == (bits == 7)
    read = run_of(line, rate=1e9 / 26_042, data_bits=best.settings.data_bits, stop_bits=stop)
    assert (read.value & 0x7F).tolist() == [*values]


def test_a_clock_or_a_select_is_no_uart():
    assert all(p.score < 0.3 for p in DECODER.propose({"clk": drawn("_-" * 400)}))


def score_of(line):
    """Return the score of the best proposal for a line, 0 without any."""
    return max((proposal.score for proposal in DECODER.propose({"rx": line})), default=0.0)


@pytest.mark.parametrize("inverted", [False, True])
@pytest.mark.parametrize("seed", range(8))
def test_spikes_of_noise_are_no_characters(seed, inverted):
    """Each alone, of nearly the same length: a start bit, and silence for what would be a character of ones."""
    random = np.random.default_rng(seed)
    parts = [(1, 9e6)]
    for width, rest in zip(random.uniform(290e3, 430e3, 90), random.exponential(15e6, 90), strict=True):
        parts += [(0, width), (1, rest)]
    line = from_levels(parts)
    assert score_of(line.inverted() if inverted else line) < 0.35


def test_frames_full_of_nothing_are_characters():
    """Registers that are 0 or -1, in frames that begin with an address and end with a check."""
    random = np.random.default_rng(1)
    data = []
    for _ in range(40):
        data += [0x11, 0x03, 0x06, *[int(random.choice([0, 255]))] * 6, *random.integers(1, 255, 2).tolist()]
    assert score_of(from_levels(uart_parts(data, 52_083))) > 0.6


@pytest.mark.parametrize("inverted", [False, True])
def test_a_line_of_two_tones_rests_where_neither_is_sent(inverted):
    """Silence between characters, and before the first, is no start bit; nor is a moment of it between two tones."""
    sign, bit_ns = -1 if inverted else 1, 100_000
    parts = [(0, 50 * bit_ns)]
    for value in (0x00, 0x5A, 0xFF):
        bits = [0, *(value >> n & 1 for n in range(8)), 1]
        parts += [(sign * (2 * bit - 1), bit_ns) for bit in bits]
        parts += [(0, 7 * bit_ns)]
    level, length = parts[1]
    parts[1:2] = [(level, length * 0.9), (0, length * 0.1)]
    run = decode_line(UartLine(line="a", rate=10_000, inverted=inverted), {"a": from_levels(parts)}).byte_run
    assert run is not None
    assert run.value.tolist() == [0x00, 0x5A, 0xFF] and not run.flags.any()
    assert run.start_ns.tolist() == [50 * bit_ns, 67 * bit_ns, 84 * bit_ns]


@pytest.mark.parametrize("bits_cut", [0, 2, 3, 4, 5, 6, 8, 10, 12, 14, 16])
def test_where_a_recording_begins_while_the_line_is_low_the_first_character_is_cut_short(bits_cut):
    """It begins so many bits behind the begin of the first of some characters that touch: A is 0 1000 0010 1."""
    line = from_levels(uart_parts([0x41, 0x55, 0x42], 1000))
    cut = line.between(12_000 + bits_cut * 1000 + 300, line.end_ns)
    assert cut.first == 0
    run = decode_line(UartLine(line="x", rate=1e6), {"x": cut}).byte_run
    assert run.flags[0] & F.CUT_SHORT and not (run.flags[1:] & F.CUT_SHORT).any()


@pytest.mark.parametrize(
    ("low", "rest", "is_cut"),
    [(1.5, 8.9, True), (1.5, 9.0, False), (1.5, 10.0, False), (0.5, 3.0, True), (0.49, 3.0, False), (9.0, 3.0, True),
     (9.1, 3.0, False), (5000.0, 3.0, False)],
)  # fmt: skip
def test_a_rest_as_long_as_a_character_says_that_none_was_under_way(low, rest, is_cut):
    """What is low for less than half a bit is no part of a character, and what is low for longer than one is none."""
    line = from_levels([(0, low * 1000), (1, rest * 1000), *uart_parts([0x41, 0x42], 1000)[1:]])
    run = decode_line(UartLine(line="x", rate=1e6), {"x": line}).byte_run
    assert run.value.tolist() == [0x41, 0x42] and run.flags.tolist() == [F.CUT_SHORT if is_cut else 0, 0]


@pytest.mark.parametrize(
    "rate",
    [300, 600, 1200, 2400, 4800, 9600, 10_400, 14_400, 19_200, 28_800, 38_400, 57_600, 62_500, 83_333, 100_000, 115_200,
     125_000, 230_400, 250_000, 460_800, 500_000, 800_000, 921_600, 1_000_000, 2_000_000, 4_000_000, 5_000_000,
     8_000_000],
)  # fmt: skip
def test_a_rate_near_a_customary_one_is_that(rate):
    assert [usual_rate(rate * off) for off in (0.98, 0.9851, 1, 1.0149, 1.02)] == [None, rate, rate, rate, None]


@pytest.mark.parametrize(("rate", "words"), [
    (19_230, "19.2 kbit/s (19.23 measured)"), (19_200, "19.20 kbit/s"), (19_218, "19.22 kbit/s"),
    (9_530, "9600 bit/s (9530 measured)"), (9_600.4, "9600 bit/s"), (12_345, "12.35 kbit/s"), (777, "777 bit/s"),
    (498_000, "500 kbit/s (498.00 measured)"),
])  # fmt: skip
def test_a_measured_rate_is_said_with_the_usual_one_it_stands_for(rate, words):
    assert rate_words(rate) == words


@pytest.mark.parametrize(("share", "words"), [
    (1.0, "all pulses fit"), (0.999, "more than 99% of pulses fit"), (0.62, "62% of pulses fit"),
    (0.004, "less than 1% of pulses fit"),
])  # fmt: skip
def test_a_few_pulses_that_do_not_fit_are_not_none(share, words):
    assert fit_words(share) == words
