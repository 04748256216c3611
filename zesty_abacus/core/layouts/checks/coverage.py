"""Which bytes a check is taken over, in which order, and what goes in besides."""

from __future__ import annotations

from collections.abc import Iterable, Mapping

import msgspec
import numpy as np
from numpy.typing import NDArray

from ...expressions.exactly import evaluate_exactly
from ...expressions.expression import Expression
from ..attribute import Attribute, expression_or, optional_places
from ..fields import Field
from ..places import Places
from ..problems import Said, expression_problems, is_hex
from .check import CheckedFrames


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

    def problems(self, name: str, known: Mapping[str, Field], unit_bits: int = 8) -> Said:
        """Yield what is wrong with it, as the coverage of the check called ``name`` that takes so many bits at once."""
        if self.places is not None and len(self.places) % unit_bits:
            units = "bytes" if unit_bits == 8 else "half bytes"
            yield "coverage", f"{name} covers {len(self.places)} bits, which are not whole {units}."
        for digits in (self.key_before, self.key_after, *(key.key for key in self.keys)):
            if not is_hex(digits):
                yield "coverage", f"{digits!r} is not hex digits."
        if not 0 <= self.address_bytes <= 8:
            yield "coverage", f"An address goes in with 0 to 8 bytes, not {self.address_bytes}."
        for expression in (self.first, self.end):
            yield from expression_problems("coverage", expression, known)

    def may_cover(self, field: Field) -> bool:
        """Return whether a bit of a field may be among those it is taken over, or its value says which those are."""
        if field.name in {*self.first.names, *self.end.names}:
            return True
        if self.places is not None:
            return not set(self.places.bits).isdisjoint(field.places.bits)
        first, end = (None if one.names else evaluate_exactly(one, {}) for one in (self.first, self.end))
        octets = [bit // 8 for bit in field.places.bits]
        return any((first is None or octet >= first) and (end is None or octet < end) for octet in octets or (0,))

    def bytes_of(
        self, frames: CheckedFrames, own: tuple[int, ...] = ()
    ) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int64], NDArray[np.bool_]]:
        """Return the bytes a check is taken over.

        Parameters
        ----------
        own
            Bits of the check itself, which count as zero.

        Returns
        -------
        data : uint8 (n, k)
        first, end : int64 (n,)
            The bytes of each row are ``data[row, first : end]``.
        complete : bool (n,)
            Rows that hold all of them.
        """
        matrix, sizes, count = frames.matrix, frames.sizes, len(frames.matrix)
        if self.places is not None:
            taken = set(self.places.bits).intersection(own)
            data = _picked_bits(_without(matrix, taken) if taken else matrix, self.places.bits)
            first, end = np.zeros(count, np.int64), np.full(count, data.shape[1], np.int64)
            complete = sizes >= self.places.size_needed
        else:
            begin, stop = frames.evaluate(self.first), frames.evaluate(self.end)
            first, end = begin.whole(-1), stop.whole(-1)
            complete = begin.known_rows() & stop.known_rows() & (first >= 0) & (first <= end) & (end <= sizes)
            end, first = np.where(complete, end, 0), np.where(complete, first, 0)
            lowest, highest = int(first.min(initial=0)), int(end.max(initial=0))
            # mostly a check stands before or behind what it is taken over, and nothing is to be copied
            data = _without(matrix, own) if any(lowest <= bit // 8 < highest for bit in own) else matrix
        if self.key_before or self.key_after or self.keys or self.address_bytes:
            data, first, end = self._with_keys(data, first, end, frames.addresses)
        return np.ascontiguousarray(data), first, end, complete

    def bits_under(self, frames: CheckedFrames) -> NDArray[np.bool_]:
        """Return which bits of each frame are covered; bool (n, w * 8), without keys that are in no frame."""
        matrix = frames.matrix
        width = matrix.shape[1] * 8
        if self.places is not None:
            under = np.zeros((len(matrix), width), np.bool_)
            bits = np.array(self.places.bits, np.int64)
            under[:, bits[bits < width]] = True
            return under
        begin, stop = frames.evaluate(self.first), frames.evaluate(self.end)
        known = begin.known_rows() & stop.known_rows()
        byte = np.arange(matrix.shape[1])
        inside = (byte >= begin.whole(0)[:, None]) & (byte < np.minimum(stop.whole(0), frames.sizes)[:, None])
        return np.repeat(inside & known[:, None], 8, axis=1)

    def _with_keys(
        self, data: NDArray[np.uint8], first: NDArray[np.int64], end: NDArray[np.int64], address: NDArray[np.int64]
    ) -> tuple[NDArray[np.uint8], NDArray[np.int64], NDArray[np.int64]]:
        """Put key and address bytes around what is covered; every row has room for the longest."""
        from ...kernels.stretches import gather_stretches  # compiled code loads when a check is made, not with a layout

        rows = np.arange(len(data), dtype=np.int64)
        width = int((end - first).max(initial=0))
        body, sizes = gather_stretches(data, rows, first, end, width)
        before, after = bytes.fromhex(self.key_before), bytes.fromhex(self.key_after)
        keys = {key.address: bytes.fromhex(key.key) for key in self.keys}
        longest = max((len(key) for key in keys.values()), default=0)
        head = self.address_bytes + longest + len(before)
        made = np.zeros((len(data), head + width + len(after)), np.uint8)
        made[:, head - len(before) : head] = np.frombuffer(before, np.uint8)
        made[:, head : head + width] = body[:, :width]
        begin = np.full(len(data), head - len(before), np.int64)
        for of, key in keys.items():
            own = address == of
            begin[own] -= len(key)
            made[own, head - len(before) - len(key) : head - len(before)] = np.frombuffer(key, np.uint8)
        for place in range(self.address_bytes):
            shift = 8 * (place if self.address_low_first else self.address_bytes - 1 - place)
            made[rows, begin - self.address_bytes + place] = (address >> shift) & 255
        begin -= self.address_bytes
        stop = head + sizes
        for place, value in enumerate(after):
            made[rows, stop + place] = value
        return made, begin, stop + len(after)


def _without(matrix: NDArray[np.uint8], bits: Iterable[int]) -> NDArray[np.uint8]:
    """Return payloads in which some bits are zero."""
    made = matrix.copy()
    for bit in bits:
        if bit // 8 < made.shape[1]:
            made[:, bit // 8] &= np.uint8(255 ^ 1 << bit % 8)
    return made


def _picked_bits(matrix: NDArray[np.uint8], bits: tuple[int, ...]) -> NDArray[np.uint8]:
    numbers = np.array(bits)
    inside = numbers // 8 < matrix.shape[1]
    picked = np.zeros((len(matrix), len(bits)), np.uint8)
    known = numbers[inside]
    picked[:, inside] = (matrix[:, known // 8] >> (known % 8).astype(np.uint8)) & 1
    return np.packbits(picked, axis=1)


COVERAGE = (
    Attribute("coverage.first", "from byte", "0", expression_or("0")),
    Attribute("coverage.end", "up to", "size", expression_or("size")),
    Attribute("coverage.places", "or over places", "B0..B6", optional_places),
    Attribute("coverage.key_before", "key before", "hex"),
    Attribute("coverage.key_after", "key behind", "hex"),
)
"""What a form shows of it."""
