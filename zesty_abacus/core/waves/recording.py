"""A recording of lines as a whole: its channels, its zero of time, what was noted in it."""

from __future__ import annotations

from dataclasses import dataclass, field

from .edges import Edges
from .samples import Samples


@dataclass(frozen=True, slots=True, eq=False)
class Channel:
    """One line of a recording: either samples or edges.

    Attributes
    ----------
    name
        As the file calls it, or ``channel 1``; no two of a recording are equal.
    samples, edges
        One of them is None.
    """

    name: str
    samples: Samples | None = None
    edges: Edges | None = None

    @property
    def words(self) -> str:
        """Return what the channel is: ``analog``, ``digital`` or ``I/Q``."""
        if self.samples is None:
            return "digital"
        return "I/Q" if self.samples.is_iq else "analog"

    @property
    def count(self) -> int:
        """Return how many samples or edges it has."""
        return len(self.samples) if self.samples is not None else len(self.edges) if self.edges is not None else 0

    @property
    def span_ns(self) -> tuple[int, int]:
        """Return the time that was recorded."""
        if self.samples is not None:
            return self.samples.begin_ns, self.samples.end_ns
        assert self.edges is not None
        return self.edges.begin_ns, self.edges.end_ns


@dataclass(frozen=True, slots=True)
class Annotation:
    """Something the file itself says about a span of its time."""

    first_ns: int
    last_ns: int
    text: str


@dataclass(frozen=True, slots=True, eq=False)
class LineRecording:
    """Channels recorded together.

    Attributes
    ----------
    format_name
    channels
    zero_ns
        Nanoseconds since 1970-01-01 UTC at the recording's own zero; None if the file has no date.
    annotations
        In order of time.
    facts
        What else the file says of itself: (name, words).
    """

    format_name: str
    channels: tuple[Channel, ...]
    zero_ns: int | None = None
    annotations: tuple[Annotation, ...] = ()
    facts: tuple[tuple[str, str], ...] = field(default=())

    def channel(self, name: str) -> Channel | None:
        """Return the channel of a name, or None."""
        return next((channel for channel in self.channels if channel.name == name), None)

    @property
    def span_ns(self) -> tuple[int, int]:
        """Return the time that was recorded on any channel."""
        spans = [channel.span_ns for channel in self.channels] or [(0, 0)]
        return min(first for first, _ in spans), max(last for _, last in spans)
