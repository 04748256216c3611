"""Lanes of several endpoints, numbered in the order in which they were seen."""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import replace

import numpy as np

from ..frames.capture import Lane
from ..frames.table import FrameTable


class LanesSeen:
    """Gives each lane of each endpoint a number and a name of its own; any thread may ask and add."""

    def __init__(self) -> None:
        self._lock = threading.Lock()
        self._lanes: list[Lane] = []
        self._numbers: dict[int, list[int]] = {}

    def all(self) -> tuple[Lane, ...]:
        """Return the lanes by number."""
        with self._lock:
            return tuple(self._lanes)

    def know(self, endpoint: int, lanes: Sequence[Lane]) -> None:
        """Take in the lanes of an endpoint; those that are known keep their numbers."""
        with self._lock:
            numbers = self._numbers.setdefault(endpoint, [])
            for lane in lanes[len(numbers) :]:
                numbers.append(len(self._lanes))
                self._lanes.append(replace(lane, name=self._free(lane.name)))

    def _free(self, name: str) -> str:
        names = {lane.name for lane in self._lanes}
        made, count = name, 2
        while made in names:
            made, count = f"{name} {count}", count + 1
        return made

    def on_lanes(self, endpoint: int, table: FrameTable) -> FrameTable:
        """Return frames of an endpoint, which count its own lanes from 0, on the lanes of all."""
        with self._lock:
            here = list(self._numbers[endpoint])
        # a frame on a lane that the endpoint has not told of yet is put on the last that it has
        return replace(table, lane=np.array(here, np.uint16)[np.minimum(table.lane, len(here) - 1)])
