"""From samples to edges: thresholds with a dead band, and what the levels themselves say.

Times are where the line passes the threshold itself, between two samples by straight line; the dead band
only decides whether a passage counts. So a slow flank does not shift rising against falling edges.
"""

from __future__ import annotations

import itertools
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..compiled import njit
from ..progress import Progress
from ..waves.edges import Edges
from ..waves.samples import Samples

BINS = 192
_LOOKED_AT = 2_000_000
"""Samples that are looked at for levels, evenly taken in stretches over the recording."""
_REST_SAMPLES, _REST_PASSINGS = 4, 3
"""A line rests where it stays for so many samples, and so many times as long as a flank takes to pass."""
_FLANKS = 400
"""Flanks whose time is measured."""


@dataclass(frozen=True, slots=True, eq=False)
class LevelHistogram:
    """How often each level was seen.

    Attributes
    ----------
    counts : int64 (BINS,)
    edges : float64 (BINS + 1,)
        Bounds of the bins in the unit of the channel.
    bins : tuple of uint8 (k,)
        The bin of each sample that was counted, a stretch of the recording each; the first is its beginning. Empty
        where no samples stand behind the counts.
    """

    counts: NDArray[np.int64]
    edges: NDArray[np.float64]
    bins: tuple[NDArray[np.uint8], ...] = ()

    @property
    def centers(self) -> NDArray[np.float64]:
        """Return the middle of each bin."""
        return (self.edges[1:] + self.edges[:-1]) / 2


@dataclass(frozen=True, slots=True)
class LevelSuggestion:
    """Thresholds proposed from the histogram.

    Attributes
    ----------
    above
        A level above reads 1.
    below
        Of a bipolar line: a level below reads -1; None for two levels.
    dead_band
        A passage counts once the line is half of this beyond the threshold.
    low, middle, high
        The levels the line rests at; ``middle`` only of a bipolar line.
    reason
        In words.
    """

    above: float
    below: float | None
    dead_band: float
    low: float
    middle: float | None
    high: float
    reason: str


