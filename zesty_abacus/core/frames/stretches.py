"""Time in stretches: recordings of one day are looked at together, those of another day apart."""

from __future__ import annotations

from collections.abc import Iterable

_LEAST_SILENCE_NS = 3_600_000_000_000
_TIMES_AS_LONG = 10


def stretches_of(spans: Iterable[tuple[int, int]]) -> list[tuple[int, int]]:
    """Return the stretches that recordings cover, in order of time, none of them empty; times in ns.

    Between two of them there is a silence of more than an hour that is more than ten times as long as either: on one
    scale with it nothing of them could be seen.

    Parameters
    ----------
    spans
        First and last time of each recording.
    """
    together: list[tuple[int, int]] = []
    for first, last in sorted(spans):
        if together and first <= together[-1][1]:
            together[-1] = together[-1][0], max(last, together[-1][1])
        else:
            together.append((first, last))
    made: list[tuple[int, int]] = []
    for first, last in together:
        if made and not _is_apart(made[-1], (first, last)):
            made[-1] = made[-1][0], last
        else:
            made.append((first, last))
    return [(first, max(last, first + 1)) for first, last in made] or [(0, 1)]


def _is_apart(before: tuple[int, int], after: tuple[int, int]) -> bool:
    longer = max(before[1] - before[0], after[1] - after[0])
    return after[0] - before[1] > max(_LEAST_SILENCE_NS, _TIMES_AS_LONG * longer)
