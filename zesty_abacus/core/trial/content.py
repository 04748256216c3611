"""What a trial file says, as immutable values."""

from __future__ import annotations

from typing import Any
from uuid import UUID

import msgspec

from ..problems.limits import Limit, SetAside
from ..problems.problem import ProblemKey
from ..reading.ties import Tie
from ..recipes.model import Recipe

FORMAT = "zesty-abacus trial"
VERSION = 1


class SourceEntry(msgspec.Struct, frozen=True, kw_only=True):
    """One recording of a trial.

    Attributes
    ----------
    path
        Relative to the trial's folder, or absolute.
    lanes
        Lane names by the interface name in the file; an interface without an entry keeps its own name.
    form
        Name of the format, if the user overruled what the content says.
    recipe
        How it becomes frames, as it was when it was put to use; recordings of frames need none.
    begins_ns
        When the recording's own zero is, since 1970 UTC; None takes the file's date, or the start of the others.
    protocol
        What its lanes speak, where a table of frames does not say; empty for what such tables usually are.
    """

    path: str
    lanes: dict[str, str] = {}
    form: str = ""
    recipe: Recipe | None = None
    begins_ns: int | None = None
    protocol: str = ""


class LaneEntry(msgspec.Struct, frozen=True, kw_only=True):
    """What the trial says about a lane.

    Attributes
    ----------
    note
        Shown beside the name, such as ``CAN 500k``.
    offset_ns
        Added to every time of the lane, to put several clocks on one.
    bit_rate
        In bit/s, where the recording does not say it; 0 leaves what the recording says.
    """

    name: str
    note: str = ""
    offset_ns: int = 0
    bit_rate: int = 0


class Moment(msgspec.Struct, frozen=True, kw_only=True):
    """Something that happened, on the capture's clock."""

    time_ns: int
    text: str


class KeptCondition(msgspec.Struct, frozen=True, kw_only=True):
    """Something that is asked of the frames again and again, under a name."""

    name: str
    text: str


class HandReading(msgspec.Struct, frozen=True, kw_only=True):
    """What an instrument said at a moment, typed in by a person."""

    name: str
    time_ns: int
    value: float
    unit: str = ""


class LaidOver(msgspec.Struct, frozen=True, kw_only=True):
    """A column of a reference beside a field: what an instrument said of it."""

    field: UUID
    source: str
    name: str


class TrialFile(msgspec.Struct, frozen=True, kw_only=True):
    """The content of ``trial.json``, an immutable value.

    ``library`` is a file or a server's address; ``release`` is the release that the trial is decoded with, empty for
    the newest state.
    """

    format: str = FORMAT
    version: int = VERSION
    name: str
    run: str = ""
    sources: tuple[SourceEntry, ...] = ()
    lanes: tuple[LaneEntry, ...] = ()
    moments: tuple[Moment, ...] = ()
    references: tuple[str, ...] = ()
    library: str = "library.sqlite"
    release: str = ""
    ties: tuple[Tie, ...] = ()
    conditions: tuple[KeptCondition, ...] = ()
    limits: tuple[Limit, ...] = ()
    set_aside: tuple[SetAside, ...] = ()
    readings: tuple[HandReading, ...] = ()
    laid_over: tuple[LaidOver, ...] = ()

    def with_tie(self, layout: UUID | None, lane: str, address: int | None, flags: int | None) -> TrialFile:
        """Return a trial in which one kind of message, or a lane, is tied to a layout, or to none."""
        others = tuple(tie for tie in self.ties if (tie.lane, tie.address, tie.flags) != (lane, address, flags))
        made = () if layout is None else (Tie(layout=layout, lane=lane, address=address, flags=flags),)
        return msgspec.structs.replace(self, ties=(*others, *made))

    def lane_entry(self, name: str) -> LaneEntry:
        """Return what is said about a lane, an empty entry if nothing is."""
        return next((lane for lane in self.lanes if lane.name == name), LaneEntry(name=name))

    def with_source(self, number: int, entry: SourceEntry) -> TrialFile:
        """Return a trial with one source's entry replaced."""
        sources = tuple(entry if place == number else known for place, known in enumerate(self.sources))
        return msgspec.structs.replace(self, sources=sources)

    def with_lane(self, entry: LaneEntry) -> TrialFile:
        """Return a trial with one lane's entry replaced or added."""
        others = tuple(lane for lane in self.lanes if lane.name != entry.name)
        return msgspec.structs.replace(self, lanes=(*others, entry))

    def with_condition(self, name: str, text: str) -> TrialFile:
        """Return a trial that keeps a condition under a name; an empty text forgets it."""
        others = tuple(one for one in self.conditions if one.name != name)
        made = (KeptCondition(name=name, text=text),) if text else ()
        return msgspec.structs.replace(self, conditions=(*others, *made))

    def with_limit(self, key: ProblemKey, value: float | None) -> TrialFile:
        """Return a trial in which a problem has a limit, or with None no limit of its own."""
        others = tuple(one for one in self.limits if one.key != key)
        made = () if value is None else (Limit(**_of_problem(key), value=value),)
        return msgspec.structs.replace(self, limits=(*others, *made))

    def with_set_aside(self, key: ProblemKey, reason: str) -> TrialFile:
        """Return a trial that sets a problem aside for a reason; an empty one takes it up again."""
        others = tuple(one for one in self.set_aside if one.key != key)
        made = (SetAside(**_of_problem(key), reason=reason),) if reason else ()
        return msgspec.structs.replace(self, set_aside=(*others, *made))

    def with_reading(self, reading: HandReading) -> TrialFile:
        """Return a trial with one more reading; another one of its name at that time takes the place of the first."""
        others = tuple(one for one in self.readings if (one.name, one.time_ns) != (reading.name, reading.time_ns))
        return msgspec.structs.replace(self, readings=(*others, reading))

    def with_laid_over(self, entry: LaidOver) -> TrialFile:
        """Return a trial with a reference laid over a field, or taken off again if it is."""
        others = tuple(one for one in self.laid_over if one != entry)
        made = () if entry in self.laid_over else (entry,)
        return msgspec.structs.replace(self, laid_over=(*others, *made))

    def with_moment(self, moment: Moment) -> TrialFile:
        """Return a trial with one more moment, in order of time."""
        return msgspec.structs.replace(
            self, moments=tuple(sorted((*self.moments, moment), key=lambda item: item.time_ns))
        )


def lane_moves(before: TrialFile, after: TrialFile) -> dict[str, int] | None:
    """Return by how much each lane has moved, in nanoseconds; None if anything else of sources or lanes changed."""
    if before.sources != after.sources:
        return None
    names = {lane.name for lane in (*before.lanes, *after.lanes)}
    if any(_as_shown(before.lane_entry(name)) != _as_shown(after.lane_entry(name)) for name in names):
        return None
    return {name: after.lane_entry(name).offset_ns - before.lane_entry(name).offset_ns for name in names}


def _as_shown(lane: LaneEntry) -> tuple[str, int]:
    """Return what a lane says besides its offset."""
    return lane.note, lane.bit_rate


def _of_problem(key: ProblemKey) -> dict[str, Any]:
    return {"problem": key.kind, **{name: getattr(key, name) for name in ("lane", "address", "flags", "field")}}
