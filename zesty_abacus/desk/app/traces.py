"""The fields that are drawn over time, in the order of the stack."""

from __future__ import annotations

from typing import Any
from uuid import UUID

from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine
from .kinds import Kinds, Origin
from .reading import Reading

Trace = tuple[int, UUID]
"""Number of a kind, and a field of one of its layouts."""

_FIRST_TRACES = 4
_SLOWEST_TRACE_HZ = 4


class Traces(QObject):
    """The stack of traces.

    Attributes
    ----------
    shown
        From the top down.

    Events
    ------
    changed
        A trace was put on or taken off by hand.
    """

    changed = pyqtSignal()

    def __init__(self, reading: Reading, kinds: Kinds) -> None:
        super().__init__()
        self._reading, self._kinds = reading, kinds
        self.shown: list[Trace] = []

    def field(self, trace: Trace) -> engine.Field | None:
        """Return the field a trace shows, None if it is no more."""
        layout = self.layout(trace)
        return next((f for f in layout.once_a_frame() if f.id == trace[1]), None) if layout is not None else None

    def layout(self, trace: Trace) -> engine.Layout | None:
        """Return the layout that a trace is read by, None if there is none any more."""
        return self._reading.layout_with(*trace)

    def toggle(self, kind: int, field_id: UUID) -> None:
        """Put a field on the stack, or take it off."""
        trace = (kind, field_id)
        self.shown = [t for t in self.shown if t != trace] if trace in self.shown else [*self.shown, trace]
        self.changed.emit()

    def drop_gone(self) -> None:
        """Take those off whose field is no more."""
        self.shown = [trace for trace in self.shown if self.field(trace) is not None]

    def by_origin(self) -> list[tuple[Origin, UUID]]:
        """Return the stack as another capture of the trial can find it again."""
        return [(self._kinds.origin(kind), field_id) for kind, field_id in self.shown]

    def find_again(self, stack: list[tuple[Origin, UUID]]) -> None:
        """Put a stack up again after the kinds were numbered anew; one of which nothing is left begins afresh."""
        numbers = self._kinds.by_origin()
        self.shown = [(numbers[origin], field_id) for origin, field_id in stack if origin in numbers]
        if not self.shown:
            self.begin()
        self.drop_gone()

    def begin(self) -> None:
        """Choose fields worth a first look: one scaled number a message, messages of all lanes in turn."""
        by_lane: dict[int, list[Trace]] = {}
        for kind in self._reading.kinds_read():
            layout, lane = self._reading.layout_of(kind), self._kinds.key(kind).lane
            # of a lane with thousands of messages no more are looked at than can be shown: to count how often each
            # comes takes longer than a window may stand still
            if layout is None or len(by_lane.get(lane, ())) == _FIRST_TRACES:
                continue
            fields = (f for f in layout.fields if f.kind.is_number and f.unit and f.selected is None)
            first = next(fields, None)
            if first is not None and (self._kinds.rate(kind) or 0.0) >= _SLOWEST_TRACE_HZ:
                by_lane.setdefault(lane, []).append((kind, first.id))
        turns = [trace for group in zip(*_padded(list(by_lane.values())), strict=True) for trace in group if trace]
        self.shown = turns[:_FIRST_TRACES]


def _padded(groups: list[list[Any]]) -> list[list[Any]]:
    longest = max((len(group) for group in groups), default=0)
    return [group + [None] * (longest - len(group)) for group in groups]
