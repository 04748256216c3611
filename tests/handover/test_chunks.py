"""In which pieces tables leave: few enough rows to hold, enough of a kind to be worth a call."""

from types import SimpleNamespace

import numpy as np
import pyarrow as pa
import pytest

from zesty_abacus.core.handover.block import Block
from zesty_abacus.core.handover.chunks import CHUNK_BYTES, chunks_of, threads_for


class Order:
    """An order of frames that keeps how many it was asked for at once."""

    def __init__(self, count):
        self.count, self.asked = count, []

    def __len__(self):
        return self.count

    def chunks(self, first, last, rows):
        self.asked.append((first, last, rows))
        yield np.arange(first, last, dtype=np.uint32)


class Recorded:
    """As much of a capture as is asked which frames leave."""

    def __init__(self, kinds, sizes):
        self.order = Order(len(sizes))
        self.kinds = SimpleNamespace(keys=range(kinds))
        self.frames = SimpleNamespace(sizes=lambda rows: np.array(sizes, np.uint32)[rows])

    def __len__(self):
        return len(self.order)


def capture_of(kinds, sizes=(8,) * 7):
    return Recorded(kinds, sizes)


@pytest.mark.parametrize(
    ("kinds", "rows"),
    [(1, 20_000), (800, 20_000), (801, 20_025), (2_000, 50_000), (4_000, 100_000), (9_000, 100_000)],
)
def test_a_chunk_has_so_many_rows_of_each_kind_within_its_bounds(kinds, rows):
    capture = capture_of(kinds)
    assert [chunk.tolist() for chunk in chunks_of(capture, None)] == [list(range(7))]
    assert capture.order.asked == [(0, 7, rows)]


@pytest.mark.parametrize(
    ("sizes", "pieces"),
    [
        ([CHUNK_BYTES - 8, 8, 8], [[0, 1], [2]]),
        ([CHUNK_BYTES - 8, 9, 8], [[0], [1, 2]]),
        ([CHUNK_BYTES + 1, 0, 8], [[0], [1, 2]]),
        ([8, CHUNK_BYTES + 1, CHUNK_BYTES + 1, 0], [[0], [1], [2], [3]]),
        ([0, 0, 0], [[0, 1, 2]]),
        ([], []),
    ],
)
def test_a_chunk_has_no_more_bytes_than_can_be_held_but_a_frame_is_never_cut(sizes, pieces):
    assert [chunk.tolist() for chunk in chunks_of(capture_of(1, sizes), np.arange(len(sizes)))] == pieces


@pytest.mark.parametrize(("kinds", "threads"), [(1, None), (100, None), (101, 1), (2_000, 1), (9_000, 1)])
def test_what_is_mostly_calls_is_done_on_one_thread(kinds, threads):
    assert threads_for(capture_of(kinds)) == threads


@pytest.mark.parametrize(
    ("rows", "pieces"),
    [(0, [0]), (1, [1]), (131_072, [131_072]), (131_073, [65_537, 65_536]), (400_000, [100_000] * 4)],
)
def test_a_block_becomes_tables_of_much_the_same_size(rows, pieces):
    schema = pa.schema([("count", pa.int64()), ("word", pa.string())])
    words = pa.DictionaryArray.from_arrays(pa.array([1] * rows, pa.int32()), pa.array(["no", "yes"]))
    tables = list(Block.named(schema, rows, {"count": pa.array(range(rows), pa.int64()), "word": words}, rows).tables())
    assert [len(table) for table in tables] == pieces
    whole = pa.concat_tables(tables)
    assert whole.schema == schema and whole.column("count").to_pylist() == list(range(rows))
    assert set(whole.column("word").to_pylist()) <= {"yes"}
