"""Faults that the link itself told of: of the line, of its checks, of whoever was asked."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from ..frames import flags as F
from ..words import grouped
from .problem import Problem, ProblemKind
from .seen import KindSeen

_KINDS = (
    (ProblemKind.LINE_FAULT, F.ERROR | F.CUT_SHORT | F.FRAMING | F.PARITY | F.UNSURE_LEVEL | F.LOST_BEFORE),
    (ProblemKind.REFUSED, F.REFUSED | F.EXCEPTION),
    (ProblemKind.UNANSWERED, F.UNANSWERED),
    (ProblemKind.OUTSIDE_LIMITS, F.PAST_END),
)
"""Which flags say what; a check of the link is told together with those of layouts, a late answer with slow ones."""


def problems(seen: KindSeen) -> Iterator[Problem]:
    """Yield what the flags of a kind's frames say."""
    for kind, bits in _KINDS:
        places = np.flatnonzero(seen.flags & np.uint32(bits))
        if len(places):
            yield seen.problem(kind, places, _reason(seen, bits, len(places)))


def _reason(seen: KindSeen, bits: int, count: int) -> str:
    said = []
    for bit, word in F.named_flags():
        if bits & bit and (of_bit := int(np.count_nonzero(seen.flags & np.uint32(bit)))):
            said.append(f"{word} in {grouped(of_bit)}" if of_bit != count else word)
    frames = "1 frame" if count == 1 else f"{grouped(count)} frames"
    return f"{frames} of {grouped(len(seen))}: {', '.join(said)}."
