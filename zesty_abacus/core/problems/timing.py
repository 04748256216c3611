"""Messages that do not come when they should: gaps, and frames off their time."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..words import grouped, span_text
from .period import Period
from .problem import Problem, ProblemKind
from .seen import KindSeen

_GAP = 1.6
"""Periods from which on a frame is missing: between one and two, nearer to two so that a late one is none."""
_CAUGHT_UP = 2.3
"""Periods for two distances together, up to which a long one was a late frame and nothing is missing."""
_SIGMAS = 6.0
_OFF = 0.25
"""Part of the period that a distance may deviate by."""
_FAR_OFF = 0.5
_FEW = 3
"""Frames off their time that are told; fewer only if they are :data:`_FAR_OFF`."""


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield the gaps of a kind, and its frames off their time."""
    times = seen.times[seen.of_one]
    if len(times) < 2:
        return
    # a silence between two stretches is none of the message's
    paused = np.flatnonzero(np.diff(seen.stretches[seen.of_one]))
    missing = np.setdiff1d(_gaps(seen, times), paused)
    if len(missing):
        yield _gap_problem(seen, times, missing)
    period, allowed = seen.period, seen.limit(ProblemKind.JITTER)
    if period is not None and period.frames == 1:
        found = _off_time(times, period, np.union1d(missing, paused), None if allowed is None else allowed * 1e9)
        if found is not None:
            places, deviations = found
            usual = span_text(period.ns)
            yield seen.problem(
                ProblemKind.JITTER, seen.of_one[places],
                f"Comes every {usual}, but {_frames(len(places))} off by more than "
                f"{span_text(_allowed(period) if allowed is None else allowed * 1e9)}, "
                f"at worst by {span_text(deviations.max())}.",
                amounts=deviations / 1e9,
            )  # fmt: skip


def _gaps(seen: KindSeen, times: NDArray[np.int64]) -> NDArray[np.int64]:
    """Return behind which frames something is missing."""
    distances = np.diff(times)
    limit = seen.limit(ProblemKind.GAP)
    if limit is not None:
        return np.flatnonzero(distances > limit * 1e9)
    period = seen.period
    if period is None:
        return np.empty(0, np.int64)
    longest = max(_GAP * period.ns, period.ns + _SIGMAS * period.spread_ns, period.ns + 1.5 * period.resolution_ns)
    over = times[period.frames :] - times[: -period.frames]
    long = np.flatnonzero(over > longest)
    if period.frames > 1:
        return _holes(distances, long, period.frames)
    following = np.append(distances[1:], np.int64(2) ** 62)[long]
    return long[over[long] + following > _CAUGHT_UP * period.ns]


def _holes(distances: NDArray[np.int64], long: NDArray[np.int64], frames: int) -> NDArray[np.int64]:
    """Return the longest distance within each run of long spans of several frames."""
    if not len(long):
        return long
    runs = np.split(long, np.flatnonzero(np.diff(long) > 1) + 1)
    return np.array([run[0] + int(np.argmax(distances[run[0] : run[-1] + frames])) for run in runs], np.int64)


def _gap_problem(seen: KindSeen, times: NDArray[np.int64], missing: NDArray[np.int64]) -> Problem:
    lengths = np.diff(times)[missing]
    limit, period = seen.limit(ProblemKind.GAP), seen.period
    if limit is not None:
        usual = f"May be away for {span_text(limit * 1e9)}"
    else:
        assert period is not None
        together = f" {period.frames} at a time" if period.frames > 1 else ""
        usual = f"Comes every {span_text(period.ns)}{together}"
    times_words = "once" if len(missing) == 1 else f"{grouped(len(missing))} times"
    longest = f", at worst for {span_text(int(lengths.max()))}"
    alone = len(missing) == 1
    return seen.problem(
        ProblemKind.GAP, seen.of_one[missing],
        f"{usual}, and was away {times_words}{f' for {span_text(int(lengths[0]))}' if alone else longest}.",
        amounts=lengths / 1e9,
    )  # fmt: skip


def _allowed(period: Period) -> float:
    return max(_OFF * period.ns, 1.5 * period.resolution_ns)


def _off_time(
    times: NDArray[np.int64], period: Period, missing: NDArray[np.int64], limit: float | None
) -> tuple[NDArray[np.int64], NDArray[np.float64]] | None:
    """Return the frames that come too late or too early, and by how many nanoseconds; None if it is not worth telling.

    A frame that is late makes the next distance short, which is not a second fault.
    """
    allowed = _allowed(period) if limit is None else limit
    on_beat = np.flatnonzero(~_besides(times, period.ns, _allowed(period)))
    deviations = (np.diff(times[on_beat]) - period.ns).astype(np.float64)
    # behind a gap nothing can be off its time: nobody knows when it was due
    deviations[np.isin(on_beat[:-1], missing)] = 0.0
    off = np.abs(deviations) > allowed
    makes_up = np.zeros(len(off), np.bool_)
    makes_up[1:] = off[:-1] & (np.sign(deviations[1:]) == -np.sign(deviations[:-1]))
    makes_up[1:] &= ~makes_up[:-1]
    # a frame that comes before its time, and the next one a period after it, was sent for a reason of its own
    early = np.zeros(len(off), np.bool_)
    early[:-1] = (deviations[:-1] < 0) & ~makes_up[1:]
    places = np.flatnonzero(off & ~makes_up & ~early)
    amounts = np.abs(deviations[places])
    if not len(places) or (limit is None and len(places) < _FEW and amounts.max() < _FAR_OFF * period.ns):
        return None
    return on_beat[places + 1], amounts


def _besides(times: NDArray[np.int64], period_ns: int, allowed: float) -> NDArray[np.bool_]:
    """Return which frames come between two that are a period apart: those are sent when something changes."""
    due = np.searchsorted(times, times + round(period_ns - allowed))
    there = np.minimum(due, len(times) - 1)
    is_there = (due < len(times)) & (np.abs(times[there] - times - period_ns) <= allowed)
    between = np.flatnonzero(is_there & (due > np.arange(len(times)) + 1))
    covered = np.zeros(len(times) + 1, np.int64)
    np.add.at(covered, between + 1, 1)
    np.add.at(covered, due[between], -1)
    found = np.cumsum(covered[:-1]) > 0
    # what lies between two frames and has another a period behind it may be on the beat itself: it stays
    return found & (np.abs(np.diff(times, append=times[-1]) - period_ns) > allowed)


def _frames(count: int) -> str:
    return "1 frame is" if count == 1 else f"{grouped(count)} frames are"
