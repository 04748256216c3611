"""What all forms of SPI have in common: where transfers begin and end, on which edge of the clock data are taken.

There is no standard; the four clock modes are named as everybody does: bit 1 of the mode is the clock's level at
rest, bit 0 is set if data are taken on the second edge of a bit.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from numpy.typing import NDArray

from ..waves.edges import Edges
from .result import Fact
from .settings import Setting
from .timing import clock_hz

GAP_CLOCKS = 8.0
"""Without a select line, a pause of so many clocks ends a transfer unless a gap is set."""
MODE = Setting("mode", "clock mode", "choice", measured=True, choices=(
    (0, "0: rests low, first edge"), (1, "1: rests low, second edge"),
    (2, "2: rests high, first edge"), (3, "3: rests high, second edge")))  # fmt: skip


class Windows(NamedTuple):
    """Transfers.

    Attributes
    ----------
    begin, end : int64 (n,)
        In nanoseconds.
    cut : bool (n,)
        Whether an end of the recording cuts it.
    """

    begin: NDArray[np.int64]
    end: NDArray[np.int64]
    cut: NDArray[np.bool_]


def takes_of(clock: Edges, mode: int) -> NDArray[np.int64]:
    """Return the moments at which data are taken: the edges away from rest, or those back to it."""
    return clock.time_ns[clock.level == (1 if mode in (0, 3) else 0)]


def windows_of(clock: Edges, select: Edges | None, select_low: bool, gap_us: float | None) -> Windows:
    """Return the transfers: while selected, or from one pause of the clock to the next."""
    if select is not None:
        active = 0 if select_low else 1
        begins, ends = select.time_ns[select.level == active], select.time_ns[select.level != active]
        cut_first = select.first == active
        if cut_first:
            begins = np.concatenate([[select.begin_ns], begins])
        cut_last = len(begins) > len(ends)
        if cut_last:
            ends = np.concatenate([ends, [select.end_ns]])
        cut = np.zeros(len(begins), np.bool_)
        if len(begins):
            cut[0] |= cut_first
            cut[-1] |= cut_last
        return Windows(begins.astype(np.int64), ends[: len(begins)].astype(np.int64), cut)
    if not len(clock):
        return Windows(np.empty(0, np.int64), np.empty(0, np.int64), np.empty(0, np.bool_))
    widths = clock.widths()
    usual = float(np.median(widths)) if len(widths) else 1.0
    gap = gap_us * 1000 if gap_us else usual * 2 * GAP_CLOCKS
    breaks = np.flatnonzero(widths > gap)
    begins = clock.time_ns[np.concatenate([[0], breaks + 1])]
    ends = clock.time_ns[np.concatenate([breaks, [len(clock) - 1]])]
    return Windows(begins, ends + 1, np.zeros(len(begins), np.bool_))


def find_mode(clock: Edges, datas: list[Edges], select: Edges | None, select_low: bool) -> tuple[int, str]:
    """Find the clock mode: rest level outside transfers, and on which flank data do not change."""
    rest = _rest_level(clock, select, select_low)
    away = back = 0
    for data in datas:
        at = _edge_of(clock, data)
        moved = clock.level[at] != rest
        away += int(moved.sum())
        back += int((~moved).sum())
    if away + back == 0:
        return rest * 2, "data never change; the first edge is assumed"
    second = away > back
    share = max(away, back) / (away + back)
    words = "second" if second else "first"
    return (
        rest * 2 + second,
        f"rests {'high' if rest else 'low'}, taken on the {words} edge ({share:.0%} of changes agree)",
    )


def _edge_of(clock: Edges, data: Edges) -> NDArray[np.int64]:
    """Return the clock edge that each data change belongs to: the one just before it.

    Both may be the work of one flip-flop and change together, and then either may be seen first: a change shortly
    before an edge belongs to it.
    """
    widths = clock.widths()
    early = int(np.median(widths) * 0.15) if len(widths) else 0
    at = np.searchsorted(clock.time_ns, data.time_ns + early, side="right") - 1
    return at[at >= 0]


def _rest_level(clock: Edges, select: Edges | None, select_low: bool) -> int:
    if select is not None and len(select):
        active = 0 if select_low else 1
        ends = select.time_ns[select.level != active]
        if len(ends):
            levels = [clock.level_at(int(time)) for time in ends[:64]]
            return int(np.median(levels) > 0.5)
    widths = clock.widths()
    if not len(widths):
        return clock.first
    long = widths > np.median(widths) * GAP_CLOCKS
    return int(np.median(clock.level[:-1][long]) > 0.5) if long.any() else clock.first


def clock_facts(clock: Edges) -> tuple[Fact, ...]:
    """Return the rate of the clock."""
    rate = clock_hz(clock)
    if np.isnan(rate):
        return ()
    return (Fact("clock rate", rate, "Hz", f"{rate / 1e6:.3g} MHz" if rate >= 1e6 else f"{rate / 1e3:.4g} kHz"),)


def share_behind_rises(clock: Edges, datas: list[Edges]) -> float:
    """Return the share of data changes that follow a rise of the clock, or come with it; a half if there are none."""
    levels = np.concatenate([np.empty(0, np.int8), *(clock.level[_edge_of(clock, data)] for data in datas)])
    return float(np.mean(levels == 1)) if len(levels) else 0.5


def agreement(clock: Edges, datas: list[Edges]) -> float:
    """Return the share of data changes that follow the more usual of the two clock flanks."""
    share = share_behind_rises(clock, datas)
    return max(share, 1 - share)
