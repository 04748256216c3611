"""Glitches measured: pulses far shorter than any the line speaks in, and rare."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from ..waves.edges import Edges
from ..words import counted
from .bipolar import is_bipolar

_USUAL = 0.1
"""A pulse that a tenth of all are shorter than belongs to what the line says."""
_SHORT = 0.2
"""Part of a usual short pulse below which a pulse may be a glitch."""
_APART = 2.0
"""How many times the longest glitch the shortest other pulse lasts at least; else they cannot be told apart."""
_MOST = 0.05
_LEAST_PULSES = 12


@dataclass(frozen=True, slots=True)
class Glitches:
    """Pulses of a line that are none.

    Attributes
    ----------
    count
    longest_ns, shortest_ns
        The longest of them, and the shortest pulse that is none.
    """

    count: int
    longest_ns: int
    shortest_ns: int

    @property
    def ignore_under_us(self) -> float:
        """The length between both, in two digits: as far from one as from the other, in times."""
        middle = math.sqrt(self.longest_ns * self.shortest_ns) / 1000
        digits = 1 - math.floor(math.log10(middle))
        return min(max(round(middle, digits), (self.longest_ns + 1) / 1000), self.shortest_ns / 1000)

    def words(self) -> str:
        """Return what was measured, for a sentence that begins with the line's name."""
        longest, shortest = self.longest_ns / 1000, self.shortest_ns / 1000
        pulses = counted(self.count, "pulse", "is", "are")
        return (
            f"{pulses} no longer than {longest:.3g} µs, all others last {shortest:.3g} µs and more: "
            f"what is under {self.ignore_under_us:.3g} µs is ignored"
        )


def find_glitches(line: Edges) -> Glitches | None:
    """Return the glitches of a line of two levels, None if it has none that can be told from its pulses."""
    widths = line.widths()
    widths = widths[widths > 0]
    if len(widths) < _LEAST_PULSES or is_bipolar(line):
        return None
    # sorting all of a long line would take longer than decoding it, and only the short end is looked at
    usual_at = int(len(widths) * _USUAL)
    usual = int(np.partition(widths, usual_at)[usual_at])
    short = widths[widths < usual * _SHORT]
    if not len(short) or len(short) > len(widths) * _MOST:
        return None
    longest, shortest = int(short.max()), int(widths[widths >= usual * _SHORT].min())
    return Glitches(len(short), longest, shortest) if shortest >= _APART * longest else None
