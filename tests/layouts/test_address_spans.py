"""Which addresses a layout asks for, as it is typed."""

import pytest

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.address_spans import span_text, with_span
from zesty_abacus.core.layouts.applies import Applies


@pytest.mark.parametrize(
    ("protocol", "text", "address", "to", "mask"),
    [
        ("can", "", None, None, None),
        ("can", "0x1A0", 0x1A0, None, None),
        ("can", "0x100..0x1FF", 0x100, 0x1FF, None),
        ("can", "0x100 & 0x7F0", 0x100, None, 0x7F0),
        ("can", "0x18FF0210", 0x18FF0210, None, None),
        ("can", "group FEF1 from 21", 0xFEF121, None, 0x3FFFFFF),
        ("modbus", "1/3/100", 0x1030064, None, None),
        ("modbus", "1/3/100..1/3/200", 0x1030064, 0x10300C8, None),
        ("modbus", "0x00030064 & 0x00FFFFFF", 0x30064, None, 0xFFFFFF),
        ("registers", "0x5A/0x10", 0x5A0010, None, None),
        ("sentence", "YZHDT", int.from_bytes(b"YZHDT", "big"), None, None),
        ("bursts", "24 bits..26 bits", 24, 26, None),
    ],
)
def test_addresses_are_written_as_they_are_read(protocol, text, address, to, mask):
    applies = with_span(Applies(protocol=protocol, lanes=("a",)), text)
    assert (applies.address, applies.to, applies.mask, applies.lanes) == (address, to, mask, ("a",))
    assert span_text(applies) == text


def test_a_short_way_of_writing_is_read_as_well():
    assert with_span(Applies(), "1a0") == Applies(address=0x1A0)
    assert with_span(Applies(), "100 .. 1ff") == Applies(address=0x100, to=0x1FF)
    # whoever has the long sort keeps it, unless the digits say another one
    assert with_span(Applies(address=0x1A0, extended=True), "1A1").extended


@pytest.mark.parametrize(
    ("protocol", "text", "words"),
    [("can", "one", "'one' is no address"), ("can", "0x1..", "'' is no address"),
     ("can", "0x100 & mask", "'mask' is no number in hex digits"), ("modbus", "1/3", "is not unit/function/register")],
)  # fmt: skip
def test_what_is_no_address_is_told(protocol, text, words):
    with pytest.raises(MisuseError) as told:
        with_span(Applies(protocol=protocol), text)
    assert words in str(told.value)
