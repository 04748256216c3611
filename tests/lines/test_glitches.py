"""Glitches: found where they are rare and far shorter than the line's pulses, and only there."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn, from_levels, i2c_wires, jittered, manchester_parts, spiked, uart_parts
from zesty_abacus.core.lines.glitches import find_glitches

BIT = 26_042
TEXT = from_levels(uart_parts(list(range(0, 256, 3)), BIT))


@pytest.mark.parametrize("widths", [(40,), (40, 900), (1300, 60, 700)])
def test_one_and_a_few_spikes_are_told_from_bits(widths):
    line = TEXT
    for number, width in enumerate(widths):
        line = spiked(line, [int(TEXT.time_ns[20 + 60 * number]) + BIT // 3], width)
    found = find_glitches(line)
    assert (found.count, found.longest_ns) == (len(widths), max(widths))
    assert found.shortest_ns >= BIT // 3, "a spike divides the pulse that it falls into"
    assert max(widths) < found.ignore_under_us * 1000 < found.shortest_ns
    kept = line.without_glitches(round(found.ignore_under_us * 1000))
    assert kept.time_ns.tolist() == TEXT.time_ns.tolist() and kept.level.tolist() == TEXT.level.tolist()


def test_what_was_measured_is_said():
    found = find_glitches(spiked(TEXT, [int(TEXT.time_ns[20]) + BIT // 2], 100))
    assert found.words() == (
        "1 pulse is no longer than 0.1 µs, all others last 12.9 µs and more: what is under 1.1 µs is ignored"
    )


@given(st.lists(st.integers(0, 255), min_size=4, max_size=60), st.floats(0, 0.12), st.integers(0, 9))
def test_a_line_without_any_has_none(values, jitter, seed):
    assert find_glitches(jittered(from_levels(uart_parts(values, BIT, gap_bits=3)), BIT * jitter / 3, seed)) is None


def test_pulses_of_which_there_are_many_are_none():
    assert find_glitches(drawn("-" + "_" * 30 + "--" + "_" * 30, 1000)) is None, "too few pulses to say"
    assert find_glitches(from_levels([(1, 1000), (0, 50_000)] * 40)) is None, "half of all pulses are short"
    assert find_glitches(from_levels([[(1, 10_000), (0, 9_000 + n * 300)][n % 2] for n in range(60)])) is None
    words = from_levels(manchester_parts([[(0, n)] for n in range(20)], 500))
    assert find_glitches(words) is None, "a line of three levels"


def test_lengths_that_run_into_each_other_are_none():
    widths = np.geomspace(100, 10_000, 200)
    line = from_levels([(n % 2, float(width)) for n, width in enumerate(widths)])
    assert find_glitches(line) is None


def test_both_lines_of_a_bus_are_looked_at_by_themselves():
    lines = i2c_wires([[(0xB4, 1), (n, 1)] for n in range(8)], half_ns=5000).edges()
    assert find_glitches(lines["clock"]) is None and find_glitches(lines["data"]) is None
    assert find_glitches(spiked(lines["clock"], [int(lines["clock"].time_ns[9]) + 2000], 90)).count == 1
