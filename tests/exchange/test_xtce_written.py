"""What is written as XTCE says in the standard's own words, whatever is kept beside it for this program."""

from fractions import Fraction
from uuid import uuid4

import pytest
from lxml import etree

from zesty_abacus.core.exchange import xtce_write
from zesty_abacus.core.layouts.model import (
    Applies,
    CurvePoint,
    Expression,
    FieldKind,
    NamedValue,
    Run,
    new_field,
    new_layout,
)
from zesty_abacus.core.layouts.places import Places, parse_places

CURVE = (Fraction(1), Fraction(0), Fraction(4))


def declared(places="B1", kind=FieldKind.UNSIGNED, **settings):
    """Return the type of the only field of a layout."""
    layout = new_layout(
        "m", Applies(protocol="serial"), 8, [new_field("value", parse_places(places), kind, **settings)]
    )
    root = etree.fromstring(xtce_write.write([layout]).data)
    (one,) = root.xpath("//*[local-name()='ParameterTypeSet']/*[contains(@name, 'value')]")
    return one


def found(element, name):
    return element.xpath(f".//*[local-name()='{name}']")


def terms(element):
    return [(one.get("exponent"), one.get("coefficient")) for one in found(element, "Term")]


@pytest.mark.parametrize(
    ("settings", "expected"),
    [
        ({}, []), ({"ratio": Fraction(1, 2)}, [("0", "0"), ("1", "0.5")]),
        ({"offset": Fraction(3)}, [("0", "3"), ("1", "1")]),
        ({"polynomial": CURVE}, [("0", "1"), ("1", "0"), ("2", "4")]),
        # a scale before a curve is worked into it: 1 + 4 (x / 2)²
        ({"ratio": Fraction(1, 2), "polynomial": CURVE}, [("0", "1"), ("1", "0"), ("2", "1")]),
    ],
)  # fmt: skip
def test_scales_and_polynomials_are_calibrators(settings, expected):
    one = declared(**settings)
    assert terms(one) == expected and bool(found(one, "DefaultCalibrator")) == bool(expected)


def test_a_table_is_a_spline_over_raw_numbers():
    corners = (CurvePoint(Fraction(0), Fraction(5)), CurvePoint(Fraction(10), Fraction(7)))
    one = declared(table=corners, ratio=Fraction(1, 2))
    points = [(point.get("raw"), point.get("calibrated")) for point in found(one, "SplinePoint")]
    assert points == [("0", "5"), ("20", "7")] and terms(one) == []


@pytest.mark.parametrize(
    ("settings", "name"),
    [
        ({}, "IntegerParameterType"), ({"ratio": Fraction(2)}, "IntegerParameterType"),
        ({"kind": FieldKind.TEXT}, "StringParameterType"), ({"kind": FieldKind.BYTES}, "BinaryParameterType"),
        ({"kind": FieldKind.FLAG, "places": "B1[0]"}, "BooleanParameterType"),
        ({"names": (NamedValue(1, "on"),), "kind": FieldKind.NAMES}, "EnumeratedParameterType"),
        ({"ratio": Fraction(1, 2)}, "FloatParameterType"), ({"offset": Fraction(1, 2)}, "FloatParameterType"),
        ({"polynomial": (Fraction(1), Fraction(2))}, "FloatParameterType"),
        ({"kind": FieldKind.FLOAT, "places": "B0..B3"}, "FloatParameterType"),
    ],
)  # fmt: skip
def test_types_by_what_a_value_is(settings, name):
    assert etree.QName(declared(**settings)).localname == name


@pytest.mark.parametrize(
    ("settings", "limits"),
    [({}, None), ({"low": Fraction(-1, 2)}, {"minInclusive": "-0.5"}), ({"high": Fraction(7)}, {"maxInclusive": "7"}),
     ({"low": Fraction(0), "high": Fraction(9)}, {"minInclusive": "0", "maxInclusive": "9"})],
)  # fmt: skip
def test_limits_are_ranges(settings, limits):
    ranges = found(declared(**settings), "ValidRange")
    assert [dict(one.attrib) for one in ranges] == ([] if limits is None else [limits])


def test_names_and_the_order_of_bytes():
    one = declared(kind=FieldKind.NAMES, names=(NamedValue(0, "off"), NamedValue(2, "on", 3)))
    assert [dict(named.attrib) for named in found(one, "Enumeration")] == [
        {"value": "0", "label": "off"}, {"value": "2", "label": "on", "maxValue": "3"},
    ]  # fmt: skip
    low, high = (found(declared(places), "IntegerDataEncoding")[0] for places in ("B2 B1", "B1 B2"))
    assert low.get("byteOrder") == "leastSignificantByteFirst" and high.get("byteOrder") is None
    assert low.get("sizeInBits") == high.get("sizeInBits") == "16"


@pytest.mark.parametrize(
    ("settings", "written"),
    [
        ({"length": Expression("count")}, {"DynamicValue": "count"}),
        ({"end": "00"}, {"TerminationChar": "00"}),
        ({"length": Expression("count + 1")}, None),
        ({"length": Expression("count"), "end": "00"}, None),
        ({}, None),
    ],
)
def test_a_text_ends_where_a_field_or_a_character_says_and_what_has_no_word_is_told(settings, written):
    text = Run(id=uuid4(), name="note", field=new_field("note", Places(()), FieldKind.TEXT), **settings)
    count = new_field("count", parse_places("B0"))
    made = xtce_write.write([new_layout("m", Applies(protocol="serial"), 1, [count], parts=(text,))])
    root = etree.fromstring(made.data)
    strings = root.xpath("//*[local-name()='StringParameterType']")
    if written is None:
        assert not strings and [left.place for left in made.left if "note" in left.words()]
        return
    (size,) = found(strings[0], "SizeInBits")
    assert {etree.QName(one).localname for one in size} == set(written)
    if "DynamicValue" in written:
        assert found(size, "ParameterInstanceRef")[0].get("parameterRef").endswith("count")
        assert [dict(one.attrib) for one in found(size, "LinearAdjustment")] == [
            {"slope": "8", "intercept": "0"}
        ]  # fmt: skip
    else:
        assert size[0].text == "00"
