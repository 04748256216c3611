"""An open capture that grows by what is recorded live."""

from __future__ import annotations

import threading
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np

from ..frames.capture import Capture, Lane
from ..frames.growing import GrowingFrames
from ..frames.order import TimeOrder, runs_of
from ..frames.segment import Placed
from ..frames.table import FrameTable
from .assembly import lane_in_trial, lane_of_trial, offsets_of
from .content import LaneEntry


class GrowingCapture:
    """Frames that come live behind those of a trial; one thread adds them, another asks for the capture.

    Lanes go by their names, as they do when the recording is read later: one that the trial has already goes on.

    Parameters
    ----------
    base, entries
        As for :meth:`stand_on`.
    folder
        For what does not stay in memory.
    """

    def __init__(self, base: Capture, entries: Mapping[str, LaneEntry], folder: Path) -> None:
        self._frames = GrowingFrames(folder)
        self._lock = threading.Lock()
        self._waiting: list[FrameTable] = []
        self._live: tuple[Lane, ...] = ()
        self._changing = threading.Lock()
        self._made = base
        self._base, self._entries = base, entries

    def stand_on(self, base: Capture, entries: Mapping[str, LaneEntry]) -> None:
        """Let other recordings, or lanes elsewhere, be what it grows from.

        Parameters
        ----------
        base
            What the recordings of the trial give.
        entries
            What the trial says of lanes, by name.
        """
        with self._changing:
            self._base, self._entries, self._made = base, entries, base

    def add(self, table: FrameTable, lanes: Sequence[Lane]) -> None:
        """Add frames; ``lane`` counts in the lanes, of which there may be more each time."""
        with self._lock:
            self._waiting.append(table)
            self._live = tuple(lanes)

    def capture(self) -> Capture:
        """Return the capture with everything that was added until now.

        Raises
        ------
        CaptureStoreError
            If the disk does not take what is put away.
        """
        with self._lock:
            waiting, self._waiting = self._waiting, []
            live = self._live
        with self._changing:
            for table in waiting:
                self._frames.add(table)
            if waiting or self._made is self._base:
                self._made = self._put_behind(live)
            return self._made

    def live_span(self) -> tuple[int, int] | None:
        """Return the first and last time of what came live, on the capture's clock; None before the first frame."""
        with self._changing:
            live = self._made.segments[len(self._base.segments) :]
        order = TimeOrder(run for placed in live for run in runs_of(placed))
        return order.span() if len(order) else None

    def _put_behind(self, live: Sequence[Lane]) -> Capture:
        segments = self._frames.segments()
        if not segments:
            return self._base
        lanes = {lane.name: lane for lane in self._base.lanes}
        names = []
        for lane in live:
            name = lane_of_trial(lanes, lane.name, lane.protocol)
            lanes.setdefault(name, lane_in_trial(lane, name, self._entries))
            names.append(name)
        numbers = np.array([list(lanes).index(name) for name in names], np.uint16)
        shift = offsets_of(names, self._entries)
        more = [Placed(segment, 0, numbers, shift) for segment in segments]
        before = self._made if self._made is not self._base else None
        return self._base.grown(more, list(lanes.values()), before)
