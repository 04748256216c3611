"""Identifiers of 29 bits by their parts, read and written."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from zesty_abacus.core.errors import MisuseError
from zesty_abacus.core.layouts.applies import Applies
from zesty_abacus.core.protocols.groups import parts_text, read_parts


@pytest.mark.parametrize(
    ("text", "address", "mask"),
    [
        ("group FEF1", 0x00FEF100, 0x03FFFF00), ("group FEF1 from any", 0x00FEF100, 0x03FFFF00),
        ("Group 0xFEF1 from 21", 0x00FEF121, 0x03FFFFFF), ("group EF00 to 80 from any", 0x00EF8000, 0x03FFFF00),
        ("group EF00 to any from 03", 0x00EF0003, 0x03FF00FF), ("priority 3 group FECA", 0x0CFECA00, 0x1FFFFF00),
        ("from 0 group 1F801", 0x01F80100, 0x03FFFFFF),
    ],
)  # fmt: skip
def test_what_parts_stand_for(text, address, mask):
    assert read_parts(text) == (address, mask)


@pytest.mark.parametrize(
    ("text", "said"),
    [
        ("group", "no address by its parts"), ("group any", "no address"), ("group FEF1 to 21", "sent to everybody"),
        ("group FEF1 from 1FF", "more than FF"), ("group 4FFFF", "more than 3FFFF"), ("group FEF1 by 3", "no address"),
    ],
)  # fmt: skip
def test_what_cannot_be_is_told(text, said):
    with pytest.raises(MisuseError, match=said):
        read_parts(text)


@given(st.integers(0, 0x1FFF_FFFF), st.booleans(), st.booleans(), st.booleans())
def test_what_is_written_is_read_again(identifier, priority, receiver, sender):
    for_one = identifier >> 16 & 0xFF < 0xF0
    mask = 0x03FF0000 if for_one else 0x03FFFF00
    mask |= (0x1C000000 if priority else 0) | (0xFF00 if receiver and for_one else 0) | (0xFF if sender else 0)
    text = parts_text(identifier & mask, mask)
    assert read_parts(text) == (identifier & mask, mask), text


def test_a_mask_of_half_a_part_stays_a_mask():
    assert parts_text(0x18FEF100, 0x1FFFFFF0) == "" and parts_text(0x100, 0x700) == ""
    half = Applies(address=0x18FEF100, mask=0x1FFFFFF0, extended=True)
    assert half.address_text() == "0x18FEF100 & 0x1FFFFFF0"
    assert Applies(address=0xFEF100, mask=0x3FFFF00, extended=True).address_text() == "group FEF1 from any"
    assert Applies(address=0x100, mask=0x700).address_text() == "0x100 & 0x700"
