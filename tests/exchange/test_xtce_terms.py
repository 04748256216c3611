"""Comparisons and sums as files of space systems write them: which raw values they hold for, and what they say."""

from __future__ import annotations

from fractions import Fraction

import pytest
from lxml.etree import fromstring

from zesty_abacus.core.exchange.result import CannotCarryError
from zesty_abacus.core.exchange.xtce_terms import adjustment, common, compared, linear
from zesty_abacus.core.layouts.model import FieldKind, NamedValue, RawSet, new_field
from zesty_abacus.core.layouts.places import parse_places as at

LEVEL = new_field("level", at("B0"), ratio=Fraction(1, 2), offset=Fraction(-10))
MODE = new_field("mode", at("B0"), FieldKind.NAMES, names=(NamedValue(0, "off"), NamedValue(3, "ahead", 5)))


def spans(field, **attributes):
    words = " ".join(f'{name}="{value}"' for name, value in attributes.items())
    return list(compared(fromstring(f"<Comparison {words}/>"), field).spans)


@pytest.mark.parametrize(("operator", "held"), [
    ("==", [(40, 40)]), ("!=", [(0, 39), (41, 255)]), ("&lt;", [(0, 39)]), ("&lt;=", [(0, 40)]), (">", [(41, 255)]),
    (">=", [(40, 255)]),
])  # fmt: skip
def test_a_comparison_holds_for_the_raw_values_that_it_means(operator, held):
    """Of a value of 10 at half a unit a step from −10 on: raw 40."""
    assert spans(LEVEL, value="10", comparisonOperator=operator) == held
    assert spans(LEVEL, value="40", comparisonOperator=operator, useCalibratedValue="false") == held


def test_without_an_operator_it_is_equality_and_at_an_end_nothing_is_left():
    assert spans(LEVEL, value="10") == [(40, 40)]
    assert spans(LEVEL, value="0", comparisonOperator="&lt;", useCalibratedValue="false") == []
    assert spans(LEVEL, value="255", comparisonOperator=">", useCalibratedValue="false") == []


def test_labels_stand_for_all_their_values_and_words_of_truth_for_one_and_none():
    assert spans(MODE, value="ahead") == [(3, 5)] and spans(MODE, value="off") == [(0, 0)]
    flag = new_field("flag", at("B0[0]"), FieldKind.FLAG)
    assert spans(flag, value="true") == spans(flag, value="TRUE") == [(1, 1)]
    assert spans(flag, value="False") == [(0, 0)]


@pytest.mark.parametrize(("attributes", "said"), [
    ({"value": "10.25"}, "the value 10.25 of its condition is between two raw values."),
    ({"value": "a lot"}, "'a lot' is no number."),
    ({"value": "10", "comparisonOperator": "~"}, "the comparison ~ is not known."),
])  # fmt: skip
def test_what_no_raw_value_is_like_is_refused(attributes, said):
    with pytest.raises(CannotCarryError) as raised:
        spans(LEVEL, **attributes)
    assert str(raised.value) == said


def test_what_two_conditions_have_in_common():
    first, second = RawSet([(0, 4), (10, 20)]), RawSet([(4, 12), (20, 30)])
    assert list(common(first, second).spans) == [(4, 4), (10, 12), (20, 20)]
    assert list(common(RawSet([(0, 3)]), RawSet([(4, 9)])).spans) == []


@pytest.mark.parametrize(("slope", "intercept", "said"), [
    (1, 0, "n"), (8, 0, "n * 8"), (1, -2, "n + -2"), (8, 16, "n * 8 + 16"), (0, 5, "n * 0 + 5"),
])  # fmt: skip
def test_a_length_is_said_as_an_expression(slope, intercept, said):
    assert linear("n", slope, intercept) == said


@pytest.mark.parametrize(("inner", "found"), [
    ("", (1, 0)), ("<LinearAdjustment/>", (1, 0)), ('<LinearAdjustment slope="8"/>', (8, 0)),
    ('<LinearAdjustment intercept="-16" slope="8.0"/>', (8, -16)),
])  # fmt: skip
def test_what_a_told_length_is_multiplied_by(inner, found):
    assert adjustment(fromstring(f"<DynamicValue>{inner}</DynamicValue>")) == found


@pytest.mark.parametrize("inner", ['<LinearAdjustment slope="0.5"/>', '<LinearAdjustment intercept="1.5"/>'])
def test_a_length_in_fractions_is_refused(inner):
    with pytest.raises(CannotCarryError, match="in fractions"):
        adjustment(fromstring(f"<DynamicValue>{inner}</DynamicValue>"))
