"""Checks: what must agree in a frame before its values may be believed.

===============  ================================================================================
`Counter`        a field that goes up by a step from frame to frame
`Sum`            bytes added up, with carry dropped, kept or brought round
`Xor`            bytes exclusive-ored
`Crc`            a cyclic redundancy check of 1 to 64 bits
`Complement`     a field is another one with every bit turned round
`Reserved`       bits that always have one value
`Rule`           an expression that is true: ``length == size - 4``
===============  ================================================================================

A counter and reserved bits are reported when they disagree; the others make every value of the frame
invalid.
"""

from __future__ import annotations

import enum
from uuid import UUID

import msgspec

from ..expressions.expression import Expression
from .places import Places


class AddressKey(msgspec.Struct, frozen=True, forbid_unknown_fields=True):
    """Hex digits of the bytes that a sender with this address mixes in."""

    address: int
    key: str


class Coverage(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which bytes a check is taken over, in which order.

    Attributes
    ----------
    places
        Bits in order, taken eight at a time; None is the stretch from ``first`` up to ``end``.
    first, end
        Byte numbers counted from the payload's start, ``end`` not included: ``0`` and ``size - 1``.
    key_before, key_after
        Hex digits of bytes that are not in the frame but in the check.
    keys
        Bytes put before by the address of the frame; for senders that mix a key of their own in.
    address_bytes
        The frame's address goes before in this many bytes.
    address_low_first
        In which order.
    """

    places: Places | None = None
    first: Expression = Expression("0")
    end: Expression = Expression("size")
    key_before: str = ""
    key_after: str = ""
    keys: tuple[AddressKey, ...] = ()
    address_bytes: int = 0
    address_low_first: bool = True


class _Check(
    msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="check"
):
    """What every check has. ``field`` is the field that holds the check, a fixed one or one of a once-only group."""

    id: UUID
    name: str
    note: str = ""


class Counter(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="counter"):
    """A field that goes up by ``step`` and starts again behind its highest value.

    Attributes
    ----------
    wraps_at
        How many values it runs through; None is as many as its bits hold.
    per
        Fields that tell senders apart; each counts for itself.
    """

    field: UUID
    step: int = 1
    wraps_at: int | None = None
    per: tuple[UUID, ...] = ()


class Carry(enum.Enum):
    """What a sum does with its carry."""

    DROPPED = "dropped"
    AROUND = "around"
    """Added in at the bottom again, as in the Internet checksum (RFC 1071)."""


class Sum(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="sum"):
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
    negated
        ``none``; ``ones`` turns every bit of the sum round; ``twos`` makes sum and check add up to zero.
    """

    field: UUID
    coverage: Coverage = Coverage()
    width: int = 0
    word_bytes: int = 1
    low_byte_first: bool = False
    start: int = 0
    carry: Carry = Carry.DROPPED
    negated: str = "none"


class Xor(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="xor"):
    """Bytes exclusive-ored, beginning with ``start``."""

    field: UUID
    coverage: Coverage = Coverage()
    start: int = 0


class Crc(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="crc"):
    """A cyclic redundancy check in the parameters customary since Williams, *A painless guide* (1993).

    Attributes
    ----------
    width
        Bits of the register, 1 to 64; the field may be narrower and then holds the lowest bits.
    polynomial
        Without its highest term, the highest remaining term at the top.
    start, final
        What the register begins with, and what it is exclusive-ored with at the end.
    reflect_in, reflect_out
        Bytes go in lowest bit first; the register is turned round at the end.
    """

    field: UUID
    coverage: Coverage = Coverage()
    width: int
    polynomial: int
    start: int = 0
    final: int = 0
    reflect_in: bool = False
    reflect_out: bool = False


class Complement(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="complement"):
    """``field`` has every bit of ``of`` turned round."""

    field: UUID
    of: UUID


class Reserved(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="reserved"):
    """Bits that always read ``value``; they count as explained."""

    places: Places
    value: int = 0


class Rule(_Check, frozen=True, kw_only=True, omit_defaults=True, tag="rule"):
    """An expression that is true in every good frame."""

    expression: Expression


Check = Counter | Sum | Xor | Crc | Complement | Reserved | Rule
ReportOnly = (Counter, Reserved)
"""Checks whose disagreement does not make the values of the frame invalid."""

CHECK_WORDS = {
    Counter: "counter", Sum: "sum", Xor: "exclusive or", Crc: "CRC", Complement: "complement", Reserved: "reserved",
    Rule: "rule",
}  # fmt: skip


def check_words(check: Check) -> str:
    """Return what a check is, in words, such as ``CRC-16``."""
    return f"CRC-{check.width}" if isinstance(check, Crc) else CHECK_WORDS[type(check)]


def check_expressions(check: Check) -> tuple[Expression, ...]:
    """Return the expressions a check is made with."""
    if isinstance(check, Rule):
        return (check.expression,)
    return (check.coverage.first, check.coverage.end) if isinstance(check, Sum | Xor | Crc) else ()


def held_by(check: Check) -> tuple[UUID, ...]:
    """Return the fields that carry nothing but the check."""
    return (check.field,) if isinstance(check, Sum | Xor | Crc | Complement | Counter) else ()


def check_fields(check: Check) -> tuple[UUID, ...]:
    """Return the fields a check names."""
    if isinstance(check, Counter):
        return (check.field, *check.per)
    if isinstance(check, Complement):
        return check.field, check.of
    return (check.field,) if isinstance(check, Sum | Xor | Crc) else ()
