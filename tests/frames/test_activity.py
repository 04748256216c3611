import itertools

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.strategies import frame_tables
from zesty_abacus.core.frames import activity
from zesty_abacus.core.frames.activity import BitHistory, capture_activity, kind_activity
from zesty_abacus.core.frames.capture import Capture, Lane

LANES = (Lane("a"), Lane("b"))


@given(frame_tables())
def test_flips_and_ones_agree_with_counting_by_hand(table):
    capture = Capture.from_table(table, LANES)
    for kind, found in enumerate(capture_activity(capture)):
        payloads = [capture.frames.at(int(row)).payload for row in capture.kinds.rows(kind)]
        assert found.frames == len(payloads) and found.size == max(map(len, payloads))
        for bit in range(found.size * 8):
            values = [p[bit // 8] >> bit % 8 & 1 if bit // 8 < len(p) else None for p in payloads]
            assert found.ones[bit] == sum(value == 1 for value in values)
            pairs = itertools.pairwise(values)
            assert found.flips[bit] == sum(None not in pair and pair[0] != pair[1] for pair in pairs)


def test_results_do_not_depend_on_the_chunk(monkeypatch):
    random = np.random.default_rng(2)
    from tests.frames.test_store import small_table

    table = small_table(tuple(range(5000)))
    table = type(table)(table.time_ns, table.lane, table.address * 0, table.flags, table.start, table.size,
                        random.integers(0, 256, 5000, dtype=np.uint8))  # fmt: skip
    capture = Capture.from_table(table, LANES)
    whole = kind_activity(capture, 0)
    for chunk in (1, 7, 1024):
        monkeypatch.setattr(activity, "_CHUNK", chunk)
        part = kind_activity(capture, 0)
        assert (part.flips == whole.flips).all() and (part.ones == whole.ones).all()


@pytest.mark.parametrize("rows", [0, 1, 255, 256, 257, 3000])
@given(st.integers(0, 2**32 - 1), st.integers(1, 40))
def test_history_is_the_share_of_ones_whatever_the_zoom(rows, seed, columns):
    random = np.random.default_rng(seed)
    times = np.sort(random.integers(0, 1000, rows))
    matrix = random.integers(0, 256, (rows, 8), dtype=np.uint8)
    first, last = sorted(random.integers(0, 1200, 2) - 100)
    picture = BitHistory.build(times, matrix).picture(int(first), int(last), columns, 2)
    edges = first + (np.arange(columns + 1) * (max(last - first, 1) / columns)).astype(np.int64)
    for column in range(columns):
        inside = (times >= edges[column]) & (times < edges[column + 1])
        if not inside.any():
            before = np.flatnonzero(times < edges[column])
            inside = np.isin(np.arange(rows), before[-1:])
        for bit in (0, 7, 11):
            shown = picture[bit // 8 * 8 + 7 - bit % 8, column]
            if not inside.any():
                assert np.isnan(shown)
            else:
                share = (matrix[inside, bit // 8] >> bit % 8 & 1).mean()
                assert shown == pytest.approx(share, abs=1e-6)
