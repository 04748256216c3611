"""Several recordings put together: one capture, in order of time, with each lane's offset."""

from __future__ import annotations

import dataclasses
from collections.abc import Mapping, Sequence
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..frames.capture import Capture, Lane
from ..frames.store import CaptureWriter
from ..progress import Progress
from ..protocols.registry import protocol_named
from .content import LaneEntry
from .source import ReadSource, SourceRequest


def assemble(
    requests: Sequence[SourceRequest], sources: Sequence[ReadSource], folder: Path,
    entries: Mapping[str, LaneEntry], progress: Progress | None = None,
) -> Capture:  # fmt: skip
    """Put recordings whose zeros are known together.

    Parameters
    ----------
    folder
        Where the capture is stored.
    entries
        Notes and offsets by lane name.

    Raises
    ------
    CaptureStoreError
        If the capture cannot be stored.
    Cancelled
        If the progress was cancelled; nothing is left behind.
    """
    progress = progress or Progress()
    lanes: dict[str, Lane] = {}
    with CaptureWriter(folder) as writer:
        for number, (request, source) in enumerate(zip(requests, sources, strict=True)):
            progress.step(number / len(sources) / 2, "putting recordings together")
            names = []
            for lane in source.frames.lanes:
                name = lane_name_in(lanes, request, lane)
                said = entries[name].note if name in entries else ""
                lanes.setdefault(name, Lane(name, lane.protocol, said or lane.note))
                names.append(name)
            source.outcome.lanes = names
            _append(writer, source, [list(lanes).index(name) for name in names], _offsets(names, entries))
        return writer.finish(list(lanes.values()), Progress(lambda share, note: progress.step(0.5 + share / 2, note)))


def lane_name_in(taken: Mapping[str, Lane], request: SourceRequest, lane: Lane) -> str:
    """Return the lane of a trial that frames of a recording's lane go to.

    One that speaks something else than another of its name gets a name of its own.
    """
    wanted = request.lane_name(lane.name)
    if wanted not in taken or taken[wanted].protocol == lane.protocol:
        return wanted
    return f"{wanted} {protocol_named(lane.protocol).title}"


def _offsets(names: Sequence[str], entries: Mapping[str, LaneEntry]) -> NDArray[np.int64]:
    return np.array([entries[name].offset_ns if name in entries else 0 for name in names], np.int64)


def _append(writer: CaptureWriter, source: ReadSource, numbers: Sequence[int], offsets: NDArray[np.int64]) -> None:
    table = source.frames.table
    if not len(table):
        return
    shift = offsets + source.outcome.zero_ns
    writer.append(
        dataclasses.replace(
            table, time_ns=table.time_ns + shift[table.lane], lane=np.array(numbers, np.uint16)[table.lane]
        )
    )