def level_histogram(samples: Samples) -> LevelHistogram:
    """Count levels on stretches taken evenly over the whole recording."""
    stretch = 4096
    count = len(samples)
    # stretches, not single samples: a mapped file is read by pages, and one sample costs as much as a page
    starts = range(0, count, max(stretch, stretch * count // _LOOKED_AT)) if count > _LOOKED_AT else range(0, 1)
    parts = [samples.physical(s, s + stretch if count > _LOOKED_AT else count) for s in starts]
    values = np.concatenate(parts) if parts else np.empty(0)
    values = values[np.isfinite(values)]
    if not len(values):
        return LevelHistogram(np.zeros(BINS, np.int64), np.linspace(0, 1, BINS + 1))
    # not the extremes: one spike would squeeze both levels into a bin
    low, high = np.quantile(values, (0.0005, 0.9995))
    air = (high - low or 1.0) * 0.05
    counts, edges = np.histogram(values, BINS, (low - air, high + air))
    # all bins are as wide, so that nothing is searched: that takes five times as long as counting
    scale = BINS / (edges[-1] - edges[0])
    bins = tuple(np.clip(np.nan_to_num((part - edges[0]) * scale), 0, BINS - 1).astype(np.uint8) for part in parts)
    return LevelHistogram(counts.astype(np.int64), edges, bins)


def suggest_levels(histogram: LevelHistogram) -> LevelSuggestion:
    """Propose thresholds: between the two levels that split the samples best, or the three of a bipolar line.

    The split is the one of largest variance between the classes (Otsu 1979). A line is taken as bipolar if the
    middle third of its range holds a level of its own: clearly more samples than flanks would leave there.
    """
    counts, centers = histogram.counts.astype(np.float64), histogram.centers
    total = counts.sum()
    if not total:
        return LevelSuggestion(0.5, None, 0.1, 0.0, None, 1.0, "no samples to judge by")
    heaps, three = counts, _three_levels(counts, centers)
    if three is None:
        heaps = _busy_counts(histogram)
        three = _three_levels(heaps, centers, _CLEARLY_BUSY)
    if three is not None and not _rests_at_middle(histogram, three):
        # what lies there says nothing of the two levels around it
        counts[_zone(centers, three, 1)] = 0
        three = None
    if three is not None:
        low, middle, high = three
        band = _dead_band(heaps, centers, min(high - middle, middle - low), three)
        words = f"three levels, near {low:.3g}, {middle:.3g} and {high:.3g}"
        return LevelSuggestion((high + middle) / 2, (middle + low) / 2, band, low, middle, high, words)
    split = _best_split(counts, centers)
    low, high = _mode(counts[: split + 1], centers[: split + 1]), _mode(counts[split + 1 :], centers[split + 1 :])
    reason = f"two levels, near {low:.3g} and {high:.3g}; the threshold is half way"
    band = _dead_band(counts, centers, abs(high - low), (low, high))
    return LevelSuggestion((low + high) / 2, None, band, low, None, high, reason)


_BAND, _MOST_BAND, _BAND_OF_NOISE = 0.2, 0.7, 4.0
"""The dead band: so much of the distance of two levels, more where the noise of these is wider than a part of that."""


def _dead_band(counts: NDArray, centers: NDArray, apart: float, levels: tuple[float, ...]) -> float:
    noise = min(_deviation(counts, centers, level) for level in levels)
    return float(np.clip(_BAND_OF_NOISE * noise, _BAND * apart, _MOST_BAND * apart))


def _deviation(counts: NDArray, centers: NDArray, level: float) -> float:
    """Return the deviation of the noise around a level, by the width of its heap at half its height."""
    smooth = np.convolve(counts, np.ones(5) / 5, "same")
    peak = int(np.argmin(np.abs(centers - level)))
    less = np.flatnonzero(smooth < smooth[peak] / 2)
    first = less[less < peak].max(initial=-1)
    last = less[less > peak].min(initial=len(counts))
    # of a normal distribution it is 2.355 deviations
    return float((last - first - 1) * (centers[1] - centers[0]) / 2.355)


_BUSY_STRETCH, _BUSY_SHARE = 1024, 0.5


def _busy_counts(histogram: LevelHistogram) -> NDArray[np.float64]:
    """Return how often each level was seen in the stretches in which most is going on.

    Words that are rare leave so few samples at their levels that noise around the level of rest covers them.
    """
    parts = [bins[: len(bins) // _BUSY_STRETCH * _BUSY_STRETCH].reshape(-1, _BUSY_STRETCH) for bins in histogram.bins]
    rows = np.concatenate(parts) if parts else np.empty((0, _BUSY_STRETCH), np.uint8)
    if not len(rows):
        return np.zeros(len(histogram.counts))
    spread = rows.std(axis=1)
    busy = rows[spread >= _BUSY_SHARE * np.sort(spread)[-2:][0]]
    return np.bincount(busy.ravel(), minlength=len(histogram.counts)).astype(np.float64)


def _best_split(counts: NDArray, centers: NDArray) -> int:
    weight = np.cumsum(counts)
    mass = np.cumsum(counts * centers)
    with np.errstate(divide="ignore", invalid="ignore"):
        between = (mass[-1] * weight / weight[-1] - mass) ** 2 / (weight * (weight[-1] - weight))
    between[~np.isfinite(between)] = -1
    # an empty stretch between the levels splits equally well everywhere: its middle is meant
    best = np.flatnonzero(between >= between.max() - abs(between.max()) * 1e-9)
    return int(np.clip(best[len(best) // 2], 0, len(counts) - 2))


def _mode(counts: NDArray, centers: NDArray) -> float:
    """Return the mean of the bins around the fullest one."""
    if not counts.sum():
        return float(centers[len(centers) // 2])
    peak = int(np.argmax(counts))
    near = slice(max(peak - 4, 0), peak + 5)
    return float(np.average(centers[near], weights=counts[near])) if counts[near].sum() else float(centers[peak])


_CLEARLY, _CLEARLY_BUSY = 4.0, 1.5
"""How far a level in the middle stands out of what is usual between levels; less where nothing rests between words."""


def _three_levels(counts: NDArray, centers: NDArray, least: float = _CLEARLY) -> tuple[float, float, float] | None:
    third = len(counts) // 3
    low, middle, high = counts[:third], counts[third:-third], counts[-third:]
    if min(low.sum(), middle.sum(), high.sum()) < counts.sum() * 0.02:
        return None
    peaks = [_mode(part, where) for part, where in (
        (low, centers[:third]), (middle, centers[third:-third]), (high, centers[-third:]))]  # fmt: skip
    smooth = np.convolve(counts, np.ones(5) / 5, "same")
    heights = [smooth[int(np.argmin(np.abs(centers - peak)))] for peak in peaks]
    between = [
        smooth[np.searchsorted(centers, a) : np.searchsorted(centers, b) + 1].min()
        for a, b in itertools.pairwise(peaks)
    ]
    apart = np.array([np.abs(centers - peak) > 8 * (centers[1] - centers[0]) for peak in peaks])
    inside = (centers > peaks[0]) & (centers < peaks[2]) & apart.all(axis=0)
    usual = float(np.median(smooth[inside])) if inside.any() else 0.0
    # each level stands out against the flanks on its sides
    clear = between[0] < 0.35 * min(heights[0], heights[1]) and between[1] < 0.35 * min(heights[1], heights[2])
    if clear and heights[1] > least * usual:
        return peaks[0], peaks[1], peaks[2]
    return None


def _zone(centers: NDArray, levels: tuple[float, float, float], number: int) -> NDArray[np.bool_]:
    """Return which bins are near one of three levels."""
    low, middle, high = levels
    near: NDArray[np.bool_] = np.abs(centers - levels[number]) < 0.25 * min(high - middle, middle - low)
    return near


def _rests_at_middle(histogram: LevelHistogram, levels: tuple[float, float, float]) -> bool:
    """Return whether the line comes to rest at the middle one of three levels.

    It does not if flanks alone pass it, however many of their samples fall there, nor if it only begins there.
    """
    low, middle, high = levels
    centers = histogram.centers
    between = [_zone(centers, (low, level, high), 1) for level in ((low + middle) / 2, (middle + high) / 2)]
    outer = _zone(centers, levels, 0) | _zone(centers, levels, 2)
    resting: list[NDArray[np.int64]] = []
    passing: list[NDArray[np.int64]] = []
    for number, bins in enumerate(histogram.bins):
        begin = int(np.argmax(outer[bins])) if number == 0 else 0
        resting.append(_run_lengths(_zone(centers, levels, 1)[bins[begin:]]))
        passing += [_run_lengths(zone[bins[begin:]]) for zone in between]
    if not histogram.bins:
        return True
    passed = np.concatenate(passing)
    usual = float(np.median(passed)) if len(passed) else 0.0
    return bool((np.concatenate(resting) >= max(_REST_SAMPLES, _REST_PASSINGS * usual)).any())


def _run_lengths(mask: NDArray[np.bool_]) -> NDArray[np.int64]:
    """Return how many in a row are true, run by run."""
    changes = np.flatnonzero(np.diff(np.concatenate([[False], mask, [False]]).astype(np.int8)))
    return changes[1::2] - changes[::2]


def find_edges(
    samples: Samples,
    above: float,
    dead_band: float = 0.0,
    below: float | None = None,
    span: tuple[int, int] | None = None,
    progress: Progress | None = None,
) -> Edges:
    """Turn samples into edges.

    Parameters
    ----------
    above, dead_band
        The line reads 1 after it passed ``above + dead_band / 2`` and no more after ``above - dead_band / 2``.
    below
        A second threshold: the line reads -1 below it, and 0 between the two.
    span
        First and last nanosecond; all if left out.
    """
    first, last = 0, len(samples)
    if span is not None:
        first, last = (int(index) for index in samples.indexes_of(np.array(span)))
    upper = _crossings(samples, above, dead_band, (first, last), progress)
    begin = samples.time_of(first) if len(samples) else samples.begin_ns
    end = samples.time_of(max(last - 1, first)) if len(samples) else begin
    edges = Edges.of_toggles(upper[0], upper[1], begin, end)
    if below is None:
        return edges
    lower = _crossings(samples, below, dead_band, (first, last), progress)
    return _bipolar(edges, Edges.of_toggles(lower[0], lower[1], begin, end))


def _crossings(
    samples: Samples, threshold: float, dead_band: float, span: tuple[int, int], progress: Progress | None
) -> tuple[NDArray[np.int64], int]:
    """Return the times at which a threshold is passed and the level at the start."""
    raw = (threshold - samples.offset) / samples.scale
    half = abs(dead_band / samples.scale) / 2
    turned = samples.scale < 0
    state = np.array([-1.0, 0.0, 0.0, np.nan])  # level, last value, index of the last passage, level at the start
    found: list[NDArray[np.float64]] = []
    for begin, chunk in samples.chunks(*span):
        if progress is not None:
            progress.step((begin - span[0]) / max(span[1] - span[0], 1), "finding edges")
        room = np.empty(len(chunk), np.float64)
        count = _cross(chunk, begin, raw, half, state, room)
        found.append(room[:count].copy())
    places = np.concatenate(found) if found else np.empty(0)
    first = 0 if np.isnan(state[3]) else int(state[3])
    if turned:
        first = 1 - first
    if samples.stamps_ns is not None:
        times = (
            np.interp(places, np.arange(len(samples)), samples.stamps_ns.astype(np.float64)) if len(places) else places
        )
    else:
        times = places * (1e9 / samples.rate_hz) + samples.begin_ns
    return np.rint(times).astype(np.int64), first


def _bipolar(upper: Edges, lower: Edges) -> Edges:
    """Join what is above the upper threshold (1) and below the lower one (-1) into one line."""
    times = np.concatenate([upper.time_ns, lower.time_ns])
    ups = np.concatenate([np.where(upper.level == 1, 1, -1), np.zeros(len(lower), np.int64)])
    downs = np.concatenate([np.zeros(len(upper), np.int64), np.where(lower.level == 1, 1, -1)])
    order = np.argsort(times, kind="stable")
    first = upper.first + lower.first - 1
    level = (first + np.cumsum(ups[order] + downs[order])).astype(np.int8)
    times = times[order]
    # both thresholds passed in one instant are one change
    keep = np.append(times[1:] != times[:-1], True) if len(times) else np.empty(0, bool)
    return Edges(times[keep], level[keep], first, upper.begin_ns, upper.end_ns)


@njit(cache=True, nogil=True)
def _cross(values, begin, threshold, half, state, room):  # type: ignore[no-untyped-def]
    level, before, passed = state[0], state[1], state[2]
    count = 0
    high, low = threshold + half, threshold - half
    for i in range(len(values)):
        value = values[i]
        if level < 0:
            level = 1.0 if value >= threshold else 0.0
            state[3] = level
        else:
            rises = value >= threshold
            if rises != (before >= threshold):
                part = (threshold - before) / (value - before)
                # a sample that is no number has no flank; half way is as good as any place
                passed = begin + i - 1 + (part if 0.0 <= part <= 1.0 else 0.5)
            if (level == 0.0 and value > high) or (half == 0.0 and level == 0.0 and rises):
                level = 1.0
                room[count] = passed
                count += 1
            elif level == 1.0 and (value < low or (half == 0.0 and not rises)):
                level = 0.0
                room[count] = passed
                count += 1
        before = value
    state[0], state[1], state[2] = level, before, passed
    return count


@dataclass(frozen=True, slots=True)
class LevelFacts:
    """What was measured of a channel's levels.

    Attributes
    ----------
    low, high
        Levels the line rests at.
    rise_ns, fall_ns
        Median time from 10 % to 90 % of the swing and back; NaN if no flank was seen.
    edges_per_s
    """

    low: float
    high: float
    rise_ns: float
    fall_ns: float
    edges_per_s: float


def measure_levels(samples: Samples, edges: Edges, suggestion: LevelSuggestion) -> LevelFacts:
    """Measure flanks and edge rate; flanks on some of the edges, evenly taken."""
    step_ns = 1e9 / samples.rate_hz
    picked = np.linspace(0, len(edges) - 1, min(len(edges), _FLANKS)).astype(np.int64)
    rises: list[float] = []
    falls: list[float] = []
    for row in np.unique(picked) if len(edges) else ():
        at = int(samples.indexes_of(edges.time_ns[row : row + 1])[0])
        length = _flank(samples.physical(max(at - 256, 0), at + 256), min(at, 256), suggestion.low, suggestion.high)
        (rises if edges.level[row] > 0 else falls).append(length * step_ns)
    seconds = max((edges.end_ns - edges.begin_ns) / 1e9, 1e-12)
    return LevelFacts(
        suggestion.low,
        suggestion.high,
        float(np.nanmedian(rises)) if rises and not np.isnan(rises).all() else float("nan"),
        float(np.nanmedian(falls)) if falls and not np.isnan(falls).all() else float("nan"),
        len(edges) / seconds,
    )


def _flank(values: NDArray[np.float64], middle: int, low: float, high: float) -> float:
    """Return the samples from one tenth to nine tenths of the swing around a passage, between samples."""
    tenth, ninth = low + (high - low) * 0.1, low + (high - low) * 0.9
    if middle <= 0 or middle >= len(values):
        return float("nan")
    rising = values[middle] > values[middle - 1]
    if not rising:
        values, middle = values[::-1], len(values) - middle
    before, after = np.flatnonzero(values[:middle] <= tenth), np.flatnonzero(values[middle:] >= ninth)
    if not len(before) or not len(after):
        return float("nan")
    start, end = int(before[-1]), middle + int(after[0])
    start_part = (tenth - values[start]) / max(values[start + 1] - values[start], 1e-30)
    end_part = (ninth - values[end - 1]) / max(values[end] - values[end - 1], 1e-30)
    return float(end - 1 + end_part - start - start_part)
