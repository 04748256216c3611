"""What columns of other people's tables are, row by row and by hand."""

import msgspec
import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.exchange.bit_numbering import BitNumbering
from zesty_abacus.core.exchange.sheets import read_sheets
from zesty_abacus.core.exchange.table_mapping import (
    ROLES,
    Row,
    TableMapping,
    bits_asked,
    guess_mapping,
    low_byte_first,
    place_of,
    rows_of,
    trouble_of,
    with_heads,
)


def sheet_of(text):
    return read_sheets(text.encode(), "a.csv")[0]


def asked(numbering=None, **cells):
    """Return start, width and byte of a row with these cells."""
    roles = tuple(name.replace("_", " ") for name in cells)
    mapping = TableMapping(headings=roles, roles=roles, numbering=numbering or BitNumbering())
    return bits_asked(Row(mapping, list(cells.values()), 2), mapping)


@pytest.mark.parametrize(
    ("cells", "expected"),
    [
        ({"start_bit": "12", "width": "4"}, (12, 4, None)), ({"start_bit": "0x0C", "width": "0x4"}, (12, 4, None)),
        ({"start_bit": "12.0", "width": "4.0"}, (0, 4, 12)), ({"start_bit": "2.7", "width": "8"}, (7, 8, 2)),
        ({"start_bit": "7..4"}, (4, 4, None)), ({"start_bit": "4 - 7", "byte": "3"}, (4, 4, 3)),
        ({"start_bit": "4:7"}, (4, 4, None)), ({"start_bit": "4 to 7"}, (4, 4, None)),
        ({"start_bit": "8", "end_bit": "19"}, (8, 12, None)), ({"start_bit": "19", "end_bit": "8"}, (8, 12, None)),
        ({"byte": "3", "width": "8"}, (0, 8, 3)), ({"byte": "3", "kind": "uint16"}, (0, 16, 3)),
        ({"byte": "3", "kind": "bool"}, (0, 1, 3)), ({"byte": "3", "kind": "unsigned"}, (0, 8, 3)),
        ({"byte": "3", "kind": "int 12 bits"}, (0, 12, 3)), ({"byte": "0x1F", "kind": ""}, (0, 8, 31)),
    ],
)  # fmt: skip
def test_where_a_row_says_that_a_field_lies(cells, expected):
    assert asked(**cells) == expected


def test_of_a_span_the_numbering_says_which_end_is_the_start():
    def start(is_lowest, start_is):
        return asked(BitNumbering(bit_0_is_lowest=is_lowest, start_is=start_is), start_bit="7..4")[0]

    ways = [(is_lowest, start_is) for is_lowest in (True, False) for start_is in ("lowest", "highest")]
    assert [start(*way) for way in ways] == [4, 7, 7, 4]


def test_a_byte_alone_begins_at_its_lowest_bit_as_the_numbering_counts():
    def start(**settings):
        return asked(BitNumbering(**settings), byte="2", width="8")[0]

    assert start() == 0 and start(first_bit=1) == 1
    assert start(start_is="highest") == 7 and start(bit_0_is_lowest=False) == 7
    assert start(bit_0_is_lowest=False, first_bit=1) == 8


@pytest.mark.parametrize(
    ("cells", "words"),
    [({"start_bit": "x"}, "'x' is no number for the start bit"), ({"byte": "one"}, "'one' is no number for the byte"),
     ({"start_bit": "1", "width": "1/0"}, "'1/0' is no number for the width"),
     ({"start_bit": "1", "end_bit": "-"}, "'-' is no number for the end bit")],
)  # fmt: skip
def test_what_is_no_number_is_told(cells, words):
    with pytest.raises(MisuseError, match=words):
        asked(**cells)


@pytest.mark.parametrize(
    ("word", "is_low"),
    [("LE", True), (" Little-Endian ", True), ("lsb first", True), ("BE", False), ("motor", False), ("", None)],
)
def test_words_for_the_order_of_bytes(word, is_low):
    mapping = TableMapping(headings=("order",), roles=("byte order",))
    assert low_byte_first(Row(mapping, [word], 2), mapping) is is_low


def test_places_in_our_own_words_go_before_bits():
    roles = ("places", "start bit", "width")
    mapping = TableMapping(headings=roles, roles=roles)
    assert str(place_of(Row(mapping, ["B3[3..0] B2", "0", "1"], 2), mapping)) == "B3[3..0] B2"
    assert str(place_of(Row(mapping, ["", "8", "12"], 2), mapping)) == "B2[3..0] B1"
    high = msgspec.structs.replace(mapping, low_byte_first=False)
    assert str(place_of(Row(high, ["", "8", "4"], 2), high)) == "B1[3..0]"


