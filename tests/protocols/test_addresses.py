"""Addresses are written as the engineers of each bus write them."""

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.frames import flags as F
from zesty_abacus.core.frames.kind_key import KindKey
from zesty_abacus.core.lines.registry import decoders
from zesty_abacus.core.links.framing import framings
from zesty_abacus.core.protocols.by_hand import NAME as BY_HAND
from zesty_abacus.core.protocols.protocol import Protocol
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


@pytest.mark.parametrize(
    ("protocol", "address", "extended", "text", "also"),
    [
        ("can", 0x1A0, False, "0x1A0", "1a0"),
        ("can", 0x1A0, True, "0x000001A0", "000001A0"),
        ("i2c", 0x5A, False, "0x5A", "5a"),
        ("modbus", 17 << 24 | 3 << 16 | 107, False, "17/3/107", "0x1103006B"),
        ("registers", 0x5A0010, False, "0x5A/0x10", "90/16"),
        ("registers", 1 << 32 | 0x5A0000, False, "0x5A/none", "0x1005A0000"),
        ("sdo", 3 << 24 | 0x1018 << 8 | 1, False, "3/0x1018/1", "0x03101801"),
        ("sentence", int.from_bytes(b"YZHDG", "big"), False, "YZHDG", "0x595A484447"),
        ("words", 5 << 5 | 3, False, "5/3", "0xA3"),
        ("words", 1 << 10, False, "0x400", "0x0400"),
        ("network", 502 << 32 | 4, False, "502/4", "0x1F600000004"),
        ("network", 0x8E89BED6, False, "0x8E89BED6", "8e89bed6"),
        ("bursts", 26, False, "26 bits", "0x1A"),
    ],
)
def test_an_address_is_typed_as_it_is_written(protocol, address, extended, text, also):
    spoken = protocol_named(protocol)
    assert spoken.address_text(address, extended=extended) == text
    assert spoken.read_address(text) == (address, extended)
    assert spoken.read_address(also) == (address, extended), "the number as a whole is read as well"


def test_the_documents_say_how_addresses_are_typed():
    table = (Path(__file__).parents[2] / "docs" / "layouts.md").read_text().partition("| protocol | is written |")[2]
    rows = [row.split("|") for row in table.partition("\n\n")[0].splitlines()[2:]]
    said = {
        name: re.findall("`([^`]+)`", cells) for _, names, cells, *_ in rows for name in re.findall("`([^`]+)`", names)
    }
    packed = {name for name, one in protocols().items() if type(one).read_address is not Protocol.read_address}
    assert packed <= set(said), "each that is typed in a way of its own stands there"
    for name, examples in said.items():
        spoken = protocol_named(name)
        for example in examples:
            address, extended = spoken.read_address(example)
            assert spoken.address_text(address, extended=extended) == example


@pytest.mark.parametrize("name", [name for name in protocols() if name != BY_HAND])
@given(address=st.one_of(st.integers(0, 0x7FF), st.integers(0, (1 << 34) - 1), st.integers(0, (1 << 63) - 1)))
def test_any_address_is_read_as_it_was_written(name, address):
    spoken = protocol_named(name)
    for extended in (False, True):
        if spoken.is_extended(address, spoken.digits_of(extended)) == extended and (
            not spoken.trouble_with(address, extended=extended)
        ):  # fmt: skip
            assert spoken.read_address(spoken.address_text(address, extended=extended)) == (address, extended)


@pytest.mark.parametrize(
    ("protocol", "text", "words"),
    [
        ("modbus", "0x5A", "is not unit/function/register"), ("registers", "0x5A", "is not device/register"),
        ("sentence", "TOOLONGAHEAD", "has more than 8 letters"), ("sentence", "YZ HDG", "Write it like YZHDT"),
        ("network", "70000/1", "there is no port 70000"), ("words", "32/1", "there is no terminal 32"),
        ("bursts", "many", "is no address"), ("can", "0x", "is no address"), ("sdo", "1/2", "node/index/subindex"),
    ],
)  # fmt: skip
def test_what_cannot_be_typed_is_told(protocol, text, words):
    with pytest.raises(MisuseError) as told:
        protocol_named(protocol).read_address(text)
    assert words in str(told.value)


@pytest.mark.parametrize(
    ("protocol", "address", "flags", "text"),
    [
        ("modbus", 17 << 24 | 3 << 16 | 107, F.ANSWER, "holding 107 answer"),
        ("registers", 0x5A0010, F.READ, "read from 0x10"),
        ("registers", 1 << 32 | 0x5A0000, 0, "no register"),
        ("sdo", 3 << 24 | 0x1018 << 8 | 1, F.READ | F.ANSWER, "1018.01 read answer"),
        ("can", 0x1A0, 0, "0x1A0"),
    ],
)
def test_below_a_device_only_the_rest_is_said(protocol, address, flags, text):
    assert protocol_named(protocol).text_at_device(KindKey(0, address, flags)) == text


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
