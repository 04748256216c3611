import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import frame_tables
from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.decimate import Curve, lane_density


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
