"""A finding: a statement about bits that anybody who has the capture can check."""

from __future__ import annotations

import re
from typing import Any

import msgspec

from ..layouts.places import Places, format_places, parse_places

KINDS = (
    "field", "constant", "counter", "check", "complement", "mirror", "selector", "length", "count", "reference",
    "reaction", "pair", "period", "text", "difference", "order",
)  # fmt: skip


_FROM_END = re.compile(r"B-(\d+)")


class InMessage(msgspec.Struct, frozen=True):
    """A message by its lane, address, and the flags that tell it from others of the address."""

    lane: str
    address: int
    flags: str


class When(msgspec.Struct, frozen=True, omit_defaults=True):
    """Bits that have one of some raw values in the frames that a finding speaks of.

    Attributes
    ----------
    places
    values
        As sets of raw values are written: ``1, 3..5``.
    in_
        The message whose last frame before has these bits; None is the frame itself.
    """

    places: str
    values: str
    in_: InMessage | None = msgspec.field(default=None, name="in")

    @property
    def words(self) -> str:
        """Say it behind a finding: ``where B0 is 2``."""
        if self.in_ is None:
            return f"where {self.places} is {self.values}"
        return f"after {self.places} of 0x{self.in_.address:X} was {self.values}"


class Finding(msgspec.Struct, frozen=True, omit_defaults=True, rename={"from_": "from"}):
    """What is found out about some bits of a message.

    Attributes
    ----------
    lane, address, flags
        As frames are put out; only flags that tell kinds apart.
    message
        Words for the kind where the address alone does not tell it.
    kind
        One of :data:`KINDS`.
    places
        The bits, most significant first.
    parameters
        By kind.
    frames, against
        How many frames speak for it, and how many contradict it.
    confidence
        0 to 1: of all that are given 0.9, nine in ten are true.
    reason
        What was seen, in words and figures.
    when
        In which frames; empty is always.
    instead_of
        Another reading of bits that a better finding speaks of.
    """

    lane: str
    address: int
    flags: str
    message: str
    kind: str
    places: str
    parameters: dict[str, Any]
    frames: int
    against: int
    confidence: float
    reason: str
    when: tuple[When, ...] = ()
    instead_of: bool = False


def bits_of(finding: Finding, size: int | None = None) -> tuple[int, ...]:
    """Return the bits that a finding is about, most significant first; none of the message as a whole.

    Parameters
    ----------
    size
        Payload bytes of the frame that is looked at. Without it what is counted from the end has no bits.
    """
    if not finding.places or (is_from_end(finding) and size is None):
        return ()
    return parse_places(_FROM_END.sub(lambda found: f"B{(size or 0) - int(found[1])}", finding.places)).bits


def is_from_end(finding: Finding) -> bool:
    """Return whether its places are counted from the end of the payload: ``B-1`` is the last byte."""
    return finding.places.startswith("B-")


class Said(msgspec.Struct, frozen=True, kw_only=True):
    """What a question says of some bits of one kind; with the kind it makes a :class:`Finding`.

    Attributes
    ----------
    bits
        From the most to the least significant; empty of the message as a whole. Of what is counted from the end, those
        of a payload of the usual size.
    takes
        Bits that are explained with it besides, as the other items of an array.
    """

    kind: str
    bits: tuple[int, ...]
    parameters: dict[str, Any]
    frames: int
    against: int = 0
    confidence: float
    reason: str
    when: tuple[When, ...] = ()
    instead_of: bool = False
    places_text: str = ""
    takes: tuple[int, ...] = ()

    @property
    def places(self) -> str:
        """The bits as places are written."""
        return self.places_text or (format_places(Places(self.bits)) if self.bits else "")

    def of(self, lane: str, address: int, flags: str, message: str) -> Finding:
        """Return it as a finding about a kind."""
        return Finding(
            lane, address, flags, message, self.kind, self.places, self.parameters, self.frames, self.against,
            round(self.confidence, 3), self.reason, self.when, self.instead_of,
        )  # fmt: skip
