"""The time that one frame has because of frames of other kinds: the gap on its lane."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture
from ..progress import Progress


def lane_gaps(capture: Capture, progress: Progress) -> NDArray[np.int64]:
    """Return the time since the frame before on the same lane, by row, in ns; -1 for the first of a lane."""
    found = np.full(len(capture), -1, np.int64)
    for lane in range(len(capture.lanes)):
        progress.check()
        rows = capture.order_of_lanes(frozenset([lane])).rows()
        found[rows[1:]] = np.diff(capture.frames.times(rows))
    return found
