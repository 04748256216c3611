"""In which frames the pages are there that a finding is on."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from numpy.typing import NDArray

from ..layouts.json_form import from_plain
from ..layouts.model import RawSet
from ..layouts.places import parse_places
from .finding import When
from .seen import Seen


def on_pages(seen: Seen, when: Sequence[When]) -> NDArray[np.bool_]:
    """Return which frames have the raw values that a finding asks for; bool (n,)."""
    found = np.ones(len(seen), np.bool_)
    for one in when:
        found &= from_plain(one.values, RawSet).holds(seen.raw(parse_places(one.places).bits))
    return found
