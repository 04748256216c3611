"""Bits that never move."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ...layouts.places import Places
from ..finding import Said, When
from ..seen import Seen
from ..words import count_of

_MOST_DIGITS = 16
"""Hex digits that a reason shows."""


def constants(seen: Seen, free: NDArray[np.bool_], when: tuple[When, ...] = ()) -> list[Said]:
    """Return the runs of free bits, bool (size * 8,), that are the same in all frames, in order of place."""
    return [_said(seen, run, when) for run in runs_of(free & ~seen.moves)]


def runs_of(wanted: NDArray[np.bool_]) -> Iterator[tuple[int, ...]]:
    """Yield runs of wanted bits, bool (size * 8,), as they stand in the frame, the highest bit of each byte first."""
    run: list[int] = []
    for number in range(len(wanted)):
        bit = number ^ 7
        if wanted[bit]:
            run.append(bit)
        elif run:
            yield tuple(run)
            run = []
    if run:
        yield tuple(run)


def _said(seen: Seen, bits: tuple[int, ...], when: tuple[When, ...]) -> Said:
    value = Places(bits).raw_in(seen.matrix[0].tobytes())
    assert value is not None, "the bits are of the payload"
    digits = f"{value:0{(len(bits) + 3) // 4}X}"
    shown = digits if len(digits) <= _MOST_DIGITS else f"{digits[:_MOST_DIGITS]}… ({count_of(len(digits), 'digit')})"
    reason = f"It is 0x{shown} in all {count_of(len(seen), 'frame')}."
    if len(bits) == 1:
        reason = f"The bit is {value} in all {count_of(len(seen), 'frame')}."
    # one that is constant here may still move elsewhere, the less so the more frames there are
    confidence = 1 - 1 / (2 + len(seen) / 4)
    return Said(
        kind="constant", bits=bits, parameters={"value": value}, frames=len(seen), confidence=confidence,
        reason=reason, when=when,
    )  # fmt: skip
