"""Pulse trains: bits in the width of pulses, in the distance between them, in Manchester halves, in changes, or plain.

Nothing is typed in: pauses that divide bursts, the lengths of symbols and the way bits are coded come from the
lengths of the pulses themselves, which fall into clusters. What is found are bits in bursts.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from dataclasses import dataclass

import msgspec
import numpy as np
from numpy.typing import NDArray

from ..waves.edges import Edges
from ..words import listed
from .bipolar import is_bipolar, without_passing
from .clusters import Cluster, cluster_lengths
from .pulse_bits import BIPHASE, CODINGS, DISTANCE, MANCHESTER, PLAIN, WIDTH, take_bits
from .result import BITS, DATA, LEADER, MARK_COLUMNS, BitRun, Fact, LineResult, LineRoom, Marks
from .settings import LineSettings, Proposal, Setting
from .signed_bits import SILENT_UNITS, signed_bits
from .timing import bit_time, rate_words
from .unscramble import USUAL_SCRAMBLER, taps_of, unscrambled

_MOST_FIT = 0.8


class PulseLine(LineSettings, frozen=True, kw_only=True, tag="pulses"):
    """How pulses carry bits; what is None is measured.

    Changes within bits are never measured: their lengths are those of Manchester halves.
    """

    line: str = ""
    coding: str | None = None
    one_is_long: bool = True
    unit_us: float | None = None
    burst_gap_us: float | None = None
    transitions: bool = False
    """Of plain bits: a change is a 0 and no change a 1 (NRZI), as in packet radio."""
    scrambler: str = ""
    """Taps of a scrambler that synchronises itself, ``17 12`` for the polynomial x^17 + x^12 + 1."""
    inverted: bool = False
    """A pulse is low and the line rests high, as behind most receivers of infrared light."""


@dataclass(frozen=True, slots=True)
class PulseFacts:
    """What the lengths say.

    Attributes
    ----------
    coding
        Number in :data:`CODINGS`.
    unit_ns
        The shortest symbol.
    split_ns
        Between short and long, of width and distance.
    gap_ns
        A longer space ends a burst.
    marks, spaces
        Clusters of pulses and of the spaces between them.
    reason
    """

    coding: int
    unit_ns: float
    split_ns: float
    gap_ns: float
    marks: tuple[Cluster, ...]
    spaces: tuple[Cluster, ...]
    reason: str


class _Pulses:
    name = "Pulses"
    protocol = "bursts"
    gives = "bits"
    settings = PulseLine
    fields = (
        Setting("line", "line", "channel"),
        Setting("coding", "bits are in", "choice", measured=True, choices=(
            ("width", "pulse width"), ("distance", "distance of pulses"), ("manchester", "Manchester halves"),
            ("plain", "plain level"), ("biphase", "changes within bits"))),
        Setting("one_is_long", "long (or high) is 1", "flag"),
        Setting("unit_us", "shortest symbol", "number", "µs", measured=True),
        Setting("burst_gap_us", "space that ends a burst", "number", "µs", measured=True),
        Setting("transitions", "a change is 0 (NRZI)", "flag"),
        Setting("scrambler", "taps of the scrambler", "text"),
        Setting("inverted", "inverted", "flag"),
    )  # fmt: skip

    def decode(self, settings: PulseLine, lines: Mapping[str, Edges]) -> LineResult:
        """Decode one line into bits; a burst at an end of the recording is marked as cut short."""
        line = without_passing(lines["line"].inverted() if settings.inverted else lines["line"])
        facts = measure_pulses(line, settings)
        empty = LineRoom(0, 0, 0).result()
        if facts is None:
            return empty
        if is_bipolar(line):
            run, leaders = signed_bits(line, facts.unit_ns, settings), np.empty((0, 2), np.int64)
        else:
            run, leaders = _bits(line, facts, settings)
        run = unscrambled(run, taps_of(settings.scrambler))
        return LineResult(empty.frames, empty.ends_ns, _marks(run, leaders), bit_run=run, facts=_told(facts))

    def propose(self, channels: Mapping[str, Edges]) -> list[Proposal]:
        """A line alone with few lengths of pulses, in bursts, is a pulse train.

        That changes are bits (NRZI) explains any line; so it is offered at no score, for a check in its frames to bear
        it out.
        """
        # beside other wires a line with few lengths is more likely their clock or data
        lonely = 1.0 if len(channels) == 1 else 0.4
        return [
            one
            for name, line in channels.items()
            if len(line) >= 16 and not is_bipolar(line)
            for one in self._of_line(name, line, lonely)
        ]

    def _of_line(self, name: str, line: Edges, lonely: float) -> Iterator[Proposal]:
        settings = PulseLine(line=name, inverted=_rests_high(line))
        facts = measure_pulses(line.inverted() if settings.inverted else line, settings)
        if facts is None or len(facts.marks) > 5:
            return
        if settings.inverted and facts.coding in (PLAIN, MANCHESTER):
            # what is a bit by itself stays the one that the level says
            settings = msgspec.structs.replace(settings, one_is_long=False)
        widths = line.widths()
        inside = widths[widths < facts.gap_ns]
        held = sum(c.count for c in (*facts.marks, *facts.spaces)) / max(len(inside), 1)
        # plain levels explain any line, so they say less of this one; a line code that fits goes before pulses
        score = 0.75 * lonely * min(held, 1.0) * (0.6 if facts.coding == PLAIN else 1.0)
        yield Proposal(settings, score, f"{name}{', inverted' if settings.inverted else ''}: {facts.reason}")
        unit, share = bit_time(widths)
        if share > _MOST_FIT:
            reason = f"{name}: changes at {rate_words(1e9 / unit)} are zeros"
            changes = PulseLine(line=name, coding="plain", transitions=True, burst_gap_us=1e9)
            for one in (changes, msgspec.structs.replace(changes, scrambler=USUAL_SCRAMBLER)):
                yield Proposal(one, 0.0, reason, needs_check=True)


DECODER = _Pulses()


def measure_pulses(line: Edges, settings: PulseLine) -> PulseFacts | None:
    """Find gap, clusters, coding and unit; None if there are too few pulses."""
    widths = line.widths()
    if len(widths) < 6:
        return None
    if is_bipolar(line):
        return _measure_signed(line, settings)
    is_mark = line.level[:-1] == 1
    gap = settings.burst_gap_us * 1000 if settings.burst_gap_us else _gap(widths[is_mark], widths[~is_mark])
    inside = widths < gap
    bursts = 1 + int((~inside & ~is_mark).sum())
    # what comes once a burst is a leader or a pause, not a symbol
    fewest = max(3, int(bursts * 1.6))
    marks = cluster_lengths(widths[is_mark & inside], fewest)
    spaces = cluster_lengths(widths[~is_mark & inside], fewest)
    if not marks:
        # so few that no length comes often: every one is taken as it is
        marks, spaces = cluster_lengths(widths[is_mark & inside], 1), cluster_lengths(widths[~is_mark & inside], 1)
    if not marks:
        return None
    if settings.coding in CODINGS:
        coding, reason = CODINGS.index(settings.coding), "set"
    else:
        coding, reason = _coding(widths, is_mark, inside, marks, spaces)
    split = _split(spaces if coding == DISTANCE else marks)
    unit = min(c.center for c in (*marks, *spaces))
    if coding in (MANCHESTER, PLAIN, BIPHASE):
        both, share = bit_time(widths[inside], 10 if coding == PLAIN else 2)
        unit = both if share > 0.5 else unit
    if settings.unit_us:
        unit = settings.unit_us * 1000
        split = unit * 1.5 if len(marks if coding == WIDTH else spaces) < 2 else split
    return PulseFacts(coding, unit, split, gap, tuple(marks), tuple(spaces), reason)


def _measure_signed(line: Edges, settings: PulseLine) -> PulseFacts | None:
    """Measure a line of three levels: each sign is a bit, and the middle is silence between bursts."""
    widths, level = line.widths(), line.level[:-1]
    unit, _ = bit_time(widths[level != 0])
    unit = settings.unit_us * 1000 if settings.unit_us else unit
    if not np.isfinite(unit):
        return None
    marks, spaces = cluster_lengths(widths[level > 0], 3), cluster_lengths(widths[level < 0], 3)
    reason = f"{_listed(marks)} of pulses up, {_listed(spaces)} of pulses down: multiples of one bit"
    return PulseFacts(PLAIN, unit, unit * 1.5, unit * SILENT_UNITS, tuple(marks), tuple(spaces), reason)


def _gap(marks: NDArray[np.int64], spaces: NDArray[np.int64]) -> float:
    """Find the pause between bursts: a jump among the long spaces.

    A space inside a burst is rarely longer than the longest pulse, be it a leader; the pause is.
    """
    ordered = np.sort(spaces).astype(np.float64)
    if len(ordered) < 4 or not len(marks):
        return float("inf")
    longest_mark = float(np.quantile(marks, 0.995))
    usual = float(np.median(ordered))
    ratios = ordered[1:] / np.maximum(ordered[:-1], 1)
    ratios[ordered[1:] < max(1.2 * longest_mark, 3 * usual)] = 0
    # the first clear jump divides repeats; a later one divides the presses of a button
    clear = np.flatnonzero(ratios >= 2.5)
    place = int(clear[0]) if len(clear) else int(np.argmax(ratios))
    if ratios[place] >= 1.8:
        return float(np.sqrt(ordered[place] * ordered[place + 1]))
    return float("inf")


def _rests_high(line: Edges) -> bool:
    """Return whether the pauses of a line are high ones alone."""
    widths, is_high = line.widths(), line.level[:-1] == 1
    high, low = widths[is_high], widths[~is_high]
    return bool(np.isfinite(_gap(low, high)) and not np.isfinite(_gap(high, low)))


def _split(clusters: list[Cluster]) -> float:
    """Return what lies between short and long: between the two fullest clusters."""
    if len(clusters) < 2:
        return clusters[0].center * 1.5 if clusters else 1.0
    a, b = sorted(sorted(clusters, key=lambda c: -c.count)[:2], key=lambda c: c.center)
    return float(np.sqrt(a.center * b.center))


def _coding(
    widths: NDArray[np.int64], is_mark: NDArray[np.bool_], inside: NDArray[np.bool_],
    marks: list[Cluster], spaces: list[Cluster],
) -> tuple[int, str]:  # fmt: skip
    """Judge the coding by how many lengths pulses and spaces have."""
    lengths = f"{_listed(marks)} of pulses, {_listed(spaces)} of spaces"
    if len(marks) == 1 and len(spaces) == 2:
        return DISTANCE, f"{lengths}: bits are in the distance of pulses"
    if len(marks) == 2 and len(spaces) == 1:
        return WIDTH, f"{lengths}: bits are in the width of pulses"
    pair = is_mark[:-1] & ~is_mark[1:] & inside[:-1] & inside[1:]
    sums = (widths[:-1] + widths[1:])[pair]
    if len(marks) == 2 and len(spaces) == 2 and len(sums):
        middle = float(np.median(sums))
        if float(np.mean(np.abs(sums - middle) < 0.15 * middle)) > 0.9:
            return WIDTH, f"{lengths}, and a pulse with its space always lasts {middle / 1000:.4g} µs: width"
        ratios = [pairs[1].center / pairs[0].center for pairs in (marks, spaces)]
        if all(1.6 < ratio < 2.5 for ratio in ratios) and _held(widths, is_mark, inside, marks, spaces) > 0.97:
            return MANCHESTER, f"{lengths}, the long ones twice the short ones: Manchester halves"
    return PLAIN, f"{lengths}: multiples of one bit"


def _held(
    widths: NDArray[np.int64], is_mark: NDArray[np.bool_], inside: NDArray[np.bool_],
    marks: list[Cluster], spaces: list[Cluster],
) -> float:  # fmt: skip
    """Return the share of lengths that lie in the clusters, without the first two of a burst, which may be a leader."""
    begins = np.concatenate([[True], ~inside[:-1]])
    leads = begins | np.concatenate([[False], begins[:-1]])
    held = np.zeros(len(widths), np.bool_)
    for clusters, chosen in ((marks, is_mark), (spaces, ~is_mark)):
        for cluster in clusters:
            held |= chosen & (widths >= cluster.low) & (widths < cluster.high)
    counted = inside & ~leads
    return float(held[counted].mean()) if counted.any() else 0.0


def _listed(clusters: list[Cluster]) -> str:
    return f"{listed([f'{c.center / 1000:.4g}' for c in clusters[:4]], most=4)} µs" if clusters else "no length"


def _bits(line: Edges, facts: PulseFacts, settings: PulseLine) -> tuple[BitRun, NDArray[np.int64]]:
    most = len(line) * 12 + 16
    start, end = np.empty(most, np.int64), np.empty(most, np.int64)
    bit = np.empty(most, np.uint8)
    bounds, flags = np.zeros(len(line) + 2, np.int64), np.zeros(len(line) + 2, np.uint32)
    leaders = np.empty((len(line) + 2, 2), np.int64)
    marks = facts.marks if facts.coding != DISTANCE else facts.spaces
    longest = max((c.high for c in marks), default=facts.unit_ns * 4)
    bursts, used, led = take_bits(
        line.time_ns, line.level, line.begin_ns, line.end_ns, facts.coding, facts.unit_ns, facts.split_ns,
        facts.gap_ns, longest, settings.one_is_long, settings.transitions, start, end, bit, bounds, flags, leaders,
    )  # fmt: skip
    run = BitRun(
        start[:used].copy(), end[:used].copy(), bit[:used].copy(), bounds[: bursts + 1].copy(), flags[:bursts].copy()
    )
    return run, leaders[:led]


def _marks(run: BitRun, leaders: NDArray[np.int64]) -> Marks:
    """Make a mark of each eight bits of a burst, and of what is left over."""
    sizes = np.diff(run.bounds)
    pieces = (sizes + 7) // 8
    total = int(pieces.sum())
    rows = np.zeros((total + len(leaders), MARK_COLUMNS), np.int64)
    if total:
        first = np.repeat(run.bounds[:-1], pieces) + 8 * (
            np.arange(total) - np.repeat(np.cumsum(pieces) - pieces, pieces)
        )
        last = np.minimum(first + 8, np.repeat(run.bounds[1:], pieces))
        values = np.zeros(total, np.int64)
        for place in range(8):
            here = first + place < last
            values[here] = values[here] << 1 | run.bit[first[here] + place]
        rows[:total, 0] = run.start_ns[first]
        rows[:total, 1] = run.end_ns[last - 1]
        rows[:total, 2] = np.where(last - first == 8, DATA, BITS)
        rows[:total, 3] = values
        rows[:total, 4] = np.repeat(run.flags, pieces)
    rows[total:, 0], rows[total:, 1], rows[total:, 2] = leaders[:, 0], leaders[:, 1], LEADER
    rows[:, 5] = -1
    return Marks(rows[np.argsort(rows[:, 0], kind="stable")])


def _told(facts: PulseFacts) -> tuple[Fact, ...]:
    gap = f"{facts.gap_ns / 1000:.4g} µs" if np.isfinite(facts.gap_ns) else "none found"
    return (
        Fact("coding", float(facts.coding), "", facts.reason),
        Fact("unit_us", facts.unit_ns / 1000, "µs", f"{facts.unit_ns / 1000:.4g} µs"),
        Fact("burst_gap_us", facts.gap_ns / 1000, "µs", gap),
    )
