"""Where a mark stands first in stretches of frames, against Python's own search."""

import numpy as np
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.kernels.stretches import find_end

frames = st.lists(st.text("ab", min_size=6, max_size=6), min_size=1, max_size=4)


@given(frames, st.text("ab", min_size=1, max_size=3), st.data())
def test_a_mark_is_found_where_all_of_it_lies_in_the_stretch(payloads, mark, data):
    matrix = np.array([list(payload.encode()) for payload in payloads], np.uint8)
    rows = data.draw(st.lists(st.integers(0, len(payloads) - 1), min_size=1, max_size=6))
    starts = [data.draw(st.integers(-2, 7)) for _ in rows]
    limits = [data.draw(st.integers(-1, 9)) for _ in rows]
    found = find_end(
        matrix, np.array(rows), np.array(starts), np.array(limits), np.frombuffer(mark.encode(), np.uint8)
    )  # fmt: skip
    wanted = [payloads[row].find(mark, max(start, 0), max(limit, 0))
              for row, start, limit in zip(rows, starts, limits, strict=True)]  # fmt: skip
    assert found.tolist() == wanted
