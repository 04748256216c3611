"""Addresses are written as the engineers of each bus write them."""

import pytest

from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.addresses import address_text
from zesty_abacus.core.frames.kinds import KindKey
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.links.framing import framings


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
    assert address_text(protocol, KindKey(0, address, flags)) == text


def test_every_protocol_has_a_way_to_write_addresses():
    for one in (*decoders(), *framings()):
        assert address_text(one.protocol, KindKey(0, 3, 0))
