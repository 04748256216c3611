"""Parameter types of XTCE (OMG, XML Telemetric and Command Exchange 1.2), one sentence of the standard a row."""

from fractions import Fraction

import pytest

from zesty_abacus.core.exchange.result import CannotCarryError
from zesty_abacus.core.exchange.xml import parse_xml
from zesty_abacus.core.exchange.xtce_types import sent_bits, shape_of, whole
from zesty_abacus.core.layouts.model import CurvePoint, FieldKind, NamedValue


def shape(body, kind="IntegerParameterType", **attributes):
    said = "".join(f' {name}="{value}"' for name, value in attributes.items())
    return shape_of(parse_xml(f'<{kind} name="t"{said}>{body}</{kind}>'.encode(), "here"))


def integer(inside="", **attributes):
    said = "".join(f' {name}="{value}"' for name, value in attributes.items())
    return f"<IntegerDataEncoding{said}>{inside}</IntegerDataEncoding>"


def terms(*pairs):
    inside = "".join(f'<Term exponent="{power}" coefficient="{number}"/>' for power, number in pairs)
    return f"<DefaultCalibrator><PolynomialCalibrator>{inside}</PolynomialCalibrator></DefaultCalibrator>"


VALID = '<ValidRange minInclusive="-4" maxInclusive="7.5"/>'
RAW = '<ValidRange minInclusive="10" validRangeAppliesToCalibrated="false"/>'


@pytest.mark.parametrize(
    ("body", "expected"),
    [
        (integer(), {"kind": FieldKind.UNSIGNED, "ratio": 1, "offset": 0, "unit": "", "low": None, "high": None}),
        (integer(encoding="twosComplement"), {"kind": FieldKind.SIGNED}),
        (integer(encoding="signMagnitude"), {"kind": FieldKind.SIGN_MAGNITUDE}),
        (integer(encoding="onesComplement"), {"kind": FieldKind.ONES_COMPLEMENT}),
        ("<FloatDataEncoding/>", {"kind": FieldKind.FLOAT}),
        ('<FloatDataEncoding encoding="IEEE754"/>', {"kind": FieldKind.FLOAT}),
        (integer() + VALID, {"low": -4, "high": Fraction(15, 2)}),
        (integer() + f"<ValidRangeSet>{VALID}</ValidRangeSet>", {"low": -4, "high": Fraction(15, 2)}),
        (integer(terms((1, "0.5"), (0, "3"))) + RAW, {"low": 8, "high": None, "ratio": Fraction(1, 2), "offset": 3}),
        (integer() + RAW, {"low": 10}),
        (integer(terms((1, "2"))), {"ratio": 2, "offset": 0, "polynomial": ()}),
        (integer(terms((2, "4"), (0, "1"))), {"polynomial": (1, 0, 4), "ratio": 1}),
        (integer('<DefaultCalibrator><SplineCalibrator><SplinePoint raw="9" calibrated="4"/>'
                 '<SplinePoint raw="0" calibrated="1"/></SplineCalibrator></DefaultCalibrator>'),
         {"table": (CurvePoint(Fraction(0), Fraction(1)), CurvePoint(Fraction(9), Fraction(4)))}),
        (integer() + "<UnitSet><Unit>k</Unit><Unit>N</Unit></UnitSet>", {"unit": "k N"}),
    ],
)  # fmt: skip
def test_what_a_type_says_of_a_number(body, expected):
    field = shape(body, kind="FloatParameterType").field
    assert {name: getattr(field, name) for name in expected} == expected


def test_names_make_a_number_a_state_and_a_bit_a_flag():
    listed = ('<EnumerationList><Enumeration value="0" label="off"/>'
              '<Enumeration value="0x2" maxValue="3" label="on"/></EnumerationList>')  # fmt: skip
    state = shape(integer() + listed, "EnumeratedParameterType").field
    assert (state.kind, state.names) == (FieldKind.NAMES, (NamedValue(0, "off"), NamedValue(2, "on", 3)))
    assert shape(integer(encoding="twosComplement") + listed, "EnumeratedParameterType").field.kind is FieldKind.SIGNED
    flag = shape(integer(sizeInBits="1"), "BooleanParameterType", zeroStringValue="shut", oneStringValue="open").field
    assert (flag.kind, flag.names) == (FieldKind.FLAG, (NamedValue(0, "shut"), NamedValue(1, "open")))
    plain = shape(integer(sizeInBits="1"), "BooleanParameterType", zeroStringValue="False", oneStringValue="True").field
    assert plain.names == () and shape(integer(sizeInBits="2"), "BooleanParameterType").field.kind is FieldKind.UNSIGNED


