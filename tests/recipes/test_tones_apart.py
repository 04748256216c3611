"""What tells two tones from pulses, and how far a difference of tones has to go; figures worked out by hand."""

from __future__ import annotations

import math

import numpy as np
import pytest

from zesty_abacus.core.recipes.model import LevelSetting
from zesty_abacus.core.recipes.prepare import PreparedLine, _dead_band_of_tones
from zesty_abacus.core.recipes.propose_radio import _changes_between_tones
from zesty_abacus.core.waves.edges import Edges

BIT_NS = 1_000_000


def line(levels, low_hz=1200.0, bit_ns=BIT_NS):
    """Return a difference of tones with one level a bit: 1 the high tone, -1 the low one, 0 neither."""
    levels = np.array(levels, np.int8)
    turns = np.flatnonzero(np.diff(levels)) + 1
    edges = Edges(turns * bit_ns, levels[turns], int(levels[0]), 0, len(levels) * bit_ns)
    setting = LevelSetting(channel="x", kind="tones", carrier_hz=low_hz, high_hz=2 * low_hz)
    return PreparedLine(setting, setting, edges)


SENT = [0] * 20 + [1, -1, 1, 1, -1, -1, 1, -1, 1, -1, -1, 1] * 8 + [0] * 20


def test_what_goes_from_one_tone_to_the_other_is_two_tones():
    assert _changes_between_tones(line(SENT), is_iq=False)


def test_pulses_that_go_in_and_out_of_silence_are_none():
    keyed = [0] * 20 + [1, 0, 1, 1, 0, 0, -1, 0, 1, 0, -1, 0] * 8 + [0] * 20
    assert not _changes_between_tones(line(keyed), is_iq=False)


def test_a_second_tone_that_is_hardly_there_is_none():
    assert not _changes_between_tones(line([0] * 20 + ([1] * 40 + [-1]) * 20), is_iq=False)
    assert _changes_between_tones(line([0] * 20 + ([1] * 8 + [-1]) * 20), is_iq=False)


@pytest.mark.parametrize(("waves", "is_two"), [(0.74, False), (0.76, True)])
def test_of_the_low_tone_three_quarters_of_a_wave_are_in_a_bit(waves, is_two):
    """Pulses of biphase hold half of one; tones of I/Q lie beside a frequency that was chosen, so at none as well."""
    made = line(SENT, low_hz=waves * 1e9 / BIT_NS)
    assert _changes_between_tones(made, is_iq=False) is is_two
    assert _changes_between_tones(made, is_iq=True)


@pytest.mark.parametrize(
    ("waves", "band"),
    [
        # a mean over whole waves of their difference hears one tone alone; over half a wave it hears 2/pi of the other
        (1.0, 0.2), (2.0, 0.2), (0.5, (1 - 2 / math.pi) / (1 + 2 / math.pi) / 3), (1.5, 0.2), (0.0, 0.0),
        (0.25, (1 - 2 * math.sqrt(2) / math.pi) / (1 + 2 * math.sqrt(2) / math.pi) / 3),
    ],
)  # fmt: skip
def test_the_dead_band_between_two_tones_is_as_wide_as_a_mean_tells_them_apart(waves, band):
    assert _dead_band_of_tones(1000.0, waves * 1000.0) == pytest.approx(band)
