import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import frame_tables
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.decimate import Curve
from zesty_abacus.core.frames.density import lane_density


@pytest.mark.parametrize("rows", [0, 1, 256, 257, 2000])
@given(st.integers(0, 2**32 - 1), st.integers(1, 30))
def test_columns_keep_every_extreme(rows, seed, columns):
    random = np.random.default_rng(seed)
    times = np.sort(random.integers(0, 5000, rows))
    values = random.normal(size=rows)
    values[random.random(rows) < 0.2] = np.nan
    curve = Curve.build(times, values)
    first, last = sorted(random.integers(0, 5500, 2) - 200)
    found = curve.columns(int(first), int(last), columns)
    edges = first + (np.arange(columns + 1) * (max(last - first, 1) / columns)).astype(np.int64)
    for column in range(columns):
        inside = values[(times >= edges[column]) & (times < edges[column + 1])]
        good = inside[~np.isnan(inside)]
        if len(good):
            assert (found.low[column], found.high[column]) == (good.min(), good.max())
        else:
            assert np.isnan(found.low[column]) and np.isnan(found.high[column])
        if len(inside):
            assert np.array_equal([found.first[column], found.last[column]], inside[[0, -1]], equal_nan=True)


def test_range_and_value_at_a_time():
    curve = Curve.build(np.array([10, 20, 30]), np.array([1.0, np.nan, -4.0]))
    assert curve.value_range() == (-4.0, 1.0)
    assert np.isnan(curve.at(9)) and curve.at(10) == 1.0 and curve.at(1000) == -4.0
    assert all(np.isnan(Curve.build(np.array([1]), np.array([np.nan])).value_range()))


@given(frame_tables(), st.integers(1, 50))
def test_density_counts_every_frame_once(table, columns):
    capture = Capture.from_table(table, (Lane("a"), Lane("b")))
    counts = lane_density(capture, columns)
    assert counts.shape == (2, columns)
    assert list(counts.sum(axis=1)) == [(table.lane == lane).sum() for lane in range(2)]


def test_a_line_is_connected_from_column_to_column():
    times, values = np.arange(100) * 10, np.sin(np.arange(100) / 5) * 50
    low, high = Curve.build(times, values).columns(0, 1000, 37).band()
    assert not np.isnan(low).any()
    assert (low[1:] <= high[:-1] + 1e-9).all() and (high[1:] >= low[:-1] - 1e-9).all(), "neighbours touch"


def test_sparse_values_hold_and_missing_ones_break_the_line():
    curve = Curve.build(np.array([5, 50, 95]), np.array([1.0, 3.0, 2.0]))
    low, high = curve.columns(0, 100, 20).band()
    assert np.isnan(low[0]) and list(low[1:10]) == [1.0] * 9 and (low[10], high[10]) == (1.0, 3.0)
    assert list(high[11:19]) == [3.0] * 8 and (low[19], high[19]) == (2.0, 3.0)
    broken = Curve.build(np.array([5, 50, 95]), np.array([1.0, np.nan, 2.0]))
    low, _ = broken.columns(0, 100, 20).band()
    assert np.isnan(low[2:19]).all() and low[1] == 1.0 and low[19] == 2.0
    inside = curve.columns(10, 40, 6).band()
    assert np.isnan(inside[0]).sum() == 0, "the value from before the view goes on through it"


@given(st.integers(0, 2**32 - 1), st.integers(2, 60))
def test_a_band_never_loses_a_spike(seed, columns):
    random = np.random.default_rng(seed)
    times = np.sort(random.integers(0, 1000, 300))
    curve = Curve.build(times, random.normal(size=300))
    found = curve.columns(0, 1000, columns)
    low, high = found.band()
    good = ~np.isnan(found.low)
    assert (low[good] <= found.low[good]).all() and (high[good] >= found.high[good]).all()
    assert np.nanmin(low) == curve.value_range()[0] and np.nanmax(high) == curve.value_range()[1]
