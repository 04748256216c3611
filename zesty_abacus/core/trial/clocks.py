"""Which clock a recording is on, and where its own zero lies on the clock that the trial has."""

from __future__ import annotations

from collections.abc import Sequence
from datetime import UTC, datetime
from typing import TYPE_CHECKING

if TYPE_CHECKING:
    from .outcome import SourceOutcome, SourceRequest

_EARLIEST_DATE_NS = 631_152_000_000_000_000
"""1990-01-01 UTC. Times below count from the start of a device or of a recording: nobody's clock was set."""


def is_date(time_ns: int | None) -> bool:
    """Return whether a time of a recording of frames is a date, and not counted from some start."""
    return time_ns is not None and time_ns >= _EARLIEST_DATE_NS


def put_on_one_clock(requests: Sequence[SourceRequest], outcomes: Sequence[SourceOutcome]) -> None:
    """Fill in where each recording's zero lies, and why; its own times stay as far apart as they are.

    Those with a date are where they say, or where the trial says. Those without are put with their zero where the
    dated ones begin. Where nothing is dated, frames keep the times they were recorded with, and lines are put where
    the frames begin.
    """
    begin = _earliest(requests, outcomes, dated=True)
    start = begin if begin is not None else _earliest(requests, outcomes, dated=False)
    for request, outcome in zip(requests, outcomes, strict=True):
        zero = _known_zero(request, outcome)
        if zero is None:
            keeps = begin is None and outcome.holds == "frames"
            zero = 0 if keeps else start or 0
        outcome.zero_ns = zero
        outcome.first_ns = (outcome.own_first_ns or 0) + zero
        outcome.last_ns = (outcome.own_last_ns or 0) + zero
        outcome.clock = _words(request, outcome, begin)


def _earliest(requests: Sequence[SourceRequest], outcomes: Sequence[SourceOutcome], *, dated: bool) -> int | None:
    """Return when the first of the dated recordings begins, or of all that hold frames; None if there is none."""
    found = []
    for request, outcome in zip(requests, outcomes, strict=True):
        zero = _known_zero(request, outcome)
        if outcome.own_first_ns is None or (dated and zero is None) or (not dated and outcome.holds != "frames"):
            continue
        begins = outcome.own_first_ns + (zero or 0)
        if is_date(begins) or not dated:
            found.append(begins)
    return min(found, default=None)


def _known_zero(request: SourceRequest, outcome: SourceOutcome) -> int | None:
    """Return where a recording's zero is by itself or by the trial, None if nobody says."""
    if request.begins_ns is not None:
        # of times that are dates, what is said is when the first of them was
        return request.begins_ns - (outcome.own_first_ns or 0) if outcome.date_ns == 0 else request.begins_ns
    return outcome.date_ns


def _words(request: SourceRequest, outcome: SourceOutcome, begin: int | None) -> str:
    if request.begins_ns is not None:
        return f"begins at {_date(outcome.first_ns)}, as the trial says"
    if outcome.date_ns == 0:
        return "dated by every time in the file"
    if outcome.date_ns is not None:
        return f"dated by the file: its zero is {_date(outcome.date_ns)}"
    if begin is None and not outcome.zero_ns:
        return "its own clock: nothing here has a date"
    if begin is None:
        return f"no date anywhere: its zero is put where the frames begin, {_date(outcome.zero_ns)}"
    return f"no date in the file: its zero is put where the dated recordings begin, {_date(begin)}"


def _date(time_ns: int) -> str:
    if not is_date(time_ns):
        return f"{time_ns / 1e9:.6f} s"
    return datetime.fromtimestamp(time_ns // 1_000_000_000, UTC).strftime("%Y-%m-%d %H:%M:%S UTC")
