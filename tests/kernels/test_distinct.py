"""Which values there are among many."""

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st
from hypothesis.extra.numpy import arrays

from zesty_abacus.core.kernels.distinct import numbered

NUMBERS = st.one_of(st.integers(0, 7), st.integers(-(1 << 63), (1 << 63) - 1), st.integers(0, 9).map(lambda n: n << 40))


@given(st.lists(NUMBERS, max_size=200))
def test_any_values_are_numbered_in_the_order_in_which_they_come(values):
    distinct, codes = numbered(np.array(values, np.int64))
    assert distinct.tolist() == list(dict.fromkeys(values))
    assert distinct[codes].tolist() == values if values else not len(codes)


@given(arrays(np.uint16, st.integers(0, 100), elements=st.integers(0, 5)))
def test_shorter_numbers_are_as_good(values):
    distinct, codes = numbered(values)
    assert sorted(distinct.tolist()) == np.unique(values).tolist() and (distinct[codes] == values).all()


@pytest.mark.parametrize("step", [1, 3, 1 << 16, 1 << 32, 1 << 46])
def test_a_hundred_thousand_different_ones_are_found_apart(step):
    values = np.arange(100_000, dtype=np.int64) * step
    distinct, codes = numbered(values)
    assert (distinct == values).all() and (codes == np.arange(100_000)).all()
