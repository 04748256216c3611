"""Expressions: what they may say, exact values, whole columns, and units."""

from __future__ import annotations

import math
import operator
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import example, given
from hypothesis import strategies as st

from zesty_abacus.core.codec.columns import FieldColumn
from zesty_abacus.core.codec.scope import Scope
from zesty_abacus.core.expressions.columns import evaluate
from zesty_abacus.core.expressions.exactly import evaluate_exactly
from zesty_abacus.core.expressions.expression import Expression
from zesty_abacus.core.expressions.tree import ExpressionError
from zesty_abacus.core.expressions.unit_of import unit_of
from zesty_abacus.core.expressions.units import format_unit, parse_unit
from zesty_abacus.core.layouts.model import FieldKind, new_field
from zesty_abacus.core.layouts.places import Places


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("1 + 2 * 3", 7), ("(1 + 2) * 3", 9), ("-2 * -3", 6), ("7 // 2 + 7 % 4", 6), ("1 << 4 | 3", 19),
        ("0x10 + 0.5", Fraction(33, 2)), ("1 + 1 == 2", 1), ("2 < 1 or 3 > 2", 1), ("not 2 < 1 and 1", 1),
        ("~5 & 0xFF", 250), ("6 ^ 3", 5), ("if(x > 3, x, -x)", 5), ("min(x, 2) + max(1, 9)", 11),
        ("`turn counter` % 4", 3), ("raw(x)", 50), ("x / 4", Fraction(5, 4)), ("round(2.6) + floor(-1.5)", 1),
        ("1e-3 * 1000", 1), ("andy + 1", 2), ("10 - 3 - 2", 5), ("64 >> 2 >> 1", 8),
    ],
)  # fmt: skip
def test_what_an_expression_gives(text, wanted):
    values = {"x": Fraction(5), "turn counter": Fraction(15), "andy": Fraction(1)}
    assert evaluate_exactly(Expression(text), values, {"x": 50}) == wanted


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "stops making sense"), ("1 +", "stops making sense"), ("a b", "column 3"), ("x = 1", "column 3"),
        ("eval(x)", "there is no function 'eval'"), ("min(1)", "min takes 2 values"), ("raw(1 + 1)", "name of a field"),
        ("import os", "column 8"), ("x.y", "of another message"), ('"x"', "a text"),
        ("3 m", "has a unit"), ("(x then y within 2)", "then is for"), ("((1)", "stops making sense"),
        ("1" * 501, "500"),
        ("x[0]", "column 2"), ("'x'", "column 1"),
    ],
)  # fmt: skip
def test_what_is_no_expression(text, words):
    with pytest.raises(ExpressionError, match=words):
        Expression(text)


@pytest.mark.parametrize("text", ["1 / (x - 5)", "1 % 0", "sqrt(-1)", "0.5 | 1", "1 << 64", "log(0)", "y"])
def test_what_has_no_value(text):
    with pytest.raises(ExpressionError):
        evaluate_exactly(Expression(text), {"x": Fraction(5)})


@given(st.text("()-~!+ 1x`and ornt", max_size=300))
def test_no_text_brings_the_parser_down(text):
    try:
        Expression(text)
    except ExpressionError as error:
        assert str(error)


def test_a_renamed_field_is_followed():
    expression = Expression("rate * 2 + `rate` - rated")
    assert str(expression.renamed("rate", "turn rate")) == "`turn rate` * 2 + `turn rate` - rated"
    assert expression.renamed("other", "x") is expression
    assert str(Expression("a").renamed("a", "or")) == "`or`"


# whole columns against single values

NAMES = ("a", "b", "c")
leaves = st.one_of(st.sampled_from(NAMES), st.integers(0, 300).map(str), st.sampled_from(["0.5", "raw(b)", "0x7F"]))
COMPARED = ("==", "!=", "<", "<=", ">", ">=", "and", "or")
operators = st.sampled_from(["+", "-", "*", "/", "//", "%", "&", "|", "^", "<<", ">>", *COMPARED])
texts = st.recursive(
    leaves,
    lambda inner: st.one_of(
        st.tuples(inner, operators, inner).map(lambda t: f"({t[0]} {t[1]} {t[2]})"),
        inner.map(lambda t: f"-({t})"),
        st.tuples(st.sampled_from(["abs", "not", "floor", "ceil"]), inner).map(lambda t: f"{t[0]} ({t[1]})"),
        st.tuples(st.sampled_from(["min", "max"]), inner, inner).map(lambda t: f"{t[0]}({t[1]}, {t[2]})"),
        st.tuples(inner, inner, inner).map(lambda t: f"if({t[0]}, {t[1]}, {t[2]})"),
    ),
    max_leaves=6,
)


