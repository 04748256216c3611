"""Which addresses a layout asks for, as one text: one address, a span, or the bits of it that must agree."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from ..errors import MisuseError
from ..protocols.registry import protocol_named
from .applies import Applies


def span_text(applies: Applies) -> str:
    """Return it as it is typed: ``0x1A0``, ``0x100..0x1FF``, ``0x100 & 0x7F0``, by its parts; empty for any."""
    if applies.address is None:
        return ""
    if applies.mask is not None or applies.to is None:
        return applies.address_text()
    spoken = protocol_named(applies.protocol)
    return "..".join(spoken.address_text(one, extended=applies.extended) for one in (applies.address, applies.to))


def with_span(applies: Applies, text: str) -> Applies:
    """Return what applies with other addresses.

    Raises
    ------
    MisuseError
        If the text is none that :func:`span_text` gives.
    """
    spoken = protocol_named(applies.protocol)
    address, to, mask, extended = None, None, None, applies.extended
    by_parts = spoken.read_masked(text)
    if by_parts is not None:
        (address, mask), extended = by_parts, True
    elif "&" in text:
        text, _, bits = text.partition("&")
        # under a mask parts are not whole, so both are the numbers that pack them
        address, mask = _hex(text), _hex(bits)
        extended = spoken.is_extended(address, len(_digits(text)), was=applies.extended)
    elif text:
        first, dots, last = text.partition("..")
        address, extended = spoken.read_address(first, was=applies.extended)
        to = spoken.read_address(last, was=applies.extended)[0] if dots else None
    return msgspec.structs.replace(applies, address=address, to=to, mask=mask, extended=extended)


def in_numbers(written: dict[str, Any]) -> dict[str, Any]:
    """Return what applies, as a file has it, with numbers in the place of an address that is a text.

    Raises
    ------
    MisuseError
        If the text is none that :func:`span_text` gives.
    """
    address, protocol = written.get("address"), written.get("protocol", "can")
    if not isinstance(address, str) or not isinstance(protocol, str):
        return written
    read = with_span(Applies(protocol=protocol, extended=written.get("extended") is True), address)
    numbers = {"address": read.address, "to": read.to, "mask": read.mask, "extended": read.extended}
    return written | {name: number for name, number in numbers.items() if number is not None}


def _digits(text: str) -> str:
    return text.strip().lower().removeprefix("0x")


def _hex(text: str) -> int:
    if re.fullmatch(r"[0-9a-f]{1,16}", _digits(text)) is None:
        raise MisuseError(f"{text.strip()!r} is no number in hex digits.", hint="Write it like 0x100 & 0x7F0.")
    return int(_digits(text), 16)
