"""Identifiers of 29 bits by their parts (ISO 11783-3, 5.2): priority, group, receiver and sender.

A group whose second byte is below 0xF0 is sent to one receiver, whose address stands in the place of its last byte.
"""

from __future__ import annotations

import re

from ..errors import MisuseError

_PRIORITY, _GROUP, _SENDER = 0x1C00_0000, 0x03FF_FF00, 0xFF
_FIRST_FOR_ALL = 0xF0
_WORDS = re.compile(r"(priority|group|to|from)\s+(any|(?:0x)?[0-9a-f]{1,5})\b", re.IGNORECASE)
_HINT = "Write group FEF1, group FEF1 from 21, group EF00 to 80 from any, priority 3 group FECA."


def is_by_parts(text: str) -> bool:
    """Return whether an address is written by its parts."""
    return "group" in text.lower()


def read_parts(text: str) -> tuple[int, int]:
    """Return the address and the mask that parts stand for; what is not named, or *any*, is left free.

    Raises
    ------
    MisuseError
        If the text is no such address.
    """
    found = {word.lower(): number.lower() for word, number in _WORDS.findall(text)}
    if _WORDS.sub("", text).strip(" ,") or found.get("group", "any") == "any":
        raise MisuseError(f"{text!r} is no address by its parts.", hint=_HINT)
    numbers = {word: int(number, 16) for word, number in found.items() if number != "any"}
    group = numbers["group"]
    for_one = group >> 8 & 0xFF < _FIRST_FOR_ALL
    limits = {"priority": 7, "group": 0x3FFFF, "to": 0xFF, "from": 0xFF}
    for word, number in numbers.items():
        if number > limits[word]:
            raise MisuseError(f"{word} {number:X} is more than {limits[word]:X}.", hint=_HINT)
    if "to" in numbers and not for_one:
        raise MisuseError(f"group {group:04X} is sent to everybody, and has no receiver.", hint=_HINT)
    address, mask = group << 8, _GROUP & ~0xFF00 if for_one else _GROUP
    if for_one:
        address &= ~0xFF00
    for word, shift, bits in (("priority", 26, _PRIORITY), ("to", 8, 0xFF00), ("from", 0, _SENDER)):
        if word in numbers:
            address, mask = address | numbers[word] << shift, mask | bits
    return address, mask


def parts_text(address: int, mask: int) -> str:
    """Return an address under a mask by its parts; empty if the mask asks for no whole parts."""
    for_one = address >> 16 & 0xFF < _FIRST_FOR_ALL
    group_bits = _GROUP & ~0xFF00 if for_one else _GROUP
    if mask & group_bits != group_bits:
        return ""
    rest, said = mask & ~group_bits, []
    for bits in (_PRIORITY, 0xFF00 if for_one else 0, _SENDER):
        if rest & bits not in (0, bits):
            return ""
        rest &= ~bits
    if rest:
        return ""
    if mask & _PRIORITY:
        said.append(f"priority {address >> 26 & 7}")
    group = address >> 8 & (0x3FF00 if for_one else 0x3FFFF)
    said.append(f"group {group:04X}")
    if for_one:
        said.append(f"to {address >> 8 & 0xFF:02X}" if mask & 0xFF00 else "to any")
    said.append(f"from {address & 0xFF:02X}" if mask & _SENDER else "from any")
    return " ".join(said)
