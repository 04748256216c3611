"""Addresses are written as the engineers of each bus write them."""

import pytest

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.links.framing import framings
from zesty_abacus.core.protocols.registry import protocol_named, protocols


@pytest.mark.parametrize(
    ("protocol", "address", "flags", "text"),
    [
        ("can", 0x1A0, 0, "0x1A0"),
        ("can", 0x18FF0210, F.EXTENDED, "0x18FF0210"),
        ("i2c", 0x5A, F.READ, "0x5A read"),
        ("i2c", 0x155, F.EXTENDED, "0x155 write"),
        ("registers", 0x5A0010, F.READ, "0x5A read from 0x10"),
        ("modbus", 17 << 24 | 3 << 16 | 107, F.ANSWER, "17 · holding 107 answer"),
        ("modbus", 1 << 24 | 99 << 16, F.ANSWER | F.EXCEPTION, "1 · function 99 0 refused"),
        ("spi", 1, F.ANSWER, "from device"),
        ("bursts", 26, 0, "26 bits"),
        ("sentence", int.from_bytes(b"YZHDG", "big"), 0, "YZHDG"),
        ("sentence", 0, 0, "no sentence"),
        ("words", 5 << 5 | 3, F.ANSWER, "terminal 5 · 3 answer"),
        ("words", 0, 0, "words"),
        ("network", 502 << 32 | 4, F.ANSWER, "port 502 #4 from server"),
        ("network", 0x8E89BED6, 0, "0x8E89BED6"),
        ("serial", 0, 0, "telegrams"),
        ("hdlc", 0, 0, "packets"),
        ("clocked", 1, 0, "bursts 1"),
    ],
)
def test_addresses(protocol, address, flags, text):
    assert protocol_named(protocol).kind_text(KindKey(0, address, flags)) == text


def test_every_protocol_that_is_spoken_is_known():
    spoken = {one.protocol for one in (*decoders(), *framings())} | {"can"}
    assert spoken <= set(protocols())
    assert all(one.title and one.kind_text(KindKey(0, 3, 0)) for one in protocols().values())


def test_a_protocol_that_is_not_known_has_plain_addresses():
    strange = protocol_named("pigeon post")
    assert strange.title == "pigeon post" and strange.kind_text(KindKey(0, 3, 0)) == "0x03"


@pytest.mark.parametrize(
    ("address", "digits", "was", "extended"),
    [(0x100, 3, False, False), (0x100, 3, True, True), (0x100, 8, False, True), (0x800, 3, False, False),
     (0x1234, 4, False, True)],
)  # fmt: skip
def test_which_identifiers_are_extended(address, digits, was, extended):
    assert protocol_named("can").is_extended(address, digits, was=was) == extended


def test_what_is_no_address():
    can = protocol_named("can")
    assert can.trouble_with(0x800) == "0x800 is not a 11-bit identifier (0 to 0x7ff)."
    assert not can.trouble_with(0x800, extended=True) and can.trouble_with(1 << 29, extended=True)
    assert protocol_named("i2c").trouble_with(-1) == "-1 is below 0."
