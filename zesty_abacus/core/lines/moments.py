"""A recording listened to for moments all over it: what takes long on all samples, a few of them tell."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray

from ..waves.samples import Samples

MOMENT = 512
"""Samples of a moment."""
_MOST = 2048


def stretches(samples: Samples, length: int, *, overlap: int = 1) -> NDArray[np.int64]:
    """Return where stretches of a length begin, from end to end of a recording; of a long one with gaps between them.

    Parameters
    ----------
    overlap
        How many stretches any sample is in.
    """
    # one more where they do not come out even: none is left between two
    many = -(-(len(samples) - length) * overlap // length) + 1
    return np.linspace(0, len(samples) - length, min(_MOST, many)).astype(np.int64)


def middles(samples: Samples, begins: NDArray[np.int64], length: int) -> NDArray:
    """Return what was recorded in the middle of stretches of a length; (n, moment), of I/Q (n, moment, 2)."""
    moment = min(MOMENT, length)
    heard = begins[:, None] + (length - moment) // 2 + np.arange(moment)
    values: NDArray = samples.values[heard.ravel()]
    return values.reshape(*heard.shape, *values.shape[1:])
