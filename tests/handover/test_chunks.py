"""In which pieces tables leave: few enough rows to hold, enough of a kind to be worth a call."""

from types import SimpleNamespace

import pyarrow as pa
import pytest

from zesty_abacus.core.handover.block import Block
from zesty_abacus.core.handover.chunks import chunks_of, threads_for


class Order:
    """An order of frames that tells how many it was asked for at once."""

    def __len__(self):
        return 7

    def chunks(self, first, last, rows):
        yield first, last, rows


def capture_of(kinds):
    made = SimpleNamespace(order=Order(), kinds=SimpleNamespace(keys=range(kinds)))
    return type("Made", (SimpleNamespace,), {"__len__": lambda self: 7})(**vars(made))


@pytest.mark.parametrize(
    ("kinds", "rows"),
    [(1, 20_000), (800, 20_000), (801, 20_025), (2_000, 50_000), (4_000, 100_000), (9_000, 100_000)],
)
def test_a_chunk_has_so_many_rows_of_each_kind_within_its_bounds(kinds, rows):
    assert list(chunks_of(capture_of(kinds), None)) == [(0, 7, rows)]


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
