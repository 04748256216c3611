"""CAN from its waveform (ISO 11898-1): what the line is set to, and what is measured of it.

The line rests at 1 (recessive). Of frames with flexible data rate the rate of the data, and where in its bit the rate
changes, are measured from what follows the bits that say so. Six equal bits where stuffing should be are an error
frame.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..protocols import can
from ..waves.edges import Edges
from ..words import grouped
from .can_frames import QUIET_BITS, decode_frames
from .result import Fact, LineResult, LineRoom, MarkKind
from .settings import LineSettings, Proposal, Setting
from .timing import bit_time, fit_words, rate_words

_TRIED_CHANGES = 40_000
"""A first part of the line says what it speaks."""


_MEASURED_CHANGES = 400_000
_LONGEST_RUN = 6
"""Equal bits within a frame that is whole: five, and the first one of an error."""
_WIDTHS_OF_START = 3
"""Pulses from the start of a frame that lie before its rate can change: the shortest such part has 16 bits."""
_WIDTHS_OF_DATA = 6
"""Pulses behind a change of the rate that lie before it changes back: the shortest such part has 30 bits."""
_SAME_RATE = 1.2


class CanLine(LineSettings, frozen=True, kw_only=True, tag="can"):
    """The line; a rate of None is measured.

    Attributes
    ----------
    data_rate
        Of the data of long frames, where they say that it is another one.
    sample_point
        Where in its time a bit is taken.
    switch_point
        Where in its time the bit ends that changes the rate: where the nodes of the bus take it.
    """

    line: str = ""
    rate: float | None = None
    data_rate: float | None = None
    sample_point: float = 0.7
    switch_point: float | None = None
    inverted: bool = False


class _Timing(NamedTuple):
    """What the kernel takes; NaN is what nobody knows."""

    bit_ns: float
    data_ns: float
    point: float
    switch_ns: float


class _Can:
    name = "CAN"
    protocol = can.NAME
    gives = "frames"
    settings = CanLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("rate", "rate", "number", "bit/s", measured=True),
        Setting("data_rate", "rate of long data", "number", "bit/s", measured=True),
        Setting("sample_point", "bit is taken at part", "number", "of its time"),
        Setting("switch_point", "rate changes at part", "number", "of a bit", measured=True),
        Setting("inverted", "inverted", "flag"),
    )

    def decode(self, settings: CanLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode one line that is 1 while recessive."""
        line = lines["line"].inverted() if settings.inverted else lines["line"]
        measured, share = _frame_bit_time(line)
        facts = [] if np.isnan(measured) else [
            Fact("rate", 1e9 / measured, "bit/s", f"{rate_words(1e9 / measured)}, {fit_words(share)}")
        ]  # fmt: skip
        bit_ns = 1e9 / settings.rate if settings.rate else measured
        if not (np.isfinite(bit_ns) and bit_ns > 0):
            return LineRoom(0, 0, 0).result().with_facts(*facts)
        point = min(max(settings.sample_point, 0.1), 0.95)
        nothing = float("nan")
        result = _run(line, _Timing(bit_ns, nothing, point, nothing))
        if np.any(result.frames.flags & F.RATE_SWITCH):
            timing, more = _data_timing(settings, line, result, bit_ns, point)
            facts += more
            result = _run(line, timing)
        return result.with_facts(*facts)

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """Measure the rate; a CRC of 15 bits that agrees again and again leaves no doubt."""
        found = []
        for name, line in channels.items():
            if len(line) < 20 or int(line.level.min()) < 0:
                continue
            part = line.first_part(_TRIED_CHANGES)
            for inverted in (False, True):
                settings = CanLine(line=name, inverted=inverted)
                result = self.decode(settings, {"line": part})
                flags = result.frames.flags
                good = int((flags & (F.BAD_CHECK | F.ERROR | F.CUT_SHORT | F.FRAMING) == 0).sum())
                if good < 2 or good < 0.5 * len(flags):
                    continue
                rates = [fact.words for fact in result.facts if fact.unit == "bit/s"]
                reason = ", ".join(
                    [f"{name}: {grouped(good)} of {grouped(len(flags))} frames have a CRC that agrees", *rates]
                )
                found.append(Proposal(settings, good / len(flags), reason))
        return found


