"""Bits of a line of three levels, and bits that were scrambled, against pictures and plain loops."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn, from_levels
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.lines.bipolar import signs_while
from zesty_abacus.core.lines.pulses import DECODER, PulseLine
from zesty_abacus.core.lines.result import BitRun
from zesty_abacus.core.lines.signed_bits import signed_bits
from zesty_abacus.core.lines.unscramble import taps_of, unscrambled


def bursts(run):
    return [run.bit[a:b].tolist() for a, b in zip(run.bounds[:-1], run.bounds[1:], strict=True)]


def test_a_picture_drawn_by_hand():
    run = signed_bits(drawn("___--.-...___.-__"), 1000, PulseLine())
    assert bursts(run) == [[1, 1, 0, 1, 0, 0, 0], [0, 1]] and run.flags.tolist() == [0, 0]
    assert run.start_ns[:3].tolist() == [3000, 4000, 5000] and run.end_ns[-1] == 15_000
    assert bursts(signed_bits(drawn("___--.-...___"), 1000, PulseLine(one_is_long=False))) == [[0, 0, 1, 0, 1, 1, 1]]
    assert bursts(signed_bits(drawn("___--.-...___"), 1000, PulseLine(transitions=True))) == [[0, 1, 0, 0, 0, 1, 1]]


def test_a_burst_at_an_end_of_the_recording_is_cut_short():
    assert signed_bits(drawn("--.___-.__.-"), 1000, PulseLine()).flags.tolist() == [F.CUT_SHORT, 0, F.CUT_SHORT]
    assert len(signed_bits(drawn("_____"), 1000, PulseLine())) == 0


@given(st.lists(st.lists(st.integers(0, 1), min_size=4, max_size=40), min_size=2, max_size=6), st.floats(0.9, 1.1))
def test_what_was_drawn_is_read_back_zeros_at_the_end_too(listed, pace):
    parts = [(0, 40_000.0)]
    for bits in listed:
        head = [1, 0, 1, 0]
        parts += [(1 if bit else -1, 1000 * pace) for bit in [*head, *bits]] + [(0, 9_000.0)]
    run = DECODER.decode(PulseLine(line="x"), {"line": from_levels(parts)}).bit_run
    assert bursts(run) == [[1, 0, 1, 0, *bits] for bits in listed]


def test_a_tone_counts_only_while_somebody_sends():
    made = signs_while(drawn("-_-_--__-_-"), drawn("___-----___"))
    assert made.time_ns.tolist() == [3000, 4000, 6000, 8000] and made.level.tolist() == [-1, 1, -1, 0]
    assert made.first == 0


@given(
    st.lists(st.lists(st.integers(0, 1), max_size=80), max_size=4), st.sampled_from(["17 12", "3", "9, 5", "15 14 1"])
)
def test_scrambled_bits_come_back(listed, text):
    taps = taps_of(text)
    sent = []
    for bits in listed:
        register = [0] * max(taps)
        for bit in bits:
            mixed = bit
            for tap in taps:
                mixed ^= register[-tap]
            register.append(mixed)
        sent.append(register[max(taps) :])
    bounds = np.concatenate([[0], np.cumsum([len(bits) for bits in listed])]).astype(np.int64)
    flat = np.array([bit for bits in sent for bit in bits], np.uint8)
    times = np.arange(len(flat), dtype=np.int64)
    run = unscrambled(BitRun(times, times + 1, flat, bounds, np.zeros(len(listed), np.uint32)), taps)
    assert run.bit.tolist() == [bit for bits in listed for bit in bits]


@pytest.mark.parametrize("text", ["x17", "0", "129", "-3", "17 17", "1.5", "١٧"])
def test_taps_that_are_none_are_refused(text):
    with pytest.raises(MisuseError, match="exponents of its polynomial"):
        taps_of(text)
    with pytest.raises(MisuseError, match="scrambler"):
        DECODER.decode(PulseLine(line="x", scrambler=text), {"line": drawn("_-_--_-_-__-_" * 4)})


@pytest.mark.parametrize(("text", "taps"), [("", ()), ("17 12", (17, 12)), (" 9,5 ", (9, 5)), ("128", (128,))])
def test_taps_are_listed(text, taps):
    assert taps_of(text) == taps
