"""Several recordings put together: one capture, in order of time, with each lane's offset."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture, Lane
from ..frames.segment import Placed
from ..protocols.registry import protocol_named
from .content import LaneEntry
from .outcome import SourceRequest
from .source import ReadSource


def assemble(
    requests: Sequence[SourceRequest], sources: Sequence[ReadSource], entries: Mapping[str, LaneEntry]
) -> Capture:
    """Put recordings whose zeros are known together; the segments they were read into stay where they are.

    Parameters
    ----------
    entries
        Notes and offsets by lane name.
    """
    lanes: dict[str, Lane] = {}
    placed: list[Placed] = []
    for request, source in zip(requests, sources, strict=True):
        names = []
        for lane in source.capture.lanes:
            name = lane_of_trial(lanes, request.lane_name(lane.name), lane.protocol)
            lanes.setdefault(name, lane_in_trial(lane, name, entries))
            names.append(name)
        source.outcome.lanes = names
        numbers = np.array([list(lanes).index(name) for name in names], np.uint16)
        shift = offsets_of(names, entries) + source.outcome.zero_ns
        placed += [
            Placed(one.segment, 0, numbers[one.lanes], one.shift_ns + shift[one.lanes])
            for one in source.capture.segments
        ]
    return Capture.of_segments(placed, list(lanes.values()))


def lane_of_trial(taken: Mapping[str, Lane], wanted: str, protocol: str) -> str:
    """Return the name of the lane of a trial that frames of a recording's lane go to.

    One that speaks something else than another of its name gets a name of its own.
    """
    if wanted not in taken or taken[wanted].protocol == protocol:
        return wanted
    return f"{wanted} {protocol_named(protocol).title}"


def lane_in_trial(lane: Lane, name: str, entries: Mapping[str, LaneEntry]) -> Lane:
    """Return a recording's lane as a trial calls and describes it."""
    entry = entries.get(name, LaneEntry(name=name))
    return Lane(name, lane.protocol, entry.note or lane.note, entry.bit_rate or lane.bit_rate)


def offsets_of(names: Sequence[str], entries: Mapping[str, LaneEntry]) -> NDArray[np.int64]:
    """Return what a trial adds to the times of lanes; int64 (lanes,), in ns."""
    return np.array([entries[name].offset_ns if name in entries else 0 for name in names], np.int64)
