"""Messages whose payload gets another size."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..frames import flags as F
from ..protocols.said_as_text import kind_is_text
from ..words import grouped
from .problem import Problem, ProblemKind
from .seen import KindSeen

_MOST_CHANGES = 0.05
"""Share of frames that differ from the one before, above which a size is a free one, as that of a text."""
_LEAST_FRAMES = 8


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield the frames of a kind that are of another size than most, where most are of one."""
    # of a frame that was cut short nobody knows how long it was
    whole = np.flatnonzero(seen.flags & np.uint32(F.CUT_SHORT) == 0)
    sizes = seen.sizes[whole]
    if len(sizes) < _LEAST_FRAMES or any(reader.shown.moves for reader in seen.means.readers):
        return
    found, firsts, counts = np.unique(sizes, return_index=True, return_counts=True)
    if len(found) == 1:
        return
    changes = int(np.count_nonzero(sizes[1:] != sizes[:-1]))
    if changes > max(2, _MOST_CHANGES * len(sizes)):
        return
    if kind_is_text(seen.meaning.capture, seen.kind):
        return  # a number that grows by a digit makes a line longer
    # of two that are as frequent, the one that was first
    usual = int(found[np.lexsort((firsts, -counts))[0]])
    places = np.flatnonzero(sizes != usual)
    if len(places) == 1 and places[0] == len(sizes) - 1 and sizes[-1] < usual:
        return  # the recording ended in it
    others = ", ".join(str(size) for size in found.tolist() if size != usual)
    which = "1 frame has" if len(places) == 1 else f"{grouped(len(places))} frames have"
    yield seen.problem(
        ProblemKind.SIZE_CHANGED, whole[places], f"Has {usual} bytes; {which} {others}.",
        amounts=np.abs(sizes[places].astype(np.int64) - usual), worst=_furthest(sizes[places], usual),
    )  # fmt: skip


def _furthest(sizes: np.ndarray, usual: int) -> float:
    return float(sizes[int(np.argmax(np.abs(sizes.astype(np.int64) - usual)))])
