"""Bit times measured from edges."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..waves.edges import Edges
from ..words import share_text

USUAL_RATES = (
    300, 600, 1200, 2400, 4800, 9600, 10_400, 14_400, 19_200, 28_800, 38_400, 57_600, 62_500, 83_333, 100_000, 115_200,
    125_000, 230_400, 250_000, 460_800, 500_000, 800_000, 921_600, 1_000_000, 2_000_000,
    4_000_000, 5_000_000, 8_000_000,
)  # fmt: skip
_MOST_BITS = 12
_LOOKED_AT = 20_000


def bit_time(widths: NDArray[np.int64], most_bits: int = _MOST_BITS) -> tuple[float, float]:
    """Find the time of which pulse widths are multiples.

    The first guess is a low width, halved and thirded in case the shortest pulse is not one bit; each is refined by
    least squares over the widths it explains, and the longest time that explains nearly all of them wins.

    Parameters
    ----------
    widths
        Times between edges in nanoseconds; long pauses may be among them.

    Returns
    -------
    nanoseconds : float
        NaN if there are too few pulses.
    share : float
        Part of the short widths that lies near a whole multiple.
    """
    lengths = widths[widths > 0].astype(np.float64)
    if len(lengths) > _LOOKED_AT:
        lengths = lengths[np.linspace(0, len(lengths) - 1, _LOOKED_AT).astype(np.int64)]
    if len(lengths) < 4:
        return float("nan"), 0.0
    ordered = np.sort(lengths)
    shortest = float(ordered[int(len(ordered) * 0.04)])
    near = ordered[(ordered >= shortest * 0.75) & (ordered <= shortest * 1.3)]
    guess = float(np.median(near)) if len(near) else shortest
    best, best_share = float("nan"), 0.0
    for divisor in (1, 2, 3, 1.5):
        time, share = _refined(ordered, guess / divisor, most_bits)
        # a shorter time explains more by chance, so it has to earn its place
        if share > best_share + (0.12 if best == best else 0):
            best, best_share = time, share
    return best, best_share


def _refined(widths: NDArray[np.float64], time: float, most_bits: int) -> tuple[float, float]:
    for tolerance in (0.3, 0.25, 0.2):
        bits = np.rint(widths / time)
        used = (bits >= 1) & (bits <= most_bits) & (np.abs(widths - bits * time) < tolerance * time)
        if used.sum() < 3:
            return time, 0.0
        # weights by bits: a long pulse tells the bit time better
        time = float((widths[used] * bits[used]).sum() / (bits[used] ** 2).sum())
    bits = np.rint(widths / time)
    short = widths < (most_bits + 0.5) * time
    fits = short & (bits >= 1) & (np.abs(widths - bits * time) < 0.2 * time)
    return time, float(fits.sum() / max(short.sum(), 1))


def clock_hz(edges: Edges) -> float:
    """Return the rate of a clock by the median of its periods, NaN if it has too few or they last no time."""
    rises = edges.time_ns[edges.level == 1]
    period = float(np.median(np.diff(rises))) if len(rises) > 2 else 0.0
    return 1e9 / period if period > 0 else float("nan")


def usual_rate(rate: float) -> int | None:
    """Return the customary rate within 1.5 % of a measured one, or None."""
    near = min(USUAL_RATES, key=lambda usual: abs(usual - rate))
    return near if abs(near - rate) <= 0.015 * near else None


def rate_words(rate: float) -> str:
    """Write a rate; one that stands for a customary one as that: ``19.2 kbit/s (19.23 measured)``."""
    usual = usual_rate(rate)
    divisor, unit, text = (1, "bit/s", f"{rate:.0f}") if rate < 10_000 else (1_000, "kbit/s", f"{rate / 1e3:.2f}")
    if usual and abs(usual - rate) > 0.001 * usual:
        return f"{usual / divisor:g} {unit} ({text} measured)"
    return f"{text} {unit}"


def fit_words(share: float) -> str:
    """Say how many pulses are as long as a rate has them."""
    return "all pulses fit" if share == 1 else f"{share_text(share, 1)} of pulses fit"