def scope_of(rows):
    scope = Scope(len(rows))
    fields = (
        new_field("a", Places(range(16))),
        new_field("b", Places(range(8)), FieldKind.SIGNED, ratio=Fraction(1, 2)),
        new_field("c", Places(range(32)), FieldKind.SIGNED),
    )
    for place, field in enumerate(fields):
        raw = np.array([row[place] for row in rows], np.int64)
        value = raw / 2 if field.ratio != 1 else raw
        scope.add({field.id: FieldColumn(field, raw, value, None, np.zeros(len(rows), np.uint8))})
    return scope


@given(
    texts,
    st.lists(st.tuples(st.integers(0, 65535), st.integers(-128, 127), st.integers(-(2**31), 2**31 - 1)), min_size=1,
             max_size=4),
)  # fmt: skip
def test_columns_give_what_single_values_give(text, rows):
    expression = Expression(text)
    result = evaluate(expression, scope_of(rows))
    known = result.known_rows()
    for number, (a, b, c) in enumerate(rows):
        values = {"a": Fraction(a), "b": Fraction(b, 2), "c": Fraction(c)}
        try:
            wanted = evaluate_exactly(expression, values, {"a": a, "b": b, "c": c})
        except ExpressionError:
            continue
        if not known[number]:
            # beyond 64 bits there is no column of bits
            assert any(sign in text for sign in "&|^<>~/%")
            continue
        found = result.values[number]
        if result.bounds is not None:
            assert int(found) == wanted, "whole numbers are exact"
            assert result.bounds[0] <= wanted <= result.bounds[1]
        elif not any(sign in text for sign in ("//", "%", "=", "<", ">", "&", "|", "^", "if", "not", "or")):
            # floats may fall to the other side of a step
            assert math.isclose(float(found), float(wanted), rel_tol=1e-9, abs_tol=1e-6)


@given(st.integers(0, 2**32 - 1), st.integers(0, 2**31 - 1))
def test_two_words_are_joined_exactly(low, high):
    scope = Scope(1)
    for name, raw, width in (("low", low, 32), ("high", high, 31)):
        field = new_field(name, Places(range(width)))
        column = np.array([raw], np.uint64)
        scope.add({field.id: FieldColumn(field, column, column, None, np.zeros(1, np.uint8))})
    for text in ("high << 32 | low", "high * 0x100000000 + low"):
        result = evaluate(Expression(text), scope)
        assert result.values.dtype == np.int64 and int(result.values[0]) == (high << 32) + low


# whole numbers of 64 bits

WIDE = st.one_of(st.integers(0, 2**64 - 1), st.sampled_from([0, 1, 2**53 + 1, 2**63 - 1, 2**63, 2**63 + 1, 2**64 - 1]))
DEEP = st.one_of(st.integers(-(2**63), 2**63 - 1), st.sampled_from([-(2**63), -1, 0, 1, 2**63 - 1]))


def wide_scope(rows):
    scope = Scope(len(rows))
    kinds = {"u": FieldKind.UNSIGNED, "v": FieldKind.UNSIGNED, "s": FieldKind.SIGNED}
    for place, (name, kind) in enumerate(kinds.items()):
        dtype = np.int64 if kind is FieldKind.SIGNED else np.uint64
        raw = np.array([row[place] for row in rows], dtype)
        field = new_field(name, Places(range(64)), kind)
        scope.add({field.id: FieldColumn(field, raw, raw, None, np.zeros(len(rows), np.uint8))})
    return scope


