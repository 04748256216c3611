"""How much a struct holds of what has no fixed size: what the layout says, else what the macros of the header say."""

from __future__ import annotations

from ..carried_fields import CarriedField
from ..carried_message import CarriedMessage
from ..errors import CannotCarryError
from ..shapes import MOST_ITEMS, MOST_TEXT, MovedList, MovedStruct, every_move


def most_items(move: MovedList, prefix: str) -> str:
    """Return how many items a list has room for, as C."""
    return f"{prefix.upper()}_MOST_ITEMS" if move.most is None else f"{move.most}U"


def most_text(one: CarriedField, prefix: str) -> str:
    """Return how many bytes a text has room for, as C."""
    return f"{one.length}U" if one.length else f"{prefix.upper()}_MOST_TEXT"


def number_of(text: str) -> int:
    """Return what such a text is where nobody defines the macros."""
    if text.endswith("_MOST_ITEMS"):
        return MOST_ITEMS
    return MOST_TEXT if text.endswith("_MOST_TEXT") else int(text.rstrip("U"))


def capacity_lines(prefix: str) -> list[str]:
    """Return the macros of the header."""
    upper = prefix.upper()
    said = (("ITEMS", MOST_ITEMS, "items of a list"), ("TEXT", MOST_TEXT, "bytes of a text"))
    lines = []
    for word, number, what in said:
        lines += ["", f"/* The most {what} that a struct holds where no layout says; define it to have another. */",
                  f"#ifndef {upper}_MOST_{word}", f"#define {upper}_MOST_{word} {number}U", "#endif"]  # fmt: skip
    return lines


_LARGEST = 16 << 20
"""Bytes of a struct: lists in lists in lists have a lot of room in vain."""
_BYTES_OF_A_COUNT = 8


def refuse_too_large(message: CarriedMessage) -> None:
    """Raise :class:`CannotCarryError` where a struct would be larger than anybody has use for."""
    size = _bytes_of(message)
    if size > _LARGEST:
        raise CannotCarryError(f"its lists lie in one another, and their struct would take {size >> 20} MB.")


def _bytes_of(message: CarriedMessage) -> int:
    texts = sum((one.length or MOST_TEXT) + _BYTES_OF_A_COUNT for one in message.fields if not one.is_number)
    size = texts + sum(one.bits // 8 for one in message.fields)
    for move in every_move(message.stretch):
        if isinstance(move, MovedList):
            size += _BYTES_OF_A_COUNT + (move.most if move.most is not None else MOST_ITEMS) * _bytes_of(move.items)
        elif isinstance(move, MovedStruct):
            size += _bytes_of(move.inner)
    return size
