"""Messages that no layout reads."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..frames import flags as F
from ..words import grouped
from .problem import Problem, ProblemKind
from .seen import KindSeen

_CHUNK = 1 << 18


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield the frames of a kind that nobody reads, where there are layouts at all."""
    if not seen.meaning.layouts or not seen.key.is_data:
        return
    places = _unread(seen)
    # what came broken is told as that
    places = places[seen.flags[places] & np.uint32(F.WRONG) == 0]
    if not seen.means.readers:
        reason = f"No layout reads its {grouped(len(places))} frames." if len(places) > 1 else "No layout reads it."
    else:
        names = " and ".join(reader.layout.name for reader in seen.means.readers)
        which = "1 frame is none" if len(places) == 1 else f"{grouped(len(places))} frames are none"
        reason = f"{which} that {names} reads, of {grouped(len(seen))}."
    if len(places):
        yield seen.problem(ProblemKind.UNKNOWN_MESSAGE, places, reason)


def _unread(seen: KindSeen) -> np.ndarray:
    readers = seen.means.readers
    if not readers:
        return np.arange(len(seen))
    if readers[0].choice.takes_all:
        return np.empty(0, np.int64)
    found = []
    for first in range(0, len(seen), _CHUNK):
        frames = seen.meaning.capture.frames.gather(seen.rows[first : first + _CHUNK])
        found.append(np.flatnonzero(seen.meaning.numbers(seen.kind, frames) < 0) + first)
    return np.concatenate(found)
