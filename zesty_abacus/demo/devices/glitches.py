"""Short pulses where a wire rests."""

from __future__ import annotations

import numpy as np
from numpy.typing import NDArray


def with_glitches(
    times: NDArray[np.int64], random: np.random.Generator, count: int, width_ns: int
) -> NDArray[np.int64]:
    """Put short pulses into long pauses."""
    pauses = np.flatnonzero(np.diff(times) > 2_000_000)
    if not len(pauses):
        return times
    chosen = random.choice(pauses, min(count, len(pauses)), replace=False)
    starts = times[chosen] + np.diff(times)[chosen] // 2
    return np.sort(np.concatenate([times, starts, starts + width_ns]))
