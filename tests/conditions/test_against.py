"""Two conditions set against each other, by looking at every pair."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.conditions.against import against
from zesty_abacus.core.conditions.hits import Hits

TIMES = st.lists(st.integers(0, 500), max_size=30).map(sorted)


def hits(times):
    return Hits(np.arange(len(times), dtype=np.uint32), np.array(times, np.int64), None)


@given(TIMES, TIMES, st.integers(0, 60))
def test_it_counts_what_every_pair_says(first, second, within):
    found = against(hits(first), hits(second), within)
    near = [one for one in first if any(abs(one - other) <= within for other in second)]
    back = [one for one in second if any(abs(one - other) <= within for other in first)]
    assert (found.first, found.second) == (len(first), len(second))
    assert (found.first_near, found.second_near) == (len(near), len(back))
    if near:
        lags = [min((other - one for other in second), key=lambda lag: (abs(lag), -lag)) for one in near]
        assert found.lag_ns == int(np.median(lags))
    else:
        assert found.lag_ns == 0
