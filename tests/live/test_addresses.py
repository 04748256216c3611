"""Endpoints as they are written."""

import pytest

from zesty_abacus.core.durations import duration_ns
from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.live.address import parse_endpoint
from zesty_abacus.core.live.frame_text import parse_frame
from zesty_abacus.core.live.registry import endpoint_of, lane_and_address, schemes


def test_an_endpoint_is_taken_apart():
    one = parse_endpoint("modbus://127.0.0.1:502/17?timeout=0.5")
    assert (one.scheme, one.host, one.port, one.place, dict(one.options)) == (
        "modbus", "127.0.0.1", 502, "17", {"timeout": "0.5"},
    )  # fmt: skip
    assert parse_endpoint("can:vcan0").place == "vcan0"
    assert parse_endpoint("serial:/dev/ttyUSB0?baud=19200&parity=E").options["parity"] == "E"
    assert (parse_endpoint("udp://[::1]:9").host, parse_endpoint("udp://[::1]:9").port) == ("::1", 9)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("vcan0", "is no endpoint"),
        ("can:", "is no endpoint"),
        ("teapot:1", "there is no endpoint 'teapot'"),
        ("udp://127.0.0.1", "names no port"),
        ("udp://:5000", "names no host"),
        ("udp://127.0.0.1:99999", "its port is no number"),
        ("udp://127.0.0.1:5?listen=maybe", "neither 1 nor 0"),
        ("udp://127.0.0.1:5?color=red", "has no option 'color'"),
        ("tcp://127.0.0.1", "names no port"),
        ("serial:/dev/null?baud=fast", "no number"),
        ("serial:/dev/null?speak=latin", "not one of"),
        ("modbus://127.0.0.1:502/300", "no unit"),
        ("bench:kumquat", "there is no bench"),
        ("can:vcan0?listen=1", "has no option"),
    ],
)
def test_what_makes_no_sense_is_told_before_anything_is_opened(text, words):
    with pytest.raises(MisuseError) as caught:
        endpoint_of(text)
    assert words in str(caught.value)


def test_every_scheme_offers_an_example_of_itself():
    for scheme, opens in schemes().items():
        assert endpoint_of(opens.example).address.scheme == scheme


def test_a_lane_is_named_before_the_endpoint():
    assert lane_and_address("thruster=can:vcan0") == ("thruster", "can:vcan0")
    assert lane_and_address("serial:/dev/ttyS0?baud=9600") == ("", "serial:/dev/ttyS0?baud=9600")
    assert endpoint_of("thruster=can:vcan0").lanes[0].name == "thruster"


@pytest.mark.parametrize(
    ("text", "nanoseconds"),
    [("50ms", 50_000_000), ("2 s", 2_000_000_000), ("1min", 60_000_000_000), ("0.25", 250_000_000), ("3us", 3_000)],
)
def test_lengths_of_time(text, nanoseconds):
    assert duration_ns(text) == nanoseconds


@pytest.mark.parametrize("text", ["", "soon", "0", "-1s", "5 V", "1e99 h"])
def test_what_is_no_length_of_time(text):
    with pytest.raises(MisuseError):
        duration_ns(text)


@pytest.mark.parametrize(
    ("text", "address", "flags", "payload"),
    [
        ("1A0#0C00", 0x1A0, set(), "0c00"),
        ("1a0#", 0x1A0, set(), ""),
        ("18FF0210#01.02.03", 0x18FF0210, {"extended"}, "010203"),
        ("00000123#AA", 0x123, {"extended"}, "aa"),
        ("123#R", 0x123, {"remote"}, ""),
        ("123##5" + "00" * 12, 0x123, {"long", "rate_switch"}, "00" * 12),
    ],
)
def test_frames_as_text(text, address, flags, payload):
    from zesty_abacus.core.frames.flags import flag_words

    frame = parse_frame(text)
    assert (frame.address, set(flag_words(frame.flags).split()), frame.payload.hex()) == (address, flags, payload)


@pytest.mark.parametrize(
    "text", ["", "1A0", "800#00", "1A0#0", "1A0#GG", "1A0#" + "00" * 9, "1A0##0" + "00" * 13, "20000000#00", "1A0#R9"]
)
def test_what_is_no_frame(text):
    with pytest.raises(MisuseError):
        parse_frame(text)
