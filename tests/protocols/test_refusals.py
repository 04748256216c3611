"""What a device says when it refuses, in fixed words."""

import pytest

from zesty_abacus.core.protocols.registry import protocol_named


@pytest.mark.parametrize(
    ("payload", "words"),
    [
        # MODBUS Application Protocol V1.1b3, 7: exception codes
        ("01", "illegal function"), ("02", "illegal address"), ("03", "illegal value"), ("04", "device failure"),
        ("05", "acknowledged, busy"), ("06", "device busy"), ("08", "memory parity error"),
        ("0A", "gateway path unavailable"), ("0B", "gateway target silent"),
        # and what it leaves free
        ("00", "exception 0"), ("07", "exception 7"), ("09", "exception 9"), ("0C", "exception 12"),
        ("FF", "exception 255"), ("", ""), ("02 99", "illegal address"),
    ],
)  # fmt: skip
def test_the_codes_of_modbus_are_said_as_the_standard_says_them(payload, words):
    assert protocol_named("modbus").refusal_text(bytes.fromhex(payload)) == words
