"""How long answers took, where the link itself says which frames are answers."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..frames import flags as F
from ..frames.capture import Capture
from ..progress import Progress


def response_times(capture: Capture, progress: Progress) -> NDArray[np.int64]:
    """Return how long after its request each answer came, by row, in ns; -1 for what is no answer, or has no request.

    The request of an answer is the newest earlier frame of the same lane and address that is none itself, if no other
    answer came between.
    """
    found = np.full(len(capture), -1, np.int64)
    for lane in {key.lane for key in capture.kinds.keys if key.flags & F.ANSWER}:
        progress.check()
        rows = capture.order_of_lanes(frozenset([lane])).rows()
        address, times = capture.frames.addresses(rows), capture.frames.times(rows)
        is_answer = (capture.frames.flags(rows) & F.ANSWER) > 0
        # of each address by itself, in order of time
        order = np.argsort(address, kind="stable")
        begins = np.diff(address[order], prepend=address[order][:1] - 1) != 0
        place = np.arange(len(order))
        # the newest frame before, if it is of the same address and a request, is the one that is answered
        is_answered = is_answer[order] & ~begins & ~np.concatenate([[True], is_answer[order][:-1]])
        answers = place[is_answered]
        found[rows[order[answers]]] = times[order[answers]] - times[order[answers - 1]]
    return found
