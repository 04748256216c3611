"""What findings are called, in the words that people read; none of them from the program's own functions."""

import pytest

from zesty_abacus.core.unravel.finding import Finding, InMessage, Said, When, bits_of, is_from_end
from zesty_abacus.core.unravel.told import confidence_word, title
from zesty_abacus.core.unravel.words import count_of, share_words


def finding(kind, places="B0", **parameters):
    return Finding("bow", 0x1A0, "", "", kind, places, parameters, 10, 0, 0.9, "because")


@pytest.mark.parametrize(
    ("kind", "parameters", "words"),
    [
        ("field", {"reading": "unsigned"}, "number"), ("field", {"reading": "signed"}, "signed number"),
        ("field", {"reading": "float"}, "floating-point number"), ("field", {"reading": "flag"}, "flag"),
        ("field", {"reading": "names"}, "state"), ("field", {"reading": "gray"}, "Gray number"),
        ("field", {"reading": "bcd"}, "decimal digits"), ("field", {"reading": "bcd-bytes"}, "decimal digits"),
        ("field", {"reading": "sign-magnitude"}, "number with a sign"), ("field", {"reading": "bytes"}, "bytes"),
        ("field", {"reading": "unsigned", "array": {}}, "number in each item"),
        ("constant", {"value": 9}, "always 9"), ("constant", {"value": 10}, "always 0xA"),
        ("counter", {"step": 1, "wraps_at": 16}, "counter, 16 values"),
        ("counter", {"step": -3, "wraps_at": 10, "per": "B0"}, "counter by -3, 10 values for each B0"),
        ("check", {"check": "crc", "width": 8}, "CRC of 8 bits"), ("check", {"check": "crc"}, "CRC"),
        ("check", {"check": "xor", "width": 4}, "exclusive or of 4 bits"), ("check", {"check": "sum"}, "sum"),
        ("check", {"check": "strange"}, "strange"),
        ("complement", {"of": "B1"}, "B1 turned round"),
        ("mirror", {"of": {"places": "B2 B3", "address": 0x2C1}}, "same as B2 B3 of 0x2C1"),
        ("selector", {"values": [1, 2, 5]}, "selects 3 pages"),
        ("length", {"of": "payload"}, "length of the payload"), ("length", {"of": "B3"}, "length of B3"),
        ("count", {"of": {"step_bits": 24}}, "counts items of 3 bytes"), ("count", {"of": "B3"}, "counts B3"),
        ("reference", {"column": "speed"}, "follows speed"),
        ("reference", {"column": "speed", "gain": 1, "on_at": 12.345, "off_at": 9.0}, "follows speed above 12.3"),
        ("reference", {"column": "speed", "gain": -1, "on_at": 12.345, "off_at": 9.0}, "follows speed below 9"),
        ("reaction", {"moment": "lamp on"}, "answers “lamp on”"),
        ("pair", {"with": {"address": 31}}, "answered by 0x1F"),
        ("period", {"seconds": 0.25}, "comes every 250 ms"),
        ("period", {"on change": True}, "comes when something changes"),
        ("text", {}, "text"), ("text", {"column": 0, "reading": "unsigned"}, "column 1, number"),
        ("difference", {}, "tells the two apart"), ("order", {"pattern": "12 34"}, "holds 12 34"), ("new", {}, "new"),
    ],
)  # fmt: skip
def test_what_a_finding_is_in_a_few_words(kind, parameters, words):
    assert title(finding(kind, **parameters)) == words


@pytest.mark.parametrize(("address", "by", "of"), [
    (0x1A0, "answered", "same as B2"), (0x1FFF_FFFF, "answered by 0x1FFFFFFF", "same as B2 of 0x1FFFFFFF"),
    (0x2000_0000, "answered by another message", "same as B2 of another message"),
])  # fmt: skip
def test_another_message_is_named_where_its_address_can_be_read(address, by, of):
    assert title(finding("pair", **{"with": {"address": address}})) == by
    assert title(finding("mirror", of={"places": "B2", "address": address})) == of


@pytest.mark.parametrize(
    ("confidence", "word"),
    [(1.0, "sure"), (0.9, "sure"), (0.899, "likely"), (0.7, "likely"), (0.699, "perhaps"), (0.5, "perhaps"),
     (0.499, "weak"), (0.0, "weak")],
)  # fmt: skip
def test_how_sure_in_a_word(confidence, word):
    assert confidence_word(confidence) == word


def test_figures_in_words():
    assert (count_of(1, "frame"), count_of(0, "frame"), count_of(1200, "frame")) == (
        "1 frame",
        "0 frames",
        "1\u2009200 frames",
    )
    assert (
        share_words(1, 1) == "the one pair"
        and share_words(2, 2) == "all 2 pairs"
        and share_words(0, 1) == "0 of 1 pair"
    )
    assert share_words(1190, 1200, "frame") == "1\u2009190 of 1\u2009200 frames"


@pytest.mark.parametrize(
    ("places", "size", "bits", "from_end"),
    [("B1[3..0]", None, (11, 10, 9, 8), False), ("", 8, (), False), ("B-1", 3, tuple(range(23, 15, -1)), True),
     ("B-2 B-1", 4, (*range(23, 15, -1), *range(31, 23, -1)), True), ("B-1", None, (), True)],
)  # fmt: skip
def test_bits_that_are_counted_from_the_end_depend_on_the_size(places, size, bits, from_end):
    one = finding("field", places)
    assert bits_of(one, size) == bits and is_from_end(one) is from_end


def test_in_which_frames():
    assert When("B0", "2").words == "where B0 is 2"
    assert When("B0", "2..4", InMessage("bow", 0x1A0, "")).words == "after B0 of 0x1A0 was 2..4"


def test_what_is_said_becomes_a_finding_of_its_kind():
    said = Said(
        kind="counter", bits=(3, 2, 1, 0), parameters={"step": 1}, frames=9, against=1, confidence=0.87654, reason="r"
    )
    assert said.of("bow", 5, "read", "Pump") == Finding(
        "bow", 5, "read", "Pump", "counter", "B0[3..0]", {"step": 1}, 9, 1, 0.877, "r"
    )
    whole = Said(kind="period", bits=(), parameters={}, frames=1, confidence=1, reason="r")
    end = Said(kind="check", bits=(7,), places_text="B-1", parameters={}, frames=1, confidence=1, reason="r")
    assert whole.places == "" and end.places == "B-1"