@pytest.mark.parametrize(
    "columns",
    [
        {"Frame name": "message", "CAN-ID (hex)": "address", "Bytes": "size", "ECU": "sender", "Parameter": "field",
         "First_Bit": "start bit", "Bits": "width", "Endianness": "byte order", "Data type": "kind", "Scaling": "step",
         "Bias": "offset", "Units": "unit", "Lower": "low limit", "Upper": "high limit"},
        {"telegram": "message", "identifier": "address", "payload length": "size", "bus": "lane", "item name": "field",
         "start  byte": "byte", "position": "start bit", "length (bits)": "width", "sign": "kind", "gain": "step"},
        {"msg": "message", "cob-id": "address", "message size": "size", "channel": "lane", "field": "field",
         "to bit": "end bit", "bit_position": "start bit", "minimum value": "low limit", "max": "high limit",
         "value descriptions": "values", "n/a": "not available", "mux": "present when"},
        {"pdu name": "message", "ID (hex)": "address", "signal name": "field", "msb": "start bit", "bit count": "width",
         "states": "values", "remarks": "note", "layout and field": "id", "colour": "ignore", "factors": "ignore"},
        # the first of two that are called alike is it, and a name is a field's before it is a signal
        {"name": "field", "signal": "ignore", "unit": "unit", "units": "ignore"},
    ],
)  # fmt: skip
def test_what_columns_are_by_their_headings(columns):
    assert guess_mapping(sheet_of(",".join(columns) + "\n")).roles == tuple(columns.values())


@pytest.mark.parametrize(
    ("cells", "is_hex"),
    [(["100", "200"], False), (["100"], True), (["100", "1A0"], True), (["100", "0100"], True), (["0", "100"], False),
     ([], True), (["", "100", "101"], False)],
)  # fmt: skip
def test_addresses_are_hex_where_their_digits_say_so(cells, is_hex):
    assert guess_mapping(sheet_of("id,field\n" + "".join(f"{cell},f\n" for cell in cells))).hex_addresses is is_hex


@pytest.mark.parametrize(
    ("roles", "words"),
    [(("field",), "no column says where a field lies"), (("places",), "no column is the field's name"),
     (("field", "places", "unit", "unit", "unit"), "3 columns are unit; one may be"), (("field", "places"), ""),
     (("field", "start bit"), ""), (("field", "byte"), ""), (("ignore", "ignore", "field", "byte"), "")],
)  # fmt: skip
def test_a_choice_of_columns_that_cannot_be_used_is_told(roles, words):
    mapping = TableMapping(headings=roles, roles=roles)
    if not words:
        mapping.check()
        return
    with pytest.raises(MisuseError, match=words):
        mapping.check()
    assert set(roles) <= set(ROLES)


def test_what_stands_above_goes_on_until_another_message_begins():
    sheet = sheet_of("message,id,lane,field,places\nA,1,bow,a,B0\n,,,b,B1\nB,2,,c,B0\n,,aft,d,B1\nB,3,,e,B0\n,,,,\n")
    heads = [(head["message"], head["address"], head["lane"], row["field"]) for head, row in
             with_heads(rows_of(sheet, guess_mapping(sheet)))]  # fmt: skip
    assert heads[:5] == [
        ("A", "1", "bow", "a"), ("A", "1", "bow", "b"), ("B", "2", "", "c"), ("B", "2", "aft", "d"),
        ("B", "3", "", "e"),
    ]  # fmt: skip
    assert [row.line for row in rows_of(sheet, guess_mapping(sheet), 2)] == [2, 3]


def test_trouble_is_what_lies_nowhere_beyond_or_upon_another():
    def trouble(*rows):
        sheet = sheet_of("message,id,size,field,places,present when\n" + "".join(f"{row}\n" for row in rows))
        return trouble_of(sheet, guess_mapping(sheet))

    assert trouble("m,1,2,a,B0,", "m,1,2,b,B1,") == 0
    assert trouble("m,1,2,a,B0,", "m,1,2,b,B2,") == 1, "beyond its message"
    assert trouble("m,1,2,a,B0,", "m,1,2,b,B0[3],") == 1, "upon another"
    assert trouble("m,1,1,a,B0,", "m,1,1,b,B0 B1,") == 2
    assert trouble("m,1,2,a,B0,", "m,1,2,b,x9,") == 1, "nowhere"
    assert trouble("m,1,2,a,B0,p = 1", "m,1,2,b,B0,p = 2") == 0, "on another page"
    assert trouble("m,1,2,a,B0,", "n,1,2,b,B0,", "m,2,2,c,B0,") == 0, "of another message"
    assert trouble("m,1,,a,B9,") == 0
