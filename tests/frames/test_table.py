"""Tables of frames chosen, ordered, joined and made compact, against what a few plain lines say."""

from __future__ import annotations

import dataclasses

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import DataError
from zesty_abacus.core.frames.table import COLUMN_DTYPES, FrameTable

frames = st.lists(
    st.tuples(
        st.integers(0, 5), st.integers(0, 3), st.integers(0, 2**29), st.integers(0, 2**24), st.binary(max_size=9)
    ),
    max_size=12,
)


def table_of(rows, gap=b"", payload=b""):
    """Return a table whose bytes lie behind some that are nobody's."""
    if not rows:
        return FrameTable.empty()
    start, data = [], payload
    for *_, own in rows:
        data += gap
        start.append(len(data))
        data += own
    columns = zip(*[(*row[:4], at, len(row[4])) for row, at in zip(rows, start, strict=True)], strict=True)
    made = {name: np.array(column, dtype) for (name, dtype), column in zip(COLUMN_DTYPES.items(), columns, strict=True)}
    table = FrameTable(**made, payload=np.frombuffer(data, np.uint8))
    table.check()
    return table


def told(table):
    table.check()
    columns = table.time_ns.tolist(), table.lane.tolist(), table.address.tolist(), table.flags.tolist()
    return [(*row, table.payload_of(n)) for n, row in enumerate(zip(*columns, strict=True))]


@given(frames, st.binary(max_size=3), st.data())
def test_frames_are_chosen_ordered_and_freed_of_other_bytes(rows, gap, data):
    table = table_of(rows, gap, b"begin")
    some = data.draw(st.lists(st.integers(0, len(rows) - 1), max_size=15)) if rows else []
    chosen = table.chosen(np.array(some, np.int64))
    assert told(chosen) == [rows[n] for n in some] and chosen.payload is table.payload
    assert told(table.by_time()) == sorted(rows, key=lambda row: row[0])
    compact = chosen.compact()
    assert told(compact) == told(chosen)
    assert compact.payload.tobytes() == b"".join(rows[n][4] for n in some)


@given(st.lists(frames, max_size=4), st.binary(max_size=2))
def test_tables_are_joined_with_bytes_in_common_once(many, gap):
    tables = [table_of(rows, gap) for rows in many]
    assert told(FrameTable.joined(tables)) == [row for rows in many for row in rows]
    twice = FrameTable.joined([one for table in tables for one in (table, table.by_time())])
    assert sorted(told(twice)) == sorted(row for rows in many for row in (*rows, *rows))
    assert len(twice.payload) <= sum(len(table.payload) for table in tables)


@pytest.mark.parametrize(
    ("start", "size", "lies_inside"),
    [(0, 10, True), (7, 3, True), (10, 0, True), (7, 4, False), (11, 0, False), (-1, 1, False), (0, 11, False),
     (5, 2**32 - 1, False), (2**63 - 1, 1, False)],
)  # fmt: skip
def test_no_frame_points_outside_the_payload(start, size, lies_inside):
    table = table_of([(0, 0, 0, 0, b"12345"), (1, 0, 0, 0, b"67890")])
    table = dataclasses.replace(table, start=np.array([0, start], np.int64), size=np.array([5, size], np.uint32))
    if lies_inside:
        table.check()
    else:
        with pytest.raises(DataError, match="points outside the 10 payload bytes"):
            table.check()


def test_columns_of_unlike_length_are_told():
    table = table_of([(0, 0, 0, 0, b"1")])
    with pytest.raises(DataError, match="'lane': 2"):
        dataclasses.replace(table, lane=np.zeros(2, np.uint16)).check()
