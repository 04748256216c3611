"""What decoding makes of a chunk of frames; apart from chunks of bare frames, which need no layout."""

from __future__ import annotations

import itertools
from collections.abc import Collection, Iterator

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded
from ..errors import MisuseError
from ..frames.capture import Capture
from ..frames.segment_frames import places_in
from ..reading.meaning import Meaning
from ..reading.readers import Reader


def decoded_parts(
    meaning: Meaning, rows: NDArray[np.uint32], chosen: Collection[int]
) -> Iterator[tuple[int, Reader, NDArray[np.int64], Decoded]]:
    """Yield what the readers of the chosen kinds make of some rows: the kind, who read, and of which of the rows."""
    frames = meaning.capture.frames
    for kind, places in _by_kind(meaning.capture, rows, chosen):
        gathered = frames.gather(rows[places])
        for reader, mine, decoded in meaning.decoded(kind, gathered):
            # mostly one layout reads all frames of a kind
            some = places if len(mine) == len(places) else places[places_in(gathered.rows, mine.rows)]
            yield kind, reader, some, decoded


def _by_kind(
    capture: Capture, rows: NDArray[np.uint32], chosen: Collection[int]
) -> Iterator[tuple[int, NDArray[np.int64]]]:
    """Yield those of the chosen kinds that are among some rows, each with their places there, rising.

    It costs what the rows are, however many kinds there are.
    """
    kinds = capture.kinds_of(rows)
    order = np.argsort(kinds, kind="stable")
    bounds = np.flatnonzero(np.diff(kinds[order], prepend=-1, append=-1))
    wanted = set(chosen)
    for first, last in itertools.pairwise(bounds.tolist()):
        kind = int(kinds[order[first]])
        if kind in wanted:
            yield kind, order[first:last]


def read_kinds(meaning: Meaning, kinds: Collection[int] | None) -> list[int]:
    """Return the chosen kinds that anybody reads; None is all.

    Raises
    ------
    MisuseError
        If nobody reads any of them, or all that would have problems, so that there would be nothing to write.
    """
    known = range(len(meaning.kinds)) if kinds is None else sorted(kinds)
    read = [kind for kind in known if meaning.kinds[kind].readers]
    if not read:
        which = "this capture" if kinds is None else "what was chosen"
        raise MisuseError(f"no layout of the library reads any frame of {which}; they can be put out undecoded.")
    troubles = [meaning.trouble(reader) for kind in read for reader in meaning.kinds[kind].readers]
    if all(troubles):
        raise MisuseError(troubles[0])
    return read
