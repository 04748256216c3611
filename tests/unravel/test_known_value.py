"""A value that must be in there is found wherever and however it stands, and nothing that does not give it is named."""

import struct
from fractions import Fraction

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from tests.unravel.conftest import make_capture
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.places import parse_places
from zesty_abacus.core.reading.meaning import Meaning
from zesty_abacus.core.unravel.known_value import Sighting, places_of_value

SECOND = 1_000_000_000


def meaning_of(*payloads):
    matrix = np.array([list(one) for one in payloads], np.uint8)
    return Meaning.of(make_capture((np.arange(len(matrix), dtype=np.int64) * SECOND, matrix)), [])


def raw_of(places, payload):
    raw = 0
    for bit in parse_places(places).bits:
        raw = raw << 1 | payload[bit // 8] >> bit % 8 & 1
    return raw


@given(st.integers(0, 3), st.integers(1000, 65000), st.integers(1000, 65000), st.booleans())
def test_a_number_seen_twice_is_found_where_it_was_put(byte, one, other, low_first):
    form = "<H" if low_first else ">H"
    frames = []
    for value in (one, other):
        frame = bytearray(b"\x5a\xa5\x3c\xc3\x69\x96")
        frame[byte : byte + 2] = struct.pack(form, value)
        frames.append(bytes(frame))
    sightings = [Sighting(0, f"{one / 10}"), Sighting(SECOND, f"{other / 10}")]
    found = places_of_value(meaning_of(*frames), [0], sightings)
    wanted = f"B{byte + 1} B{byte}" if low_first else f"B{byte} B{byte + 1}"
    assert any(finding.places == wanted and finding.parameters["ratio"] == "0.1" for _, finding in found)
    for _, finding in found:
        if finding.parameters["reading"] == "unsigned" and "inverted" not in finding.parameters:
            ratio = Fraction(finding.parameters["ratio"])
            assert raw_of(finding.places, frames[0]) * ratio == Fraction(f"{one / 10}")
            assert raw_of(finding.places, frames[1]) * ratio == Fraction(f"{other / 10}")


def test_a_pattern_of_32_bits_gives_the_order_of_its_bytes():
    found = places_of_value(meaning_of(bytes.fromhex("00 CA FE 12 34")[::-1]), [0], [Sighting(0, "0xCAFE1234")])
    assert parse_places(found[0][1].places) == parse_places("B3 B2 B1 B0") and found[0][1].confidence > 0.9


def test_a_text_is_found_in_any_encoding_and_order():
    matrix = [b"..YUZU..........", b"........UZUY....", b"...." + "YUZU".encode("utf-16-le") + b"...."]
    places = {
        (finding.parameters["encoding"], parse_places(finding.places)): finding.frames
        for _, finding in places_of_value(meaning_of(*matrix), [0], [Sighting(0, '"YUZU"')])
    }
    assert places[("ascii", parse_places("B2 B3 B4 B5"))] == 1
    assert places[("ascii", parse_places("B11 B10 B9 B8"))] == 1
    assert places[("utf-16-le", parse_places("B4..B11"))] == 1


def test_what_is_no_value_is_told():
    with pytest.raises(MisuseError, match="is no value"):
        places_of_value(meaning_of(b"\0\0"), [0], [Sighting(0, "twelve")])


def test_before_the_first_frame_nothing_is_found():
    assert places_of_value(meaning_of(b"\x07\0"), [0], [Sighting(-1, "7")]) == []
