"""Thresholds, dead bands, suggestions and measured flanks, against plain loops and known waves."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.lines.levels import LevelHistogram, find_edges, level_histogram, measure_levels, suggest_levels
from zesty_abacus.core.waves import samples as samples_module
from zesty_abacus.core.waves.samples import Samples


def plain_edges(values, threshold, band):
    """The same rule as a plain loop over samples: index of the passage, and the level after it."""
    level = int(values[0] >= threshold)
    found, passed = [], None
    for i in range(1, len(values)):
        a, b = values[i - 1], values[i]
        if (a >= threshold) != (b >= threshold):
            passed = i - 1 + (threshold - a) / (b - a)
        if level == 0 and (b > threshold + band / 2 or (band == 0 and b >= threshold)):
            level = 1
            found.append(passed)
        elif level == 1 and b < threshold - band / 2:
            level = 0
            found.append(passed)
    return found


@given(
    st.lists(st.floats(-2, 5, width=32), min_size=2, max_size=300),
    st.floats(0.125, 3, width=32),
    st.sampled_from([0.0, 0.25, 1.0]),
)
def test_edges_agree_with_a_plain_loop(values, threshold, band):
    samples = Samples(np.array(values, np.float32), 1e6)
    edges = find_edges(samples, threshold, band)
    wanted = np.rint(np.array(plain_edges(np.array(values, np.float32).astype(float), threshold, band)) * 1000)
    assert edges.time_ns.tolist() == wanted.astype(np.int64).tolist()


def test_chunks_do_not_matter(monkeypatch):
    values = np.random.default_rng(2).normal(1, 1, 5000).astype(np.float32)
    whole = find_edges(Samples(values, 1e6), 1.0, 0.3)
    monkeypatch.setattr(samples_module, "CHUNK", 7)
    parts = find_edges(Samples(values, 1e6), 1.0, 0.3)
    assert whole.time_ns.tolist() == parts.time_ns.tolist() and whole.first == parts.first


def test_a_slow_flank_does_not_shift_its_edge():
    """A ramp from 0 to 2 V over 100 samples passes 1 V in its middle, whatever the dead band."""
    ramp = np.concatenate([np.zeros(50), np.linspace(0, 2, 101), np.full(50, 2.0)]).astype(np.float32)
    for band in (0.0, 0.4, 1.2):
        assert find_edges(Samples(ramp, 1e6), 1.0, band).time_ns.tolist() == [100_000]


def test_noise_inside_the_dead_band_makes_no_edge():
    values = (1.0 + 0.1 * np.random.default_rng(1).standard_normal(10_000)).astype(np.float32)
    assert len(find_edges(Samples(values, 1e6), 1.0, 0.0)) > 1000
    assert len(find_edges(Samples(values, 1e6), 1.0, 1.0)) == 0


def test_scaled_and_turned_samples_pass_the_same_level():
    raw = np.tile(np.repeat([10, 200], 20), 5).astype(np.uint8)
    up = find_edges(Samples(raw, 1e6, scale=0.02, offset=-1.0), 1.0, 0.2)
    assert up.first == 0 and len(up) == 9
    down = find_edges(Samples(raw, 1e6, scale=-0.02, offset=5.0), 3.0, 0.2)
    assert down.first == 1 and down.time_ns.tolist() == pytest.approx(up.time_ns.tolist(), abs=300)


def test_a_bipolar_line_has_three_levels():
    values = np.repeat([0, 1, -1, 0, -1, 1, 0], 10).astype(np.float32)
    edges = find_edges(Samples(values, 1e6), 0.5, 0.1, below=-0.5)
    # on its way from one sign to the other the line passes the middle, within one sample
    assert [level for level, width in zip(edges.level, [*edges.widths(), 10**6], strict=True) if width > 1000] == [
        1, -1, 0, -1, 1, 0,
    ]  # fmt: skip


@pytest.mark.parametrize(("low", "high"), [(0.0, 3.3), (-0.2, 5.1), (1.1, 1.9)])
@pytest.mark.parametrize("duty", [0.02, 0.5, 0.97])
def test_two_levels_are_suggested_at_any_duty(low, high, duty):
    rng = np.random.default_rng(3)
    values = np.where(rng.random(50_000) < duty, high, low) + rng.normal(0, (high - low) * 0.02, 50_000)
    found = suggest_levels(level_histogram(Samples(values.astype(np.float32), 1e6)))
    assert found.below is None
    assert found.above == pytest.approx((low + high) / 2, abs=(high - low) * 0.1)
    assert (found.low, found.high) == pytest.approx((low, high), abs=(high - low) * 0.05)


def test_three_levels_are_suggested_and_two_with_slow_flanks_are_not():
    rng = np.random.default_rng(4)
    values = rng.choice([-1.0, 0.0, 1.0], 50_000) + rng.normal(0, 0.05, 50_000)
    found = suggest_levels(level_histogram(Samples(values.astype(np.float32), 1e6)))
    assert (found.above, found.below) == pytest.approx((0.5, -0.5), abs=0.05)
    flanks = rng.normal(0, 0.03, 40_000) + np.tile(
        np.concatenate([np.zeros(30), np.linspace(0, 3, 20), np.full(30, 3.0), np.linspace(3, 0, 20)]), 400
    )
    assert suggest_levels(level_histogram(Samples(flanks.astype(np.float32), 1e6))).below is None


def test_flanks_that_are_always_sampled_at_one_level_are_no_third_level():
    """With 10 samples a bit, the middle one of each flank falls on half the swing, over and over."""
    rng = np.random.default_rng(5)
    bits = rng.integers(0, 2, 6000)
    wave = np.repeat(bits * 3.0, 10)
    changes = np.flatnonzero(np.diff(bits)) + 1
    wave[changes * 10] = 1.5
    found = suggest_levels(level_histogram(Samples((wave + rng.normal(0, 0.01, len(wave))).astype(np.float32), 1e6)))
    assert found.below is None and found.above == pytest.approx(1.5, abs=0.1)


@pytest.mark.parametrize("flank", [1, 8, 40])
def test_a_line_that_only_begins_between_its_levels_has_two(flank):
    """Nobody drives it yet; then it goes between two levels for the rest of the recording."""
    rng = np.random.default_rng(6)
    bits = np.repeat(rng.choice([-1.0, 1.0], 500), 100)
    bits = np.convolve(bits, np.ones(flank) / flank, "same")
    wave = np.concatenate([np.zeros(20_000), bits]) + rng.normal(0, 0.02, 70_000)
    found = suggest_levels(level_histogram(Samples(wave.astype(np.float32), 1e6)))
    assert found.below is None and found.above == pytest.approx(0.0, abs=0.1)


def test_a_bipolar_line_at_rest_between_its_words_keeps_its_middle():
    rng = np.random.default_rng(7)
    words = np.concatenate([
        np.concatenate([np.zeros(900), np.repeat(rng.choice([-1.0, 1.0], 40), 10)]) for _ in range(6)
    ])  # fmt: skip
    found = suggest_levels(level_histogram(Samples((words + rng.normal(0, 0.02, len(words))).astype(np.float32), 1e6)))
    assert (found.above, found.below) == pytest.approx((0.5, -0.5), abs=0.05)


@pytest.mark.parametrize(("rest", "has_middle"), [(4, True), (3, False)])
def test_a_rest_of_four_samples_is_one(rest, has_middle):
    """Of a line that goes from level to level between two samples, as return-to-zero words do."""
    rng = np.random.default_rng(8)
    words = np.concatenate([[*[level] * 10, *[0.0] * rest] for level in rng.choice([-1.0, 1.0], 3000)])
    noise = rng.normal(0, 0.004, len(words))
    found = suggest_levels(level_histogram(Samples((words + noise).astype(np.float32), 1e6)))
    assert (found.below is not None) is has_middle


@pytest.mark.parametrize("noise", [0.02, 0.1, 0.15])
@pytest.mark.parametrize("levels", [(0.0, 3.3), (-1.0, 1.0)])
def test_each_bit_of_a_noisy_line_is_one_passage(noise, levels):
    """Noise of so much of the swing, 15 samples a bit: the dead band grows with it, the threshold stays half way."""
    random = np.random.default_rng(round(noise * 100))
    bits = random.integers(0, 2, 2000)
    swing = levels[1] - levels[0]
    values = np.repeat(np.array(levels)[bits], 15) + random.normal(0, noise * swing, 30_000)
    samples = Samples(values.astype(np.float32), 1e6)
    said = suggest_levels(level_histogram(samples))
    assert said.above == pytest.approx(sum(levels) / 2, abs=0.03 * swing) and said.below is None
    assert said.dead_band == pytest.approx(max(0.2, min(4 * noise, 0.7)) * swing, rel=0.25)
    edges = find_edges(samples, said.above, said.dead_band)
    assert len(edges) == pytest.approx(np.count_nonzero(np.diff(bits)), rel=0.03)


def test_the_dead_band_is_four_deviations_of_the_noise():
    """Two normal heaps of ten bins' deviation, a hundred bins apart."""
    edges = np.linspace(0, 192, 193)
    centers = (edges[1:] + edges[:-1]) / 2
    counts = sum(np.exp(-(((centers - level) / 10) ** 2) / 2) for level in (46, 146))
    said = suggest_levels(LevelHistogram(np.rint(counts * 1e6).astype(np.int64), edges))
    assert (said.low, said.high) == (pytest.approx(46, abs=0.5), pytest.approx(146, abs=0.5))
    assert said.dead_band == pytest.approx(40, rel=0.04)


