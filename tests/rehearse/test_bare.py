"""Frames of which no layout is known."""

import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.protocols.registry import protocol_named
from zesty_abacus.core.rehearse.bare import bare_frame, bare_sorts
from zesty_abacus.core.rehearse.feed_words import parse_feed
from zesty_abacus.core.rehearse.message import OutgoingMessage


@pytest.mark.parametrize(
    ("protocol", "typed", "sort", "address", "flags"),
    [
        ("can", "1A0", "", 0x1A0, 0),
        ("can", "0x18FF0210", "data", 0x18FF0210, F.EXTENDED),
        ("can", "000001A0", "remote", 0x1A0, F.EXTENDED | F.REMOTE),
        ("can", "0x7FF", "long", 0x7FF, F.LONG),
        ("can", "0x7FF", "long, quicker data", 0x7FF, F.LONG | F.RATE_SWITCH),
        ("modbus", "17/3/0x10", "", 17 << 24 | 3 << 16 | 0x10, 0),
        ("registers", "0x5A/0x10", "read", 0x5A0010, F.READ),
        ("registers", "90/16", "write", 0x5A0010, 0),
        ("spi", "0", "", 0, 0),
    ],
)
def test_an_address_is_typed_as_its_bus_writes_it(protocol, typed, sort, address, flags):
    made = bare_frame(protocol, typed, 4, sort)
    frame = OutgoingMessage(made.layout, {"B1": parse_feed("0x2A")}, flags=made.flags).frame(0, 0.0)
    assert (frame.address, frame.flags, frame.payload) == (address, flags, b"\0\x2a\0\0")
    spoken = protocol_named(protocol)
    again = spoken.address_text(address, extended=bool(flags & F.EXTENDED))
    assert spoken.read_address(again) == (address, bool(flags & F.EXTENDED)), again


def test_a_byte_is_fed_like_any_field():
    made = bare_frame("can", "3A0", 2)
    message = OutgoingMessage(made.layout, {"B0": parse_feed("saw 0 to 256 in 256 s"), "B1": parse_feed("= B0 * 2")})
    assert [message.frame(n, float(n)).payload.hex() for n in (0, 1, 100)] == ["0000", "0102", "64c8"]


@pytest.mark.parametrize(
    ("protocol", "typed", "size", "sort", "words"),
    [
        ("can", "1A0x", 8, "", "is no address"), ("can", "", 8, "", "Write it like 0x1A0"),
        ("can", "FFFFFFFF", 8, "", "is not a 29-bit identifier"), ("can", "1A0", 65, "", "up to 64 bytes"),
        ("can", "1A0", 8, "read", "There are data, remote"), ("spi", "0", 8, "read", "no sorts of them"),
        ("modbus", "1/3", 2, "", "is not unit/function/register"), ("modbus", "1/200/0", 2, "", "no function 200"),
        ("registers", "0x400/0", 2, "", "there is no device 1024"), ("registers", "-1/0", 2, "", "like 0x5A/0x10"),
    ],
)  # fmt: skip
def test_what_is_no_frame_is_told(protocol, typed, size, sort, words):
    with pytest.raises(MisuseError) as told:
        bare_frame(protocol, typed, size, sort)
    assert words in str(told.value)


def test_sorts_are_those_of_the_bus():
    assert bare_sorts("can") == ("data", "remote", "long", "long, quicker data")
    assert bare_sorts("registers") == ("write", "read")
    assert bare_sorts("modbus") == ()
