"""The functions of conditions: each a record with how it is written and what it makes."""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING

from ..expressions.tree import Name, Number
from ..frames import flags as F
from ..nearest import nearest, short
from .facts import TEXTS
from .frame_terms import AfterMoment, BytesAt, Flagged, HasBytes
from .items import EachItem
from .term import Term
from .tree import AnyNode, ConditionError
from .value_terms import Moved
from .values import FieldValue, Literal, Value, all_values

if TYPE_CHECKING:
    # what binds calls functions, and they ask it for their values
    from .bind import Binder

FLAG_WORDS = {
    **{word: bit for bit, word in F.named_flags()},
    # an acknowledge that is missing and an answer that refuses are told by different links
    "refused": F.REFUSED | F.EXCEPTION,
}


@dataclass(frozen=True, slots=True)
class Function:
    """A function that is a condition.

    Attributes
    ----------
    takes
        The least and the most values.
    make
        Returns the condition, given who binds and the values as they are written; raises ConditionError.
    """

    takes: tuple[int, int]
    make: Callable[..., Term]


def _bytes(binder: Binder, pattern: AnyNode, offset: AnyNode | None = None) -> Term:
    text = binder.text(pattern, 'bytes takes a pattern in quotes, as bytes("0? FF").')
    offset = Number(Fraction(0)) if offset is None else offset
    if not isinstance(offset, Number) or offset.value.denominator != 1 or not 0 <= offset.value < 1 << 20:
        raise ConditionError("the second value of bytes is the number of the first byte, from 0.")
    digits = re.sub(r"[ \t]+", "", text).upper()
    if not digits or len(digits) % 2 or re.search(r"[^0-9A-F?]", digits):
        raise ConditionError(
            f"“{short(text)}” is no pattern of bytes.", hint="Write two hex digits a byte; ? is any digit."
        )
    pairs = [(digits[n : n + 2]) for n in range(0, len(digits), 2)]
    mask = bytes(int("".join("0" if digit == "?" else "F" for digit in pair), 16) for pair in pairs)
    wanted = bytes(int(pair.replace("?", "0"), 16) for pair in pairs)
    return BytesAt(mask, wanted, int(offset.value), " ".join(pairs))


def _has_bytes(binder: Binder, pattern: AnyNode) -> Term:
    text = binder.text(pattern, 'has_bytes takes bytes in quotes, as has_bytes("55 AA").')
    digits = re.sub(r"[ \t]+", "", text)
    if not digits or len(digits) % 2 or re.search(r"[^0-9A-Fa-f]", digits):
        raise ConditionError(
            f"“{short(text)}” are no bytes.",
            hint='Write two hex digits a byte; letters are searched by has_text("…").',
        )
    wanted = bytes.fromhex(digits)
    return HasBytes(wanted, f"that hold the bytes {wanted.hex(' ').upper()}")


def _has_text(binder: Binder, wanted: AnyNode) -> Term:
    text = binder.text(wanted, 'has_text takes a text in quotes, as has_text("hook"); bytes are has_bytes("55 AA").')
    if not text:
        raise ConditionError("an empty text is in every frame.")
    return HasBytes(text.encode(), f"that hold the text “{text}”")


def _flag(binder: Binder, wanted: AnyNode) -> Term:
    text = binder.text(wanted, 'flag takes a word in quotes, as flag("bad check").')
    word = text.replace("_", " ").strip().lower()
    binder.must_be_one_of(word, FLAG_WORDS, "flag")
    return Flagged(FLAG_WORDS[word], word)


def _crosses(binder: Binder, value: AnyNode, level: AnyNode) -> Term:
    found, wanted = _number_that_moves(binder, value), binder.value(level)
    if not isinstance(wanted, Literal):
        raise ConditionError("crosses takes a value and the number that it crosses.")
    binder.check_units(found, wanted)
    return Moved("crosses", found, wanted)


def _number_that_moves(binder: Binder, node: AnyNode) -> Value:
    if isinstance(node, Name) and node.name in TEXTS:
        raise ConditionError(f"{node.name} is a text, and whether it changes cannot be asked.")
    value = binder.value(node)
    several = next((one for one in all_values([value]) if isinstance(one, EachItem)), None)
    if several is not None:
        raise ConditionError(
            f"{several.name} is there several times in a frame, and whether it changes cannot be asked of all.",
            hint=f"Name one of them, as `array[3].{several.name}`.",
        )
    if isinstance(value, FieldValue) and all(not field.raw_is_number for _, field in binder.known.having(value)):
        raise ConditionError(f"{value.words()} is a text, and whether it changes cannot be asked.")
    return value


def _after(binder: Binder, moment: AnyNode, within: AnyNode) -> Term:
    text = binder.text(moment, 'after takes the text of a moment and a time, as after("hook released", 2 s).')
    times = tuple(one.time_ns for one in binder.known.moments if one.text == text)
    if not times:
        known = sorted({one.text for one in binder.known.moments})
        none = "There are no moments here." if not known else nearest(text, known)
        raise ConditionError(f"there is no moment called “{short(text)}”.", hint=none)
    within_ns, words = binder.duration(within, "after")
    return AfterMoment(text, times, within_ns, words)


def _moves(how: str) -> Function:
    return Function((1, 1), lambda binder, value: Moved(how, _number_that_moves(binder, value)))


FUNCTIONS: dict[str, Function] = {
    "bytes": Function((1, 2), _bytes),
    "has_bytes": Function((1, 1), _has_bytes),
    "has_text": Function((1, 1), _has_text),
    "flag": Function((1, 1), _flag),
    "changes": _moves("changes"),
    "rises": _moves("rises"),
    "falls": _moves("falls"),
    "crosses": Function((2, 2), _crosses),
    "after": Function((2, 2), _after),
}
