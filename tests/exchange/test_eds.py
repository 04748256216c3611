"""Electronic data sheets (CiA 306-1): objects and their types, what is mapped where, what cannot be written."""

from fractions import Fraction

import msgspec
import pytest

from zesty_abacus.core.exchange import eds
from zesty_abacus.core.layouts.model import Applies, FieldKind, RawSet, Selected, new_field, new_layout
from zesty_abacus.core.layouts.places import parse_places


def sheet(*mapped, identifier="0x1A0", objects=""):
    """Return a sheet whose first message to the bus maps these entries."""
    entries = "".join(f"[1A00sub{sub:X}]\nDefaultValue={entry}\n" for sub, entry in enumerate(mapped, 1))
    return (f"[FileInfo]\nFileName=a.eds\n[DeviceInfo]\nProductName=pump\n[1800sub1]\nDefaultValue={identifier}\n"
            f"[1A00]\nParameterName=mapping\n{entries}{objects}")  # fmt: skip


def read(text, **settings):
    return eds.read(text.encode("latin-1"), "here", **settings)


def obj(index, name, kind=None, sub=""):
    said = f"DataType=0x{kind:04X}\n" if kind is not None else ""
    return f"[{index}{sub}]\nParameterName={name}\n{said}"


def test_what_a_device_sends():
    (layout,) = read(sheet("0x20010110", "0x00050008", "0x20020008", "0x20010110", objects=(
        obj("2001", "motor") + obj("2001", "speed", 0x3, "sub1") + obj("2002", "state ; not a comment? yes", 0x5)
    ))).layouts  # fmt: skip
    assert (layout.name, layout.sender, layout.size) == ("pump sends 1", "pump", 6)
    assert layout.applies == Applies(address=0x1A0)
    assert [(one.name, str(one.places), one.kind, one.note) for one in layout.fields] == [
        ("motor speed", "B1 B0", FieldKind.SIGNED, "object 2001h, 01h"),
        # a dummy of eight bits takes a byte and means nothing; what stands there twice gets a number
        ("state", "B3", FieldKind.UNSIGNED, "object 2002h, 00h"),
        ("motor speed 2", "B5 B4", FieldKind.SIGNED, "object 2001h, 01h"),
    ]


@pytest.mark.parametrize(
    ("kind", "bits", "expected"),
    [
        (0x1, 1, FieldKind.FLAG), (0x1, 8, FieldKind.UNSIGNED), (0x2, 8, FieldKind.SIGNED), (0x3, 16, FieldKind.SIGNED),
        (0x4, 32, FieldKind.SIGNED), (0x5, 8, FieldKind.UNSIGNED), (0x6, 16, FieldKind.UNSIGNED),
        (0x7, 32, FieldKind.UNSIGNED), (0x8, 32, FieldKind.FLOAT), (0x8, 16, FieldKind.UNSIGNED),
        (0x9, 32, FieldKind.TEXT), (0x9, 12, FieldKind.UNSIGNED), (0xA, 24, FieldKind.BYTES),
        (0x10, 24, FieldKind.SIGNED),
        (0x11, 64, FieldKind.FLOAT), (0x11, 32, FieldKind.FLOAT), (0x15, 64, FieldKind.SIGNED),
        (0x1B, 64, FieldKind.UNSIGNED), (0x7F, 8, FieldKind.UNSIGNED),
    ],
)  # fmt: skip
def test_types_of_objects(kind, bits, expected):
    (layout,) = read(sheet(f"0x200100{bits:02X}", objects=obj("2001", "value", kind))).layouts
    assert layout.fields[0].kind is expected and len(layout.fields[0].places) == bits


@pytest.mark.parametrize(
    ("identifier", "address", "extended"),
    [("0x1A0", 0x1A0, False), ("416", 0x1A0, False), ("$NODEID+0x180", 0x185, False), ("0x180 + $nodeid", 0x185, False),
     ("0x21234567", 0x1234567, True), ("0x400001A0", 0x1A0, False)],
)  # fmt: skip
def test_identifiers(identifier, address, extended):
    (layout,) = read(sheet("0x20010008", identifier=identifier), node=5).layouts
    assert (layout.applies.address, layout.applies.extended) == (address, extended)


@pytest.mark.parametrize(
    ("text", "place", "words"),
    [
        (sheet("0x20010008", identifier="0x800001A0"), "[1800sub1]", "not in use by default"),
        (sheet("0x20010008", identifier=""), "[1800sub1]", "gives no identifier"),
        (sheet("0x20010008", identifier="-5"), "[1800sub1]", "gives no identifier"),
        (sheet("0x20010008", identifier="what"), "[1800sub1]", "gives no identifier"),
        (sheet("0x20010000"), "[1A00sub1]", "0 bits do not fit the frame"),
        (sheet(*(f"0x200{n}0040" for n in range(8)), "0x20090001"), "[1A00sub9]", "1 bit does not fit the frame."),
    ],
)  # fmt: skip
def test_what_is_left_is_told_with_its_section(text, place, words):
    left = read(text).left[0]
    assert left.place == place and words in left.reason


