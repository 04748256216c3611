"""What those have in common who look at values, chunk by chunk."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Iterator

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded
from ..layouts.model import Layout
from .problem import Problem
from .seen import KindSeen


class Watch(ABC):
    """Looks for one sort of problem in all that one layout reads of a kind."""

    def __init__(self, layout: Layout) -> None:
        self.layout = layout

    @abstractmethod
    def add(self, places: NDArray[np.int64], decoded: Decoded) -> None:
        """Take the next frames: which of the kind they are, and what the layout makes of them."""

    @abstractmethod
    def problems(self, seen: KindSeen) -> Iterator[Problem]:
        """Yield what was found in all of them."""