DECODER = _Can()


def _run(line: Edges, timing: _Timing) -> LineResult:
    room = LineRoom(4 * len(line) + 16, len(line) + 2, 4 * len(line) + 64)
    decode_frames(line.time_ns, line.level, line.first, line.end_ns, timing, *room.arguments())
    return room.result()


def _frame_bit_time(line: Edges) -> tuple[float, float]:
    """Return the time of a bit by the pulses that frames begin with, and the share of those that fit.

    Pulses of faster data would make all of them multiples of their own bit.
    """
    line = line.first_part(_MEASURED_CHANGES)
    widths = line.widths()
    shortest, share = bit_time(widths, _LONGEST_RUN)
    # a rest that is longer than any of the faster data begins a frame, or stands within its slow part
    found, fits = bit_time(_widths_of_starts(line, widths, QUIET_BITS * shortest), _LONGEST_RUN)
    if not found > _SAME_RATE * shortest:
        return shortest, share
    again, fits_again = bit_time(_widths_of_starts(line, widths, QUIET_BITS * found), _LONGEST_RUN)
    return (again, fits_again) if np.isfinite(again) else (found, fits)


def _widths_of_starts(line: Edges, widths: NDArray[np.int64], rest_ns: float) -> NDArray[np.int64]:
    """Return the first pulses after each rest."""
    falls = np.flatnonzero((line.level[1:-1] == 0) & (widths[:-1] >= rest_ns)) + 1
    return _widths_from(widths, falls, _WIDTHS_OF_START)


def _widths_from(widths: NDArray[np.int64], edges: NDArray[np.int64], count: int) -> NDArray[np.int64]:
    """Return the pulses that begin at some edges, and those behind each."""
    wanted = edges[:, None] + np.arange(count)
    return widths[np.unique(wanted[wanted < len(widths)])]


def _data_timing(
    settings: CanLine, line: Edges, result: LineResult, bit_ns: float, point: float
) -> tuple[_Timing, list[Fact]]:
    """Return what the frames are read by whose rate changes, and what of that was measured.

    Parameters
    ----------
    result
        Of a run that stopped at each change: a mark ends where its bit begins.
    """
    marks = result.marks.of_kind(MarkKind.CONTROL)
    begins = marks[marks[:, 4] == F.RATE_SWITCH, 1]
    # a bit that changes the rate is recessive, so the next edge is a fall
    falls = np.searchsorted(line.time_ns, begins + 0.3 * bit_ns)
    falls, begins = falls[falls < len(line.time_ns)], begins[falls < len(line.time_ns)]
    found, share = bit_time(_widths_from(line.widths(), falls, _WIDTHS_OF_DATA), _LONGEST_RUN)
    facts = [] if np.isnan(found) else [
        Fact("data_rate", 1e9 / found, "bit/s", f"{rate_words(1e9 / found)} for data, {fit_words(share)}")
    ]  # fmt: skip
    data_ns = 1e9 / settings.data_rate if settings.data_rate else found
    switch = settings.switch_point
    if switch is None:
        switch = _switch_point(line.time_ns[falls] - begins, bit_ns, data_ns)
        facts.append(Fact("switch_point", switch, "of a bit", f"rate changes at {switch:.0%} of a bit"))
    return _Timing(bit_ns, data_ns, point, switch * bit_ns + (1 - switch) * data_ns), facts


def _switch_point(lasts: NDArray[np.int64], bit_ns: float, data_ns: float) -> float:
    """Return where in its time the bit ends that changes the rate.

    Parameters
    ----------
    lasts
        How long after its begin the line falls: at its end, unless the sender is in trouble (error passive), which few
        are.
    """
    usual = 0.8
    if not data_ns < bit_ns / _SAME_RATE or not len(lasts):
        return usual
    found = (float(np.median(lasts)) - data_ns) / (bit_ns - data_ns)
    return found if 0.4 <= found <= 1 else usual
