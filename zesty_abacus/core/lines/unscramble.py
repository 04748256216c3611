"""Undoes scramblers that synchronise themselves: each bit was mixed with some that were sent before it."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from ..errors import MisuseError
from .result import BitRun

USUAL_SCRAMBLER = "17 12"
"""The polynomial x^17 + x^12 + 1, of packet radio at 9 600 bit/s."""
_MOST = 128


def taps_of(text: str) -> tuple[int, ...]:
    """Return the taps that a text lists, ``17 12`` of the polynomial x^17 + x^12 + 1.

    Raises
    ------
    MisuseError
        If they are no numbers from 1 to 128, each once.
    """
    words = text.replace(",", " ").split()
    taps = tuple(int(word) for word in words if word.isascii() and word.isdigit() and 1 <= int(word) <= _MOST)
    if len(taps) < len(words) or len(set(taps)) < len(taps):
        raise MisuseError(
            f"scrambler={text!r}, expected the exponents of its polynomial, 1 to {_MOST}.", hint="Write 17 12."
        )
    return taps


def unscrambled(run: BitRun, taps: tuple[int, ...]) -> BitRun:
    """Return the bits before they were scrambled; of each burst the first ones, up to the longest tap, stay unsure."""
    if not taps or not len(run):
        return run
    # what was sent before a burst is not known, and taken as 0
    begin = np.repeat(run.bounds[:-1], np.diff(run.bounds))
    place = np.arange(len(run)) - begin
    bit = run.bit.copy()
    for tap in taps:
        known = place >= tap
        bit[known] ^= run.bit[np.flatnonzero(known) - tap]
    return replace(run, bit=bit)
