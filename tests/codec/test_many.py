"""What is done to whole columns at once, against the same done one by one."""

from __future__ import annotations

from fractions import Fraction

import numpy as np
import pytest

from zesty_abacus.core.codec.columns import CheckColumn, CheckState, FieldColumn, Validity, join_columns
from zesty_abacus.core.codec.encode import raw_column, raw_of
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.model import FieldKind, NamedValue, new_field
from zesty_abacus.core.layouts.places import parse_places as at

KINDS = [FieldKind.UNSIGNED, FieldKind.SIGNED, FieldKind.SIGN_MAGNITUDE, FieldKind.ONES_COMPLEMENT, FieldKind.GRAY]


@pytest.mark.parametrize("kind", KINDS, ids=lambda kind: kind.value)
@pytest.mark.parametrize(("ratio", "offset"), [("1", "0"), ("1/4", "-10"), ("3", "7"), ("-2", "1")])
@pytest.mark.parametrize("inverted", [False, True])
def test_many_values_get_the_bits_that_each_gets(kind, ratio, offset, inverted):
    field = new_field("a", at("B0"), kind, ratio=Fraction(ratio), offset=Fraction(offset), inverted=inverted)
    low, high = field.raw_range()
    values = [raw * field.ratio + field.offset for raw in range(low, high + 1)]
    found = raw_column(field, np.array([float(value) for value in values]))
    assert found.tolist() == [raw_of(field, value)[0] for value in values]


def test_many_values_are_rounded_and_held_at_the_ends():
    field = new_field("a", at("B0"), ratio=Fraction(1, 2), offset=Fraction(-5))
    assert raw_column(field, np.array([-100.0, -4.8, -4.7, 0.0, 1000.0])).tolist() == [0, 0, 1, 10, 255]
    wide = new_field("w", at("B0..B7"))
    assert raw_column(wide, np.array([2**64 - 1, 0], np.uint64)).tolist() == [2**64 - 1, 0]
    half = new_field("f", at("B0 B1"), FieldKind.FLOAT, ratio=Fraction(2), offset=Fraction(1), inverted=True)
    assert raw_column(half, np.array([3.0])).tolist() == [0x3C00 ^ 0xFFFF]


@pytest.mark.parametrize("settings", [{"kind": FieldKind.BCD}, {"polynomial": (Fraction(1), Fraction(2))}])
def test_what_goes_one_at_a_time_is_refused(settings):
    with pytest.raises(MisuseError, match="one value at a time"):
        raw_column(new_field("a", at("B0"), **settings), np.array([1.0]))


def text_column(*texts, padding="\0"):
    width = max(map(len, texts))
    content = np.zeros((len(texts), width), np.uint8)
    for row, text in enumerate(texts):
        content[row, : len(text)] = list(text.encode())
    lengths = np.array([len(text) for text in texts])
    field = new_field("t", at("B0"), FieldKind.TEXT, padding=padding)
    return FieldColumn(field, None, None, content, np.zeros(len(texts), np.uint8), lengths)


def test_each_different_text_is_read_once():
    column = text_column("ab", "c", "ab", "", "abc", "c")
    texts, which = column.distinct_texts(np.array([0, 1, 2, 3, 4, 5]))
    assert sorted(texts) == ["", "ab", "abc", "c"]
    assert [texts[number] for number in which] == ["ab", "c", "ab", "", "abc", "c"]
    texts, which = column.distinct_texts(np.array([5, 2]))
    assert [texts[number] for number in which] == ["c", "ab"]
    nothing = text_column("", "")
    assert nothing.distinct_texts(np.array([0, 1])) == ([""], pytest.approx(np.zeros(2)))


def test_texts_of_one_content_and_different_lengths_are_not_the_same():
    column = text_column("a\0", "a", padding="")
    texts, which = column.distinct_texts(np.array([0, 1]))
    assert [texts[number] for number in which] == ["a\0", "a"]


def test_rows_are_taken_spread_and_joined():
    column = text_column("one", "two", "three")
    taken = column.take(np.array([2, 0]))
    assert [taken.text_of(row) for row in range(2)] == ["three", "one"]
    spread = taken.spread(np.array([1, 3]), 5)
    absent = Validity.ABSENT
    assert spread.validity.tolist() == [absent, 0, absent, 0, absent]
    assert (spread.text_of(1), spread.text_of(3)) == ("three", "one")
    joined = join_columns([text_column("a"), text_column("long", "b")])
    assert [joined.text_of(row) for row in range(3)] == ["a", "long", "b"]


def test_labels_are_found_in_spans_and_nowhere_else():
    names = (NamedValue(5, "five"), NamedValue(0, "low", 2), NamedValue(10, "high", 12))
    field = new_field("n", at("B0"), FieldKind.NAMES, names=names)
    raw = np.array([0, 2, 3, 5, 6, 9, 10, 12, 13], np.uint64)
    column = FieldColumn(field, raw, raw, None, np.zeros(9, np.uint8))
    assert column.label_codes().tolist() == [1, 1, -1, 0, -1, -1, 2, 2, -1]


def test_overruling_leaves_what_is_not_there():
    field = new_field("a", at("B0"))
    states = [Validity.GOOD, Validity.ABSENT, Validity.TOO_SHORT, Validity.OUTSIDE_LIMITS]
    raw = np.zeros(4, np.uint64)
    column = FieldColumn(field, raw, raw, None, np.array(states, np.uint8))
    column.overrule(np.array([True, True, True, True]), Validity.CHECK_FAILED)
    assert column.validity.tolist() == [5, 1, 2, 5]
    column.overrule(np.array([True, False, False, False]), Validity.OTHER_SHAPE)
    assert column.validity.tolist() == [8, 1, 2, 5]


def test_a_check_of_parts_agrees_in_a_frame_if_none_of_them_disagrees():
    agrees, disagrees, nothing = CheckState.AGREES, CheckState.DISAGREES, CheckState.NOT_THERE
    column = CheckColumn(None, np.full(4, nothing, np.uint8))
    column.note(np.array([0, 0, 1, 1, 2]), np.array([agrees, agrees, agrees, disagrees, nothing], np.uint8))
    assert column.state.tolist() == [agrees, disagrees, nothing, nothing]
    column.note(np.array([0, 1]), np.array([disagrees, agrees], np.uint8))
    assert column.state.tolist() == [disagrees, disagrees, nothing, nothing]
    assert (column.count(disagrees), column.count(agrees), column.count(nothing)) == (2, 0, 2)