@pytest.mark.parametrize(
    "text",
    ["u & 0xFF", "raw(u) & 0xFFFFFFFFFFFFFF00", "u | v", "u ^ v", "u >> 60", "u << 1", "u // 3", "u % 1000", "u % v",
     "u // v", "u + 1", "u - v", "s - u", "u * 2", "-u", "u == v", "u < s", "s <= u", "min(u, s)", "max(u, v)",
     "min(s, v)", "~s", "~u", "s & u", "s | u", "s ^ u", "if(u > v, u, v)", "if(s > 0, s, u)", "u & ~1",
     "abs(s)", "floor(u)",
     "(u & 0xFFFF) * 3 + (v >> 48)", "u == 18446744073709551615", "u // 4294967296"],
)  # fmt: skip
@given(rows=st.lists(st.tuples(WIDE, WIDE, DEEP), min_size=1, max_size=4))
@example(rows=[(0, 0, 2**63 - 8_389_120), (2**63 - 2559, 0, 2**63 - 2560)])
def test_whole_numbers_of_64_bits_are_exact_or_not_there(text, rows):
    """A result that 64 bits hold, with a sign or without, is exact; one that they do not is near, or not known."""
    result = evaluate(Expression(text), wide_scope(rows))
    known = result.known_rows()
    for number, (u, v, s) in enumerate(rows):
        try:
            wanted = evaluate_exactly(Expression(text), {"u": Fraction(u), "v": Fraction(v), "s": Fraction(s)},
                                      {"u": u, "v": v, "s": s})  # fmt: skip
        except ExpressionError:
            assert not known[number]
            continue
        if not known[number]:
            assert not -(2**63) <= wanted < 2**63, "what a column cannot hold"
        elif result.bounds is None:
            assert math.isclose(float(result.values[number]), float(wanted), rel_tol=1e-15)
        else:
            assert int(result.values[number]) == wanted


def test_the_lowest_byte_of_a_wide_field_is_its_own():
    result = evaluate(Expression("raw(u) & 0xFF"), wide_scope([(2**53 + 1, 0, 0)]))
    assert result.values.tolist() == [1]


# units


@pytest.mark.parametrize(
    ("text", "wanted"),
    [("u * i", "A·V"), ("s / t", "m/s"), ("u + u * 2", "V"), ("sqrt(s * s)", "m"), ("2 * 3", ""), ("s / s", ""),
     ("if(u > 3, s, s * 2)", "m"), ("raw(u)", ""), ("max(s, 4)", "m"), ("1 / t", "1/s")],
)  # fmt: skip
def test_units_are_carried(text, wanted):
    found = unit_of(Expression(text), {"u": "V", "i": "A", "s": "m", "t": "s"})
    assert format_unit(found) == wanted


@pytest.mark.parametrize("text", ["u + i", "u > s", "min(u, s)", "if(u > 1, u, s)"])
def test_different_units_do_not_add(text):
    with pytest.raises(ExpressionError, match="together"):
        unit_of(Expression(text), {"u": "V", "i": "A", "s": "m"})


def test_units_with_powers():
    assert parse_unit("m/s^2") == (("m", 1), ("s", -2)) == parse_unit("m·s^-2")
    assert parse_unit("l/min") == (("l", 1), ("min", -1)) and parse_unit("") == ()
    assert parse_unit("per 100 km") is None
    assert operator.eq(format_unit(parse_unit("m/s^2")), "m/s^2")


@pytest.mark.parametrize("number", [2.0**62, 1.5 * 2.0**62, -(2.0**62), -1.75 * 2.0**62])
def test_floats_have_bits_up_to_the_highest_whole_number(number):
    """A float between 2^62 and 2^63 is as whole as any; it was taken for zero."""
    field = new_field("f", Places(range(64)), FieldKind.FLOAT)
    scope = Scope(1)
    scope.add({field.id: FieldColumn(field, np.zeros(1, np.uint64), np.array([number]), None, np.zeros(1, np.uint8))})
    result = evaluate(Expression("f ^ 3"), scope)
    assert result.known is None or result.known.all()
    assert int(result.values[0]) == int(number) ^ 3


@pytest.mark.parametrize(
    ("text", "lowest", "highest"),
    [
        ("a | a", 0, 65535), ("a ^ 0", 0, 65535), ("a & 0x1FF", 0, 511), ("a & a", 0, 65535),
        ("a | 0x10000", 0, 131071), ("a + a", 0, 131070), ("a - a", -65535, 65535), ("a * 3", 0, 196605),
        ("a % 7", 0, 6), ("c % 7", 0, 6), ("a % c", -(2**31), 2**31), ("a // 3", 0, 65535), ("c // 3", -(2**31), 2**31),
        ("-c", 1 - 2**31, 2**31), ("abs(c)", 0, 2**31), ("min(a, 9)", 0, 9), ("max(a, 9)", 9, 65535),
        ("min(a, c)", -(2**31), 65535), ("max(a, c)", 0, 2**31 - 1),
    ],
)  # fmt: skip
def test_bounds_hold_the_extremes_and_no_more(text, lowest, highest):
    rows = [(0, 0, -(2**31)), (65535, 0, 2**31 - 1), (511, 0, 0)]
    result = evaluate(Expression(text), scope_of(rows))
    assert result.bounds == (lowest, highest)
    assert (result.values >= lowest).all() and (result.values <= highest).all()
