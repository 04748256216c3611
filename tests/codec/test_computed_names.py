"""Computed values with names, and the word for no value, against plain Python."""

from fractions import Fraction
from uuid import uuid4

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import Validity
from zesty_abacus.core.codec.decode import decode
from zesty_abacus.core.codec.plan import compile_layout
from zesty_abacus.core.codec.wording import value_text
from zesty_abacus.core.expressions.exactly import evaluate_exactly
from zesty_abacus.core.layouts.json_form import layout_from_json, layout_to_json
from zesty_abacus.core.layouts.model import Applies, Computed, Expression, NamedValue, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places as at
from zesty_abacus.core.layouts.validate import check_layout


def decoded(text, payloads, names=(), fields=()):
    computed = Computed(id=uuid4(), name="state", expression=Expression(text), names=names)
    listed = [new_field("a", at("B0")), new_field("b", at("B1")), *fields]
    layout = new_layout("m", Applies(address=1), 2, listed, computed=(computed,))
    assert check_layout(layout) == [] and layout_from_json(layout_to_json(layout)) == layout
    matrix = np.zeros((len(payloads), 64), np.uint8)
    matrix[:, :2] = payloads
    return decode(compile_layout(layout), matrix, np.full(len(payloads), 2, np.uint32))[computed.id]


NAMES = (NamedValue(0, "still"), NamedValue(1, "slow", 3), NamedValue(4, "fast", 255), NamedValue(-1, "astern"))


def test_whole_results_have_names():
    column = decoded("a - b", [[5, 5], [7, 5], [9, 2], [1, 2], [0, 200]], NAMES)
    assert [value_text(column, row) for row in range(4)] == ["still", "slow", "fast", "astern"]
    assert column.value.tolist() == [0, 2, 7, -1, -200] and column.label_codes().tolist() == [0, 1, 2, 3, -1]


def test_a_quotient_has_a_name_where_it_is_whole():
    column = decoded("a / b", [[4, 2], [5, 2], [8, 2]], NAMES)
    assert column.label_codes().tolist() == [1, -1, 2] and column.value.tolist() == [2.0, 2.5, 4.0]
    assert value_text(column, 1).startswith("2.5")


@given(st.lists(st.tuples(st.integers(0, 255), st.integers(0, 255)), min_size=1, max_size=8))
def test_nothing_is_no_value(payloads):
    column = decoded("if(b > 9, a, nothing)", [list(pair) for pair in payloads])
    wanted = [a if b > 9 else None for a, b in payloads]
    known = column.validity == Validity.GOOD
    assert known.tolist() == [value is not None for value in wanted]
    assert [value for value in wanted if value is not None] == column.value[known].tolist()
    for a, b in payloads:
        exact = evaluate_exactly(Expression("if(b > 9, a, nothing)"), {"a": Fraction(a), "b": Fraction(b)})
        assert exact == (a if b > 9 else None)


def test_what_is_computed_of_nothing_is_nothing():
    for text in ("a + nothing", "nothing", "max(a, nothing)"):
        assert (decoded(text, [[1, 2]]).validity == Validity.ABSENT).all(), text


def test_a_field_of_that_name_is_meant():
    nothing = new_field("nothing", at("B1"))
    computed = Computed(id=uuid4(), name="sum", expression=Expression("a + `nothing`"))
    layout = new_layout("m", Applies(address=1), 2, [new_field("a", at("B0")), nothing], computed=(computed,))
    matrix = np.zeros((1, 64), np.uint8)
    matrix[0, :2] = (3, 4)
    assert decode(compile_layout(layout), matrix, np.array([2], np.uint32))[computed.id].value.tolist() == [7]
    assert evaluate_exactly(Expression("`nothing` + 1"), {"nothing": Fraction(4)}) == 5


@pytest.mark.parametrize(
    ("text", "names"), [("0 off, 1..3 on", (NamedValue(0, "off"), NamedValue(1, "on", 3))), ("", ())]
)
def test_names_are_set_by_a_line_of_text(text, names):
    from zesty_abacus.core.layouts.attributes import attribute_text, with_attribute

    layout = new_layout("m", Applies(address=1), 1, [new_field("a", at("B0"))])
    layout = layout.with_item(Computed(id=uuid4(), name="state", expression=Expression("a")))
    made = with_attribute(layout.computed[0], "names", text, layout)
    assert made.names == names and attribute_text(made, "names", layout) == text


@pytest.mark.parametrize(
    "names",
    [(NamedValue(1, "a"), NamedValue(1, "b")), (NamedValue(1, "a", 5), NamedValue(3, "b")), (NamedValue(5, "a", 2),)],
)
def test_names_that_meet_are_told(names):
    computed = Computed(id=uuid4(), name="state", expression=Expression("a"), names=names)
    layout = new_layout("m", Applies(address=1), 1, [new_field("a", at("B0"))], computed=(computed,))
    assert [problem.sentence for problem in check_layout(layout)] == [
        f"state names the value {names[-1].raw} twice, or a span that ends before it begins."
    ]
