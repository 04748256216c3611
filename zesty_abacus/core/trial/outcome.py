"""What is asked for of a recording that is brought in, and what came out of it."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from functools import cache
from importlib.metadata import PackageNotFoundError, version
from pathlib import Path

from ..captures.report import ReadReport
from ..captures.source import bare_name
from ..recipes.model import Recipe

MESSAGES = " messages"
"""What the lane of messages that were put together is called, behind the name of the bus that carried them."""


@cache
def reader_version() -> str:
    """Return the version of the program that reads; nothing where it is not installed."""
    # the package itself knows the parts that stand on this one
    try:
        return version("zesty-abacus")
    except PackageNotFoundError:
        return ""


@dataclass(frozen=True, slots=True)
class SourceRequest:
    """A recording to bring in.

    Attributes
    ----------
    path
    lanes
        What its interfaces are called.
    form
        Name of its format; recognised by the content if empty.
    recipe
        How waves, bytes or packets become frames.
    begins_ns
        When the recording's own zero is; None takes the file's date, or the start of the other recordings.
    protocol
        What its lanes speak, where its format does not say; empty for what such recordings usually are.
    """

    path: Path
    lanes: Mapping[str, str] = field(default_factory=dict)
    form: str = ""
    recipe: Recipe | None = None
    begins_ns: int | None = None
    protocol: str = ""

    def lane_name(self, interface: str) -> str:
        """Return the lane that frames of an interface go to."""
        if interface.endswith(MESSAGES) and interface not in self.lanes:
            return self.lane_name(interface.removesuffix(MESSAGES)) + MESSAGES
        recipe = self.recipe.lane if self.recipe is not None else ""
        return self.lanes.get(interface) or interface or recipe or Path(bare_name(self.path)).stem


@dataclass(slots=True)
class SourceOutcome:
    """What came out of one recording.

    Attributes
    ----------
    path
    report
        Counts and problems; empty if the file could not be read at all.
    holds
        ``frames``, ``lines``, ``reference`` or nothing if it could not be read.
    interfaces
        What the file calls those that its frames came from, in order.
    date_ns
        When its own zero is, since 1970 UTC, by the file itself; 0 where its times are dates already, None if it
        has no date.
    own_first_ns, own_last_ns
        Its earliest and latest time by its own clock; None if it has none.
    lanes
        Lane names of the trial that its frames went to, as ``interfaces``.
    first_ns, last_ns
        The same on the trial's clock, without the lanes' offsets.
    zero_ns
        Where the recording's own zero was put.
    clock
        Why it was put there, in words.
    samples, counted
        How many samples or edges a recording of lines has, and what was counted.
    recipe
        Name of the recipe that was used.
    silent_recipe
        Name of one that is for it and does not say what its wires speak.
    looks_like, looks_why
        What pieces of bytes look like that nobody has said how to put together, and what speaks for it.
    facts
        What was counted: (name, words).
    error
        Why nothing could be read, or empty.
    may_pass
        Whether that lies outside the file, as a right that is missing: the next time it may be read.
    read_by
        Version of the program that read it: what one cannot read a later one may.
    """

    path: Path
    report: ReadReport
    holds: str = ""
    interfaces: list[str] = field(default_factory=list)
    date_ns: int | None = None
    own_first_ns: int | None = None
    own_last_ns: int | None = None
    lanes: list[str] = field(default_factory=list)
    first_ns: int = 0
    last_ns: int = 0
    zero_ns: int = 0
    clock: str = ""
    samples: int = 0
    counted: str = ""
    recipe: str = ""
    silent_recipe: str = ""
    looks_like: str = ""
    looks_why: str = ""
    facts: list[tuple[str, str]] = field(default_factory=list)
    error: str = ""
    may_pass: bool = False
    read_by: str = field(default_factory=reader_version)

    @property
    def needs_recipe(self) -> bool:
        """Whether there are waves nobody has said how to read."""
        return self.holds == "lines" and not self.recipe and not self.error

    def cover(self, first_ns: int, last_ns: int) -> None:
        """Note that a stretch of its own time was recorded."""
        self.own_first_ns = first_ns if self.own_first_ns is None else min(self.own_first_ns, first_ns)
        self.own_last_ns = last_ns if self.own_last_ns is None else max(self.own_last_ns, last_ns)