def test_five_hundred_and_twelve_bits_fit():
    (layout,) = read(sheet(*(f"0x200{n}0040" for n in range(8)))).layouts
    assert sum(len(field.places) for field in layout.fields) == 512


def written(*fields, size=8, **applies):
    layout = new_layout("m", Applies(**{"address": 0x1A0, **applies}), size, list(fields))
    made = eds.write([layout])
    return made.data.decode(), [(one.place, one.reason) for one in made.left]


def whole(name, places, kind=FieldKind.UNSIGNED, **more):
    return new_field(name, parse_places(places), kind, **more)


@pytest.mark.parametrize(
    ("kind", "places", "number"),
    [
        (FieldKind.UNSIGNED, "B0", 0x5), (FieldKind.UNSIGNED, "B1 B0", 0x6), (FieldKind.UNSIGNED, "B2 B1 B0", 0x16),
        (FieldKind.UNSIGNED, "B0[4..0]", 0x5), (FieldKind.UNSIGNED, "B1[0] B0", 0x6), (FieldKind.SIGNED, "B0", 0x2),
        (FieldKind.SIGNED, "B1 B0", 0x3), (FieldKind.SIGNED, "B3 B2 B1 B0", 0x4), (FieldKind.FLAG, "B0[0]", 0x1),
        (FieldKind.FLOAT, "B3 B2 B1 B0", 0x8), (FieldKind.FLOAT, "B7 B6 B5 B4 B3 B2 B1 B0", 0x11),
    ],
)  # fmt: skip
def test_types_that_are_written(kind, places, number):
    text, left = written(whole("value", places, kind))
    assert f"[2000]\nParameterName=value\nDataType=0x{number:04X}\n" in text
    bits = len(parse_places(places))
    assert f"[1A00sub1]\nParameterName=entry\nDataType=0x0007\nDefaultValue=0x200000{bits:02X}\n" in text
    assert [place for place, _ in left] == ["the whole sheet"]


def test_gaps_of_whole_bytes_are_filled_with_dummies():
    text, left = written(whole("a", "B0"), whole("b", "B8"), size=9)
    entries = [
        line.partition("=")[2] for line in text.splitlines() if line.startswith("DefaultValue=0x") and len(line) == 23
    ]
    assert entries == ["0x20000008", "0x00070020", "0x00060010", "0x00050008", "0x20010008"] and len(left) == 1
    assert "[1A00]\nParameterName=m\n\n[1A00sub0]\nParameterName=entries\nDefaultValue=5\n" in text
    _, left = written(whole("a", "B0"), whole("b", "B1[7..4]"))
    assert left[0] == ("m, b", "the gap of 4 bits before it is no whole bytes.")


@pytest.mark.parametrize(
    ("field", "words"),
    [
        (whole("b", "B1 B2"), "one stretch with its low byte first"), (whole("b", "B0[3..0]"), "one stretch"),
        (whole("b", "B1", ratio=Fraction(2)), "no scale, unit"),
        (whole("b", "B1", offset=Fraction(1)), "no scale, unit"),
        (whole("b", "B1", unit="V"), "no scale, unit"),
    ],
)  # fmt: skip
def test_what_an_object_cannot_say_is_told(field, words):
    _, left = written(whole("a", "B0"), field)
    assert [place for place, reason in left if words in reason] == ["m, b"]


def test_fields_on_pages_and_messages_without_one_identifier_stay():
    page = whole("page", "B0")
    other = msgspec.structs.replace(whole("b", "B1"), selected=Selected(page.id, RawSet.of(1)))
    assert ("m, b", "an object is one stretch with its low byte first, and always there.") in written(page, other)[1]
    for applies in ({"address": None}, {"to": 0x1AF}, {"mask": 0x7F0}, {"protocol": "serial"}):
        assert written(page, **applies)[1][0] == ("m", "only CAN frames with one identifier are process data.")
    assert "DefaultValue=0x200001A0" in written(page, extended=True)[0]


@pytest.mark.parametrize(
    ("kind", "by_bytes"),
    [
        # CiA 301, table 44: the numbers of the basic data types
        (FieldKind.SIGNED, {1: 0x2, 2: 0x3, 3: 0x10, 4: 0x4, 5: 0x12, 6: 0x13, 7: 0x14, 8: 0x15}),
        (FieldKind.UNSIGNED, {1: 0x5, 2: 0x6, 3: 0x16, 4: 0x7, 5: 0x18, 6: 0x19, 7: 0x1A, 8: 0x1B}),
    ],
)
def test_whole_numbers_have_the_types_of_their_width(kind, by_bytes):
    for count, number in by_bytes.items():
        places = parse_places(" ".join(f"B{byte}" for byte in reversed(range(count))))
        layout = new_layout("m", Applies(address=0x1A0), 8, [new_field("value", places, kind)])
        text = eds.write([layout]).data.decode("latin-1")
        assert f"DataType=0x{number:04X}" in text
        (again,) = read(text).layouts
        assert [(one.kind, one.places) for one in again.fields] == [(kind, places)]
