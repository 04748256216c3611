"""Bytes added up, with carry dropped or brought round, kept plain or negated."""

from __future__ import annotations

import enum
from collections.abc import Mapping
from typing import TYPE_CHECKING, ClassVar
from uuid import uuid4

import numpy as np
from numpy.typing import NDArray

from ..attribute import Attribute, whole, whole_or_one
from ..fields import Field
from ..problems import Said
from ..template import Template, free_name, with_field_for_check
from .over_bytes import WORD_BITS, OverBytes, before, word_bits_problems

if TYPE_CHECKING:
    # a layout is made of checks
    from ..model import Layout

_NEGATIONS = ("none", "ones", "twos")


class Carry(enum.Enum):
    """What a sum does with its carry."""

    DROPPED = "dropped"
    AROUND = "around"
    """Added in at the bottom again, as in the Internet checksum (RFC 1071)."""


class Sum(OverBytes, frozen=True, kw_only=True, omit_defaults=True, tag="sum"):
    """Bytes, or words of several bytes, added up.

    Attributes
    ----------
    width
        Bits of the sum; 0 is as many as the field has.
    word_bytes
        1, 2 or 4; a last incomplete word is filled with zeros.
    low_byte_first
        Order within a word.
    start
        What the sum begins with.
    word_bits
        8, or 4 where each byte goes in as its two halves.
    negated
        ``none``; ``ones`` turns every bit of the sum round; ``twos`` makes sum and check add up to zero.
    """

    width: int = 0
    word_bytes: int = 1
    low_byte_first: bool = False
    start: int = 0
    carry: Carry = Carry.DROPPED
    negated: str = "none"
    word_bits: int = 8

    attributes: ClassVar[tuple[Attribute, ...]] = (
        *OverBytes.attributes, Attribute("word_bytes", "word bytes", "1", whole_or_one),
        Attribute("start", "start", "0", whole),
        Attribute("carry", "carry", "", lambda text, _: Carry(text), tuple(carry.value for carry in Carry),
                  choice_words={"around": "added again"}),
        Attribute("negated", "negated", choices=_NEGATIONS,
                  choice_words={"none": "no", "ones": "ones' complement", "twos": "two's complement"}),
        WORD_BITS,
    )  # fmt: skip
    rank: ClassVar[int] = 1

    @classmethod
    def templates(cls) -> tuple[Template, ...]:
        return (Template("Sum over the bytes before", "checks", _add),)

    def words(self) -> str:
        return "sum"

    def problems(self, known: Mapping[str, Field]) -> Said:
        yield from super().problems(known)
        if not 0 <= self.width <= 64:
            yield "width", f"A sum has at most 64 bits, not {self.width}."
        if not 0 <= self.start < 1 << 64:
            yield "start", f"{self.name} begins with {self.start}, which 64 bits do not hold."
        if self.word_bytes not in (1, 2, 4) or self.negated not in _NEGATIONS:
            yield "word_bytes", f"{self.name} adds words of 1, 2 or 4 bytes, negated none, ones or twos."

        yield from word_bits_problems(self.name, self.word_bits)
        if self.word_bits == 4 and self.word_bytes != 1:
            yield "word_bytes", f"{self.name} adds half bytes or words, not both."

    @property
    def unit_bits(self) -> int:
        return self.word_bits

    def taken(
        self, data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], width: int
    ) -> NDArray[np.uint64]:
        from ...kernels.sums import sums  # compiled code loads when a check is made, not with a layout

        if self.word_bits == 4:
            data, first, end = _halved(data), first * 2, end * 2
        return sums(
            data, first, end, self.word_bytes, self.low_byte_first, np.uint64(self.start), self.width or width,
            self.carry is Carry.AROUND, _NEGATIONS.index(self.negated),
        )  # fmt: skip


def _halved(data: NDArray[np.uint8]) -> NDArray[np.uint8]:
    """Return bytes as twice as many that hold a half each, the upper one first."""
    return np.stack([data >> 4, data & 15], axis=2).reshape(len(data), -1)


def _add(layout: Layout) -> Layout:
    layout, field = with_field_for_check(layout, ("sum", "check"))
    over = before(field, layout)
    return layout.with_item(Sum(id=uuid4(), name=free_name(layout, "sum check"), field=field.id, coverage=over))


CHECK = Sum
