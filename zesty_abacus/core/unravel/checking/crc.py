"""Solves a CRC from differences of frames.

Of two frames of one length, start value, final value and key bytes cancel out: the difference of the data, followed by
the difference of the checks, is a multiple of the polynomial (Peterson and Brown, *Cyclic codes for error detection*,
1961). So the polynomial divides all such differences, and their greatest common divisor leaves little else.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ...layouts.checks.crc import Crc
from .polynomials import BYTE_REFLECTED, common_divisor_of, divisors_of_degree, reflected, without_small_factors
from .refuting import could_be_crc

_FIRST, _PAIRS = 5, 28
"""Frames that a CRC is refuted with, and those that it is solved from."""


@dataclass(frozen=True, slots=True)
class SolvedCrc:
    """A CRC without what cancels out.

    Attributes
    ----------
    width, polynomial, reflect_in, reflect_out
        As of :class:`~...layouts.checks.crc.Crc`.
    others
        How many other polynomials fit the same frames.
    """

    width: int
    polynomial: int
    reflect_in: bool
    reflect_out: bool
    others: int = 0

    def parameters(self, start: int, final: int) -> dict[str, object]:
        """Return it as the layout language writes it, with start and final value."""
        said: dict[str, object] = {"check": "crc", "width": self.width, "polynomial": self.polynomial}
        said |= {"start": start} if start else {}
        said |= {"final": final} if final else {}
        said |= {"reflect_in": True} if self.reflect_in else {}
        return said | ({"reflect_out": True} if self.reflect_out else {})

    @property
    def words(self) -> str:
        """What it is called in a reason."""
        turned = ", bits reflected" if self.reflect_in else ""
        return f"CRC-{self.width} with polynomial 0x{self.polynomial:0{(self.width + 3) // 4}X}{turned}"


def solve(data: NDArray[np.uint8], checks: list[int], width: int) -> Iterator[SolvedCrc]:
    """Yield the CRCs that the differences of some frames agree with.

    Parameters
    ----------
    data : uint8 (n, k)
        What is covered, in order, of frames that are all different.
    checks
        Their checks.
    """
    # nearly all questions are answered by the first few frames, with no
    if could_be_crc(np.ascontiguousarray(data[:_FIRST]), np.array(checks[:_FIRST], np.uint64), width):
        yield from _solved(data[:_PAIRS], checks[:_PAIRS], width)


def _solved(data: NDArray[np.uint8], checks: list[int], width: int) -> Iterator[SolvedCrc]:
    rows = [bytes(row) for row in data]
    for reflect_in in (False, True):
        taken = [row.translate(BYTE_REFLECTED) for row in rows] if reflect_in else rows
        numbers = [int.from_bytes(row, "big") for row in taken]
        for reflect_out in (reflect_in, not reflect_in):
            ends = [reflected(check, width) for check in checks] if reflect_out else checks
            differences = (
                (number ^ numbers[0]) << width ^ end ^ ends[0]
                for number, end in zip(numbers[1:], ends[1:], strict=True)
            )
            common = common_divisor_of(differences, width)
            if not common:
                continue
            fitting = divisors_of_degree(without_small_factors(common, width), width)
            for polynomial in fitting:
                own = polynomial & ((1 << width) - 1)
                yield SolvedCrc(width, own, reflect_in, reflect_out, len(fitting) - 1)


def bare(solved: SolvedCrc, data: NDArray[np.uint8]) -> NDArray[np.uint64]:
    """Return the CRC of whole rows with start and final value 0; uint64 (n,)."""
    crc = plain_crc(solved)
    count = len(data)
    return crc.taken(data, np.zeros(count, np.int64), np.full(count, data.shape[1], np.int64), solved.width)


def plain_crc(solved: SolvedCrc, start: int = 0, final: int = 0) -> Crc:
    """Return it as a check of a layout, with start and final value."""
    from uuid import UUID

    nobody = UUID(int=0)
    return Crc(
        id=nobody, name="", field=nobody, width=solved.width, polynomial=solved.polynomial, start=start, final=final,
        reflect_in=solved.reflect_in, reflect_out=solved.reflect_out,
    )  # fmt: skip


_CUSTOMARY = {
    (8, 0x07): (0x00, 0x00), (8, 0x1D): (0xFF, 0xFF), (8, 0x2F): (0xFF, 0xFF), (8, 0x31): (0x00, 0x00),
    (8, 0x9B): (0x00, 0x00), (16, 0x1021): (0xFFFF, 0x0000), (16, 0x8005): (0xFFFF, 0x0000),
    (32, 0x04C11DB7): (0xFFFFFFFF, 0xFFFFFFFF), (32, 0xF4ACFB13): (0xFFFFFFFF, 0xFFFFFFFF),
}  # fmt: skip
"""Start and final value that mostly go with a polynomial; they decide where a key leaves them open."""


@dataclass(frozen=True, slots=True)
class Constants:
    """What is always in a CRC.

    Attributes
    ----------
    start, final
    key
        Bytes that are in no frame.
    is_open
        Whether other values give the same in every frame seen.
    """

    start: int
    final: int
    key: bytes
    is_open: bool


def constants_of(solved: SolvedCrc, size: int, constant: int, behind: int) -> Constants:
    """Return what gives a constant that is always in the check.

    The plainest first: customary start and final values without a key, then with one before or behind the data.
    On frames of one size they cannot be told apart.

    Parameters
    ----------
    size
        Bytes that are covered, without the key.
    behind
        How many bytes of a key the frames say to stand behind.
    """
    ones = (1 << solved.width) - 1
    customary = list(dict.fromkeys([
        _CUSTOMARY.get((solved.width, solved.polynomial), (0, 0)), (0, 0), (ones, ones), (ones, 0), (0, ones)
    ]))  # fmt: skip
    zeros = np.zeros((1, size + behind), np.uint8)
    if not behind:
        for start, final in customary:
            if _of(solved, zeros, start, final)[0] == constant:
                return Constants(start, final, b"", False)
    for length in (1, 2) if solved.width <= 16 else (1,):
        if behind and length != behind:
            continue
        keys = np.arange(256**length)
        body = np.zeros((len(keys), size + length), np.uint8)
        for place in range(length):
            body[:, (size if behind else 0) + place] = keys >> 8 * (length - 1 - place) & 255
        for start, final in customary:
            fitting = np.flatnonzero(_of(solved, body, start, final) == np.uint64(constant))
            if len(fitting):
                return Constants(start, final, int(keys[fitting[0]]).to_bytes(length, "big"), True)
    return Constants(0, constant, b"", True)


def _of(solved: SolvedCrc, data: NDArray[np.uint8], start: int, final: int) -> NDArray[np.uint64]:
    crc = plain_crc(solved, start, final)
    count = len(data)
    return crc.taken(data, np.zeros(count, np.int64), np.full(count, data.shape[1], np.int64), solved.width)
