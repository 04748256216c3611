"""In which frames the pages are there that a finding is on."""

from __future__ import annotations

from collections.abc import Callable, Sequence

import numpy as np
from numpy.typing import NDArray

from ..layouts.json_form import from_plain
from ..layouts.model import RawSet
from ..layouts.places import parse_places
from .finding import When
from .seen import Seen

Elsewhere = Callable[[When], tuple[NDArray[np.int64], NDArray[np.int64]]]
"""Gives the frames of the message that a page is set by: their times in order, and the raw values there."""


def on_pages(seen: Seen, when: Sequence[When], elsewhere: Elsewhere | None = None) -> NDArray[np.bool_]:
    """Return which frames have the raw values that a finding asks for; bool (n,).

    Pages that another message sets are in no frame where nobody says what was set.
    """
    found = np.ones(len(seen), np.bool_)
    for one in when:
        wanted = from_plain(one.values, RawSet)
        if one.in_ is None:
            found &= wanted.holds(seen.raw(parse_places(one.places).bits))
        elif elsewhere is None:
            found[:] = False
        else:
            times, raw = elsewhere(one)
            last = np.searchsorted(times, seen.time_ns, "left") - 1
            found &= (last >= 0) & (wanted.holds(raw[np.maximum(last, 0)]) if len(raw) else False)
    return found