@pytest.mark.parametrize("noise", [0.02, 0.1, 0.2])
def test_rare_words_of_a_bipolar_line_have_three_levels_in_noise(noise):
    """One part in thirty is a word, of seventeen samples a half bit; the rest is silence and its noise."""
    random = np.random.default_rng(3)
    parts = []
    for _ in range(20):
        parts += [np.zeros(16_000), np.repeat(random.choice([-0.6, 0.6], 32), 17)]
    samples = Samples((np.concatenate(parts) + random.normal(0, noise * 0.6, 20 * 16_544)).astype(np.float32), 96_000)
    said = suggest_levels(level_histogram(samples))
    assert said.middle == pytest.approx(0, abs=0.05)
    assert (said.below, said.above) == pytest.approx((-0.3, 0.3), abs=0.03)


def test_noise_alone_and_noise_before_a_line_are_no_third_level():
    random = np.random.default_rng(5)
    alone = Samples(random.normal(0, 0.2, 200_000).astype(np.float32), 96_000)
    assert suggest_levels(level_histogram(alone)).below is None
    bits = np.repeat(random.integers(0, 2, 4000) * 2.0 - 1.0, 15)
    begins = np.concatenate([np.zeros(40_000), bits]) + random.normal(0, 0.1, 100_000)
    assert suggest_levels(level_histogram(Samples(begins.astype(np.float32), 96_000))).below is None


def test_rise_time_and_edge_rate_are_measured():
    """A line through one pole takes 2.197 time constants from one tenth to nine tenths."""
    constant, rate = 1e-6, 50e6
    time = np.arange(2500) / rate
    rise = 3.3 * (1 - np.exp(-time / constant))
    values = np.tile(np.concatenate([rise, 3.3 - rise]), 20).astype(np.float32)
    samples = Samples(values, rate)
    suggestion = suggest_levels(level_histogram(samples))
    facts = measure_levels(samples, find_edges(samples, 1.65, 0.3), suggestion)
    assert facts.rise_ns == pytest.approx(2197, rel=0.05) and facts.fall_ns == pytest.approx(2197, rel=0.05)
    assert facts.edges_per_s == pytest.approx(20_000, rel=0.05)


def test_no_samples_suggest_nothing_and_do_no_harm():
    empty = Samples(np.empty(0, np.float32), 1e6)
    assert "no samples" in suggest_levels(level_histogram(empty)).reason
    assert len(find_edges(empty, 1.0)) == 0
    flat = Samples(np.full(100, np.nan, np.float32), 1e6)
    assert "no samples" in suggest_levels(level_histogram(flat)).reason
