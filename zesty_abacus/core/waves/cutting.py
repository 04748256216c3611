"""A stretch of a recording of lines, as a recording of its own that begins at its zero."""

from __future__ import annotations

from dataclasses import replace

import numpy as np

from .edges import Edges
from .recording import Channel, LineRecording
from .samples import Samples


def cut_recording(recording: LineRecording, first_ns: int, last_ns: int) -> LineRecording:
    """Return what was recorded from one time up to another one, both by the recording's own clock.

    The first time is zero in what is returned; it has no date.
    """
    channels = tuple(
        Channel(channel.name, samples=_samples(channel.samples, first_ns, last_ns))
        if channel.samples is not None else
        Channel(channel.name, edges=_edges(channel.edges, first_ns, last_ns))  # type: ignore[arg-type]
        for channel in recording.channels
    )  # fmt: skip
    return LineRecording(recording.format_name, channels)


def _samples(samples: Samples, first_ns: int, last_ns: int) -> Samples:
    low, high = samples.indexes_of(np.array([first_ns, last_ns + 1], np.int64)).tolist()
    stamps = None if samples.stamps_ns is None else samples.stamps_ns[low:high] - first_ns
    return replace(
        samples, values=samples.values[low:high], begin_ns=samples.time_of(low) - first_ns, stamps_ns=stamps,
        lows=samples.lows[:0], highs=samples.highs[:0],
    )  # fmt: skip


def _edges(edges: Edges, first_ns: int, last_ns: int) -> Edges:
    part = edges.between(first_ns, last_ns)
    return replace(
        part, time_ns=part.time_ns - first_ns, begin_ns=part.begin_ns - first_ns, end_ns=part.end_ns - first_ns,
        unknown=part.unknown - first_ns,
    )  # fmt: skip
