"""Which payloads are text, byte by byte at the limits."""

from __future__ import annotations

import pytest

from zesty_abacus.core.protocols.said_as_text import LETTERS, is_text

LINES = [b"$YXHDT,12.5,T*2C\r\n", b"$YXHDT,13.5,T*2D\r\n"]


@pytest.mark.parametrize(
    ("protocol", "payloads", "text"),
    [
        ("sentence", LINES, True),
        ("serial", LINES, True),
        ("can", [b"abcdefgh"], False),
        ("modbus", LINES, False),
        ("serial", [b"OK\r"], False),
        ("serial", [b"OK\r\n"], True),
        ("serial", [b"O", b"K", b"\r", b"\n"], True),
        ("serial", [], False),
        ("serial", [b"x" * 95 + b"\x01" * 5], True),
        ("serial", [b"x" * 94 + b"\x01" * 6], False),
    ],
)
def test_text_is_what_a_protocol_of_text_carries_in_letters(protocol, payloads, text):
    assert is_text(protocol, payloads) is text


def test_letters_are_those_of_iso_646_and_what_ends_lines():
    assert {code for code in range(256) if LETTERS[code]} == {9, 10, 13, *range(0x20, 0x7F)}