@pytest.mark.parametrize(
    ("body", "width", "low_first"),
    [(integer(), 8, False), (integer(sizeInBits="0x10"), 16, False), ("<FloatDataEncoding/>", 32, False),
     (integer(sizeInBits="24", byteOrder="leastSignificantByteFirst"), 24, True)],
)  # fmt: skip
def test_how_many_bits_in_which_order(body, width, low_first):
    made = shape(body)
    assert (made.width, made.low_byte_first) == (width, low_first)
    first = [bit // 8 for bit in made.places(0)]
    assert first == sorted(first, reverse=low_first)
    # bits are sent from the highest of the first byte on
    assert sent_bits(3, 6) == [4, 3, 2, 1, 0, 15]


def test_a_time_has_scale_and_offset_in_its_encoding():
    body = f'<Encoding units="seconds" scale="0.001" offset="5">{integer(sizeInBits="32")}</Encoding>'
    field = shape(body, "AbsoluteTimeParameterType").field
    assert (field.ratio, field.offset, field.unit) == (Fraction(1, 1000), 5, "s")
    other = shape(f'<Encoding units="days">{integer()}</Encoding>', "AbsoluteTimeParameterType").field
    assert (other.ratio, other.offset, other.unit) == (1, 0, "days")


def text(inside, **attributes):
    said = "".join(f' {name}="{value}"' for name, value in attributes.items())
    return f"<StringDataEncoding{said}>{inside}</StringDataEncoding>"


def test_texts_and_bytes_have_a_length_that_something_tells():
    fixed = shape(text("<SizeInBits><Fixed><FixedValue>64</FixedValue></Fixed></SizeInBits>", encoding="US-ASCII"))
    assert (fixed.width, fixed.field.kind, fixed.field.encoding) == (64, FieldKind.TEXT, "ascii")
    tagged = shape(text('<Variable><LeadingSize sizeInBitsOfSizeTag="8"/></Variable>'))
    assert (tagged.width, tagged.tag_bits, tagged.end) == (None, 8, "")
    assert shape(text("<SizeInBits><LeadingSize/></SizeInBits>")).tag_bits == 16
    assert shape(text("<SizeInBits><TerminationChar>0A</TerminationChar></SizeInBits>")).end == "0A"
    assert shape(text("<SizeInBits><TerminationChar/></SizeInBits>")).end == "00"
    assert shape(text("<SizeInBits><DynamicValue/></SizeInBits>")).length is not None
    octets = shape("<BinaryDataEncoding><SizeInBits><FixedValue>24</FixedValue></SizeInBits></BinaryDataEncoding>")
    assert (octets.width, octets.field.kind) == (24, FieldKind.BYTES)
    assert shape("<BinaryDataEncoding><SizeInBits><DynamicValue/></SizeInBits></BinaryDataEncoding>").length is not None


@pytest.mark.parametrize(
    ("body", "words"),
    [
        ("", "the type t says no encoding"),
        (integer(bitOrder="leastSignificantBitFirst"), "its bits come lowest first"),
        (integer(byteOrder="mixed"), "the byte order mixed is not known"),
        (integer(encoding="odd"), "the encoding odd is not known"),
        ('<FloatDataEncoding encoding="MILSTD"/>', "the encoding MILSTD is not known"),
        (text(""), "the length of the string"), (text("", encoding="UTF-7"), "the encoding UTF-7"),
        ("<BinaryDataEncoding/>", "the length of the bytes"), (integer(sizeInBits="x"), "'x' is no whole number"),
        (integer(terms((17, "1"))), "its polynomial has the degree 17"),
        (integer("<DefaultCalibrator><MathOperationCalibrator/></DefaultCalibrator>"), "a chain of operations"),
    ],
)  # fmt: skip
def test_what_cannot_be_read_is_told(body, words):
    with pytest.raises(CannotCarryError) as told:
        shape(body)
    assert words in str(told.value)


def test_the_low_byte_first_has_whole_bytes_and_fits_a_message():
    with pytest.raises(CannotCarryError, match="12 bits with the low byte first"):
        shape(integer(sizeInBits="12", byteOrder="leastSignificantByteFirst")).places(0)
    assert len(shape(integer(sizeInBits="6", byteOrder="leastSignificantByteFirst")).places(0)) == 6
    for first, width in ((0, 0), (-1, 8), (524_289, 8), (0, 524_289)):
        with pytest.raises(CannotCarryError, match="fit no message"):
            sent_bits(first, width)
    assert len(sent_bits(524_288, 524_288)) == 524_288
    assert (whole(""), whole("0x1F"), whole("010"), whole("-3")) == (0, 31, 10, -3)
