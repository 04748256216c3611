"""Edges and samples: glitches, parts, and reductions to screen columns against plain NumPy."""

import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.lines.drawing import drawn
from zesty_abacus.core.waves.edges import Edges
from zesty_abacus.core.waves.samples import BLOCK, Samples

toggles = st.lists(st.integers(1, 50), max_size=40).map(lambda steps: np.cumsum(steps).astype(np.int64))


def test_the_first_part_of_a_line_has_no_more_changes_than_asked_for():
    line = drawn("_-_-_-_")
    assert len(line) == 6
    for changes in range(9):
        part = line.first_part(changes)
        assert part.time_ns.tolist() == line.time_ns[:changes].tolist() and part.first == line.first


@given(toggles, st.integers(0, 1))
def test_levels_alternate_and_turn(times, first):
    line = Edges.of_toggles(times, first, 0, 3000)
    levels = [first, *line.level.tolist()]
    assert all(a != b for a, b in itertools.pairwise(levels))
    assert line.inverted().inverted().level.tolist() == line.level.tolist()
    for time in (0, 7, 500, 3000):
        assert line.level_at(time) == levels[int(np.searchsorted(times, time, side="right"))]


@given(toggles, st.integers(0, 1), st.integers(0, 60))
def test_without_glitches_no_pulse_is_shorter(times, first, shortest):
    line = Edges.of_toggles(times, first, 0, 3000).without_glitches(shortest)
    assert (line.widths() >= shortest).all()
    levels = [line.first, *line.level.tolist()]
    assert all(a != b for a, b in itertools.pairwise(levels))
    assert set(line.time_ns.tolist()) <= set(times.tolist())


def test_a_glitch_goes_with_both_its_edges():
    line = drawn("____-____----_----____", 100)
    cleaned = line.without_glitches(150)
    assert cleaned.time_ns.tolist() == [900, 1800] and cleaned.level.tolist() == [1, 0]


def test_a_bipolar_line_keeps_its_signs():
    line = drawn("__--..-_", 100)
    assert line.inverted().level.tolist() == [-1, 1, -1, 0]
    assert line.without_glitches(150).level.tolist() == [1, -1, 0]


@given(toggles, st.integers(0, 1), st.integers(0, 2000), st.integers(1, 500), st.integers(1, 30))
def test_columns_hold_every_level_seen(times, first, begin, span, columns):
    line = Edges.of_toggles(times, first, 0, 3000)
    low, high = line.columns(begin, begin + span, columns)
    bounds = begin + (np.arange(columns + 1) * (span / columns)).astype(np.int64)
    for n in range(columns):
        seen = [line.level_at(int(t)) for t in range(int(bounds[n]), int(bounds[n + 1]) + 1)]
        assert low[n] == min(seen) and high[n] == max(seen)


def test_a_part_of_a_line_begins_at_its_level():
    line = drawn("__--__--__", 100)
    part = line.between(250, 650)
    assert (part.first, part.time_ns.tolist(), part.begin_ns, part.end_ns) == (1, [400, 600], 250, 650)


@pytest.mark.parametrize("count", [1, 100, BLOCK, BLOCK * 3 + 7, BLOCK * BLOCK + 1000])
@pytest.mark.parametrize("dtype", [np.int16, np.float32, np.uint8])
def test_the_pyramid_loses_no_spike(count, dtype):
    rng = np.random.default_rng(count)
    values = rng.integers(0, 100, count).astype(dtype)
    values[rng.integers(0, count)] = 250 if dtype == np.uint8 else 3000
    samples = Samples(values, 1e9, scale=0.5, offset=1.0).with_ranges()
    for first, last, columns in ((0, count, 7), (0, count, 1), (count // 3, count // 2 + 2, 5)):
        low, high = samples.columns(first, last, columns)
        bounds = first + (np.arange(columns + 1) * ((last - first) / columns)).astype(np.int64)
        for n in range(columns):
            part = values[max(bounds[n] - 1, 0) : min(bounds[n + 1], count)].astype(float) * 0.5 + 1
            if len(part) and bounds[n] < count and bounds[n + 1] > 0:
                assert (low[n], high[n]) == (part.min(), part.max())


def test_columns_beyond_the_samples_are_empty():
    samples = Samples(np.ones(100, np.float32), 1e9).with_ranges()
    low, _ = samples.columns(200, 300, 4)
    assert np.isnan(low).all()
    turned = Samples(np.array([1, 2, 3], np.float32), 1e9, scale=-1.0).with_ranges()
    low, high = turned.columns(0, 3, 1)
    assert (low[0], high[0]) == (-3, -1)


def test_times_and_places_are_inverse():
    samples = Samples(np.zeros(1000, np.float32), 44_100.0, begin_ns=500)
    times = np.array([samples.time_of(n) for n in range(0, 1000, 37)])
    assert samples.indexes_of(times).tolist() == list(range(0, 1000, 37))
    uneven = Samples(np.zeros(4, np.float32), 1.0, stamps_ns=np.array([0, 10, 11, 50]))
    assert uneven.indexes_of(np.array([10, 12])).tolist() == [1, 3] and uneven.time_of(2.5) == 30
