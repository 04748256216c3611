"""Rows of text against readers of other hands: Python's csv and json."""

import csv
import io
import json
import math
import struct

import numpy as np
import pyarrow as pa
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.handover import block as block_module
from zesty_abacus.core.handover import cell_text
from zesty_abacus.core.handover.block import Block, SparseBlock
from zesty_abacus.core.handover.cell_text import text_of
from zesty_abacus.core.handover.forms import csv as csv_form
from zesty_abacus.core.handover.forms import json_lines
from zesty_abacus.core.kernels.cells import PLUS, split_decimals

TEXTS = st.text(st.characters(exclude_categories=["Cs"]), max_size=8)
INT64 = st.integers(-(2**63), 2**63 - 1)
UINT64 = st.integers(0, 2**64 - 1)
DECIMALS = st.builds(lambda digits, places: digits / 10**places, st.integers(-(10**17), 10**17), st.integers(0, 16))
FLOATS = st.floats() | DECIMALS | st.sampled_from([0.0, -0.0, 1e15, 2.0**53, 1e-5, 9.999e-6, 5e-324, 0.1 + 0.2])
SCHEMA = pa.schema(
    [
        ("whole", pa.int64()),
        ("un,signed", pa.uint64()),
        ("small", pa.uint32()),
        ("raw", pa.decimal128(20, 0)),
        ("value", pa.float64()),
        ("text", pa.string()),
        ('"word"', pa.string()),
    ]
)


def cells(values):
    return st.none() | values


ROWS = st.lists(
    st.tuples(
        cells(INT64), cells(UINT64), cells(st.integers(0, 2**32 - 1)), cells(INT64 | UINT64), cells(FLOATS),
        cells(TEXTS), cells(st.sampled_from(["", "a", "b,c", 'say "x"', "two\nlines", "tab\t", "é😀", "\\"])),
    ),
    min_size=1, max_size=12,
)  # fmt: skip


def block_of(rows, left_out=()):
    """Return a block with its last column as a dictionary, and some columns left out."""
    arrays = [pa.array(list(column), field.type) for column, field in zip(zip(*rows, strict=True), SCHEMA, strict=True)]
    arrays[-1] = arrays[-1].dictionary_encode()
    return Block(SCHEMA, len(rows), {n: array for n, array in enumerate(arrays) if n not in left_out})


def written(form, block):
    return (form.head(SCHEMA) + b"".join(text_of(block, form.style))).decode()


def same_float(text, value):
    return struct.pack("d", float(text)) == struct.pack("d", value) or (math.isnan(float(text)) and math.isnan(value))


@given(ROWS, st.sets(st.integers(0, 6), max_size=6), st.integers(1, 5))
def test_csv_says_what_the_rows_hold(rows, left_out, at_a_time):
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(cell_text, "_PIECE_BYTES", at_a_time)
        text = written(csv_form.FORM, block_of(rows, left_out))
    found = list(csv.reader(io.StringIO(text, newline="")))
    assert found[0] == SCHEMA.names and len(found) == len(rows) + 1
    for cells_found, row in zip(found[1:], rows, strict=True):
        for number, (cell, value) in enumerate(zip(cells_found, row, strict=True)):
            if value is None or number in left_out:
                assert cell == ""
            elif number == 4:
                assert same_float(cell, value)
            else:
                assert cell == str(value)


@given(ROWS, st.sets(st.integers(0, 6), max_size=6))
def test_json_lines_say_what_the_rows_hold(rows, left_out):
    lines = written(json_lines.FORM, block_of(rows, left_out)).split("\n")
    assert lines.pop() == ""
    for line, row in zip(lines, rows, strict=True):
        found = json.loads(line)
        assert list(found) == SCHEMA.names
        for number, (cell, value) in enumerate(zip(found.values(), row, strict=True)):
            if value is None or number in left_out or (number == 4 and math.isnan(value)):
                assert cell is None
            elif number == 4:
                assert isinstance(cell, float) and same_float(cell, value)
            else:
                assert cell == value and type(cell) is type(value)


@example([1.00001e-05, 595006.830869])
@given(st.lists(DECIMALS, min_size=1, max_size=20))
def test_decimals_have_as_few_digits_as_say_them(values):
    array = np.array(values)
    digits, places, state = split_decimals(array, np.ones(len(array), np.uint8))
    for value, whole, place, kind in zip(array.tolist(), digits.tolist(), places.tolist(), state, strict=True):
        if kind != PLUS:
            continue
        shortest = repr(value).removesuffix(".0")
        if "e" not in shortest and len(shortest.replace(".", "").lstrip("0")) <= 15:
            figures = f"{whole:0{place + 1}d}"
            assert (f"{figures[:-place]}.{figures[-place:]}" if place else figures) == shortest


def test_columns_left_out_are_nothing_in_every_row():
    block = Block(SCHEMA, 2, {4: pa.array([0.5, 2.0])})
    assert written(csv_form.FORM, block).split("\n")[1:] == [",,,,0.5,,", ",,,,2,,", ""]
    assert json.loads(written(json_lines.FORM, block).split("\n")[1])["value"] == 2.0
    assert block.table().to_pylist()[1] == dict.fromkeys(SCHEMA.names) | {"value": 2.0}


WIDE = pa.schema([("time_ns", pa.int64()), *((f"m.{n}", pa.float64()) for n in range(4)), ("m.word", pa.string())])
SPARSE_ROWS = st.lists(
    st.dictionaries(st.integers(1, 4), FLOATS, max_size=3).flatmap(
        lambda cells: st.sampled_from([{}, {5: "ahead"}, {5: "a,b"}]).map(lambda word: {**cells, **word})
    ),
    min_size=1,
    max_size=8,
)


@given(SPARSE_ROWS, st.sampled_from([csv_form.FORM, json_lines.FORM]), st.integers(1, 3))
def test_rows_kept_by_cell_read_like_rows_kept_by_column(rows, form, at_a_time):
    head = Block(WIDE, len(rows), {0: pa.array(range(len(rows)), pa.int64())})
    cells = [(place, value) for row in rows for place, value in sorted(row.items())]
    words = sorted({value for _, value in cells if isinstance(value, str)})
    block = SparseBlock(
        head, np.cumsum([0, *map(len, rows)]), np.array([place for place, _ in cells], np.int32),
        np.array([0.0 if isinstance(value, str) else value for _, value in cells]),
        np.array([words.index(value) if isinstance(value, str) else -1 for _, value in cells], np.int32),
        pa.array(words, pa.string()),
    )  # fmt: skip
    with pytest.MonkeyPatch.context() as patch:
        patch.setattr(cell_text, "_PIECE_BYTES", 30 * at_a_time)
        patch.setattr(block_module, "_TABLE_CELLS", 6 * at_a_time)
        tables = list(block.tables())
        sparse = b"".join(text_of(block, form.style))
        dense = b"".join(piece for table in tables for piece in text_of(Block.of(table), form.style))
    assert sparse == dense and sum(table.num_rows for table in tables) == len(rows)
    if form is json_lines.FORM:
        for line, row in zip(sparse.splitlines(), rows, strict=True):
            found = json.loads(line)
            for place, name in enumerate(WIDE.names[1:], 1):
                value = row.get(place)
                if value is None or (isinstance(value, float) and math.isnan(value)):
                    assert found[name] is None
                else:
                    assert found[name] == value
