"""Which frames of a capture a command was asked for."""

from __future__ import annotations

import click

from ..core.durations import duration_ns
from ..core.errors import MisuseError
from ..core.frames.capture import Capture
from ..core.handover.chunks import Span
from ..core.nearest import nearest


def chosen(
    capture: Capture, lanes: tuple[str, ...], begin: str, end: str
) -> tuple[Span, frozenset[int] | None]:  # fmt: skip
    """Return a stretch, and the kinds of some lanes; None is every kind.

    Parameters
    ----------
    lanes
        Names; none is every lane.
    begin, end
        Lengths of time since the first frame; empty is no bound.

    Raises
    ------
    UsageError, MisuseError
        If there is no such lane, or a length of time is none.
    """
    first = capture.origin_ns + duration_ns(begin) if begin else None
    last = capture.origin_ns + duration_ns(end) if end else None
    if first is not None and last is not None and last < first:
        raise MisuseError(f"{end} is before {begin}.", hint="--from comes before --until.")
    span = Span.of(capture, first, last)
    if not lanes:
        return span, None
    known = [lane.name for lane in capture.lanes]
    for name in lanes:
        if name not in known:
            raise click.UsageError(f"There is no lane called {name}. {nearest(name, known)}")
    return span, frozenset(n for n, key in enumerate(capture.kinds.keys) if known[key.lane] in lanes)
