"""When a layout applies: what a frame must be to be read by it."""

from __future__ import annotations

import re
from contextlib import suppress
from typing import Literal

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..errors import MisuseError
from ..protocols.by_hand import NAME as BY_HAND
from ..protocols.registry import protocol_named
from .raw_sets import RawSet

Way = Literal["", "read", "write", "request", "answer"]
"""Which way a frame goes; empty is both."""

_NIBBLES = re.compile(r"[0-9A-F?]*")


class PatternError(MisuseError):
    """A text that is no payload pattern."""


class Applies(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """Which frames a layout reads.

    Attributes
    ----------
    address
        The CAN identifier, device or other address of the lane's protocol; None is any.
    to
        The last address of a span that begins with ``address``; None is this one alone.
    mask
        Bits of the address that must agree; None is all.
    protocol
        What the lane speaks.
    extended
        Whether it is a 29-bit CAN identifier; other protocols do not ask.
    way
        Read or written, request or answer.
    lanes
        Names of the lanes; empty means any lane that speaks the protocol.
    sizes
        Payload sizes in bytes; empty is any.
    pattern
        How the payload begins: hex digits, ``?`` for a free one, such as ``A5 1? ??``.
    """

    address: int | None = None
    to: int | None = None
    mask: int | None = None
    protocol: str = "can"
    extended: bool = False
    way: Way = ""
    lanes: tuple[str, ...] = ()
    sizes: RawSet = RawSet()
    pattern: str = ""

    @property
    def is_for_one_address(self) -> bool:
        """Whether a single address is asked for, no span, mask or any."""
        return self.address is not None and self.to is None and self.mask is None

    def is_for(self, lane: str, protocol: str) -> bool:
        """Return whether frames of a lane may be meant at all."""
        return protocol == self.protocol and (not self.lanes or lane in self.lanes)

    @property
    def looks_at_payload(self) -> bool:
        """Whether frames of one kind may differ in being meant."""
        return bool(self.sizes or self.pattern)

    def accepts(self, matrix: NDArray[np.uint8], sizes: NDArray[np.uint32]) -> NDArray[np.bool_]:
        """Return which payloads are meant; bool (n,).

        Parameters
        ----------
        matrix : uint8 (n, w)
            Payloads, zero beyond ``sizes``.
        """
        accepted = self.sizes.holds(sizes) if self.sizes else np.ones(len(sizes), np.bool_)
        wanted, mask = parse_pattern(self.pattern)
        if len(wanted):
            accepted &= sizes >= len(wanted)
            width = min(len(wanted), matrix.shape[1])
            accepted &= ((matrix[:, :width] & mask[:width]) == wanted[:width]).all(axis=1)
        return accepted

    def address_text(self) -> str:
        """Return the address as engineers of the protocol write it."""
        spoken = protocol_named(self.protocol)
        if self.protocol == BY_HAND:
            return spoken.address_text(0)
        if self.address is None:
            return "any address"
        if self.mask is not None:
            return spoken.masked_text(self.address, self.mask, extended=self.extended)
        ends = (self.address,) if self.to is None else (self.address, self.to)
        return " to ".join(spoken.address_text(one, extended=self.extended) for one in ends)

    def is_named(self, name: str) -> bool:
        """Return whether a text is the address asked for: as engineers write it, or as one number."""
        if self.address is None:
            return False
        if name in (self.address_text(), str(self.address)):
            return True
        with suppress(MisuseError):
            # hex digits without their sign may be a number, or a name
            is_hex = name.lower().startswith("0x")
            return is_hex and protocol_named(self.protocol).read_address(name) == (self.address, self.extended)
        return False

    def hex_text(self) -> str:
        """Return the address as one number in hex digits, whatever it packs; empty if any is meant."""
        if self.address is None:
            return ""
        return protocol_named(self.protocol).hex_text(self.address, extended=self.extended)

    def words(self) -> str:
        """Say in one line when the layout applies."""
        parts = [self.address_text(), f"on {', '.join(self.lanes) or 'any lane'}"]
        if self.way:
            parts.append(f"{self.way} only")
        if self.sizes:
            parts.append(f"{self.sizes} bytes")
        if self.pattern:
            parts.append(f"beginning {self.pattern}")
        return ", ".join(parts)


def parse_pattern(text: str) -> tuple[NDArray[np.uint8], NDArray[np.uint8]]:
    """Return the wanted bytes and the mask of those nibbles that are not free, uint8 (k,) each.

    Raises
    ------
    PatternError
        If the text is not pairs of hex digits and ``?``.
    """
    digits = re.sub(r"\s", "", text).upper()
    if not _NIBBLES.fullmatch(digits) or len(digits) % 2:
        raise PatternError(f"{text[:40]!r} is no payload pattern.", hint="Write pairs such as A5 1? ??.")
    wanted = bytes.fromhex(digits.replace("?", "0"))
    mask = bytes.fromhex("".join("0" if digit == "?" else "F" for digit in digits))
    return np.frombuffer(wanted, np.uint8), np.frombuffer(mask, np.uint8)
