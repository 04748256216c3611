"""Cells of bytes in hex digits, together or apart, as columns of bytes."""

from __future__ import annotations

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from numpy.typing import NDArray

from .report import ReadReport

Bytes = tuple[NDArray[np.int64], NDArray[np.uint32], NDArray[np.uint8], NDArray[np.bool_]]
"""Start and size of each, the bytes of all, and which are good."""

_DIGIT = np.full(256, 255, np.uint8)
_DIGIT[np.frombuffer(b"0123456789", np.uint8)] = np.arange(10)
_DIGIT[np.frombuffer(b"abcdef", np.uint8)] = np.arange(10, 16)
_DIGIT[np.frombuffer(b"ABCDEF", np.uint8)] = np.arange(10, 16)


def bytes_in_hex(cells: pa.Array, lines: NDArray[np.int64], name: str, report: ReadReport) -> Bytes:
    """Return start and size of the bytes of each cell, the bytes of all, and which cells are good.

    Parameters
    ----------
    cells
        Words; what stands between bytes says nothing.
    lines : int64 (n,)
        Where each stands, for those that are listed.
    name
        Of the column.
    """
    words = pc.replace_substring_regex(cells, r"0x|[\s\-.:,]", "")
    lengths = pc.binary_length(words).to_numpy(zero_copy_only=False).astype(np.int64)
    ends = np.cumsum(lengths)
    # their letters lie one behind the other
    _, offsets, letters = words.buffers()
    begin = int(np.frombuffer(offsets, np.int32)[words.offset]) if len(words) else 0
    text = np.frombuffer(letters or b"", np.uint8)[begin : begin + int(lengths.sum())]
    good = lengths % 2 == 0
    digits = _DIGIT[text]
    # a row with a letter that is no digit, or half a byte, goes; the others stay in step
    if (digits == 255).any():
        row = np.searchsorted(ends, np.flatnonzero(digits == 255), side="right")
        good[row] = False
    for place in np.flatnonzero(~good):
        report.add_problem(
            f"line {int(lines[place])}, column {name}", f"{words[int(place)].as_py()[:40]!r} is no bytes in hex"
        )
    kept = np.repeat(good, lengths)
    pairs = digits[kept].reshape(-1, 2)
    payload = (pairs[:, 0] << 4 | pairs[:, 1]).astype(np.uint8)
    sizes = np.where(good, lengths // 2, 0)
    return np.cumsum(sizes) - sizes, sizes.astype(np.uint32), payload, good
