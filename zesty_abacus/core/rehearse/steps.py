"""The steps of a rehearsal, and their form as JSON.

A step says what is done; lengths of time and values are words, as they are typed: ``50 ms``, ``sine 0 to 10 in 5 s``.
"""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import ClassVar

import msgspec

from ..errors import DataError
from ..files.reading import read_file
from ..json_faults import faults_in
from .occasion import occasion_words

FORMAT = "zesty-abacus rehearsal"
VERSION = 1
_MOST_BYTES = 8 << 20
_MOST_STEPS = 10_000
_DEEPEST = 16


class RehearsalError(DataError):
    """A file or a text that is no rehearsal."""


class Step(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True, tag_field="do"):
    """One thing that is done, or looked for."""

    title: ClassVar[str] = ""

    def words(self) -> str:
        """Return the step as a sentence."""
        raise NotImplementedError


def _said(text: str) -> str:
    """Return what a person wrote, or a sign that it is still to be written."""
    return text or "…"


def _with(values: dict[str, str]) -> str:
    return " with " + ", ".join(f"{name} {text}" for name, text in values.items()) if values else ""


def _on(lane: str) -> str:
    return f" on {lane}" if lane else ""


class Send(Step, frozen=True, kw_only=True, tag="send"):
    """Send a message once, or a CAN frame as it is written.

    Attributes
    ----------
    message, values
        Fields by name, each a value or a feed.
    frame
        Instead of a message: ``1A0#0C00``.
    lane
        Where it is not clear from the message.
    faults
        Made wrong on purpose: ``wrong check``, ``frozen counter``, ``too short``, ``missing frame``, ``late frame``.
    """

    title: ClassVar[str] = "Send"
    message: str = ""
    values: dict[str, str] = {}
    frame: str = ""
    lane: str = ""
    faults: tuple[str, ...] = ()

    def words(self) -> str:
        wrong = f", {' and '.join(self.faults)}" if self.faults else ""
        return f"send {_said(self.message or self.frame)}{_with(self.values)}{_on(self.lane)}{wrong}"


class Start(Step, frozen=True, kw_only=True, tag="start"):
    """Send a message on an occasion from now on: at a period, on change, in answer to something.

    Attributes
    ----------
    every
        The occasion, as :func:`.occasion.parse_occasion` reads it.
    """

    title: ClassVar[str] = "Send again and again"
    message: str
    every: str
    values: dict[str, str] = {}
    lane: str = ""
    faults: tuple[str, ...] = ()

    def words(self) -> str:
        wrong = f", {' and '.join(self.faults)}" if self.faults else ""
        occasion = occasion_words(self.every)
        return f"from now on send {_said(self.message)} {occasion}{_with(self.values)}{_on(self.lane)}{wrong}"


class Stop(Step, frozen=True, kw_only=True, tag="stop"):
    """Send a message no more; without a name, nothing any more."""

    title: ClassVar[str] = "Stop sending"
    message: str = ""

    def words(self) -> str:
        return f"send {self.message} no more" if self.message else "send nothing any more"


class Set(Step, frozen=True, kw_only=True, tag="set"):
    """Feed a field of a message that goes out again and again otherwise: a value, a ramp, any feed."""

    title: ClassVar[str] = "Set a field"
    message: str
    field: str
    to: str

    def words(self) -> str:
        return f"set {_said(self.field)} of {_said(self.message)} to {_said(self.to)}"


class Wait(Step, frozen=True, kw_only=True, tag="wait"):
    """Let time pass."""

    title: ClassVar[str] = "Wait"
    for_: str = msgspec.field(name="for")

    def words(self) -> str:
        return f"wait {_said(self.for_)}"


class Until(Step, frozen=True, kw_only=True, tag="until"):
    """Wait until a condition holds; fails if it does not within the time."""

    title: ClassVar[str] = "Wait until"
    condition: str
    within: str

    def words(self) -> str:
        return f"wait until {_said(self.condition)}, at most {_said(self.within)}"


class Expect(Step, frozen=True, kw_only=True, tag="expect"):
    """Expect a frame in which a condition holds, within a time after the step before."""

    title: ClassVar[str] = "Expect"
    condition: str
    within: str

    def words(self) -> str:
        return f"expect {_said(self.condition)} within {_said(self.within)}"


class Never(Step, frozen=True, kw_only=True, tag="never"):
    """For some time there must be no frame in which a condition holds, at all or while another one does."""

    title: ClassVar[str] = "Never"
    condition: str
    for_: str = msgspec.field(name="for")
    while_: str = msgspec.field(name="while", default="")

    def words(self) -> str:
        during = f" while {self.while_}" if self.while_ else ""
        return f"never {_said(self.condition)}{during} for {_said(self.for_)}"


class Ask(Step, frozen=True, kw_only=True, tag="ask"):
    """Ask the person something that is answered by yes or no; no fails."""

    title: ClassVar[str] = "Ask"
    text: str

    def words(self) -> str:
        return f"ask: {_said(self.text)}"


class Note(Step, frozen=True, kw_only=True, tag="note"):
    """Note the moment."""

    title: ClassVar[str] = "Note the moment"
    text: str

    def words(self) -> str:
        return f"note: {_said(self.text)}"


class Run(Step, frozen=True, kw_only=True, tag="run"):
    """Run another rehearsal of the library."""

    title: ClassVar[str] = "Run another one"
    name: str

    def words(self) -> str:
        return f"run {_said(self.name)}"


class Repeat(Step, frozen=True, kw_only=True, tag="repeat"):
    """Do some steps several times."""

    title: ClassVar[str] = "Repeat"
    times: int
    steps: tuple[AnyStep, ...] = ()

    def words(self) -> str:
        return f"{self.times} times"


AnyStep = Send | Start | Stop | Set | Wait | Until | Expect | Never | Ask | Note | Run | Repeat


class Rehearsal(msgspec.Struct, frozen=True, kw_only=True, forbid_unknown_fields=True, omit_defaults=True):
    """A written sequence that passes or fails."""

    format: str = FORMAT
    version: int = VERSION
    name: str
    note: str = ""
    steps: tuple[AnyStep, ...] = ()

    def all_steps(self) -> Iterator[AnyStep]:
        """Yield every step once, those inside others behind them."""
        yield from _all(self.steps)


def _all(steps: tuple[AnyStep, ...]) -> Iterator[AnyStep]:
    for step in steps:
        yield step
        if isinstance(step, Repeat):
            yield from _all(step.steps)


def rehearsal_from_json(data: bytes, where: str) -> Rehearsal:
    """Read a rehearsal.

    Raises
    ------
    RehearsalError
        If it is none, of a newer version, or has more steps than can be meant.
    """
    try:
        made = msgspec.json.decode(data, type=Rehearsal)
    except (msgspec.DecodeError, UnicodeDecodeError, RecursionError) as error:
        wrong = faults_in(data, Rehearsal) or [str(error)]
        hint = "docs/formats.md says what one looks like."
        raise RehearsalError.of("this is no rehearsal", wrong, where=where, hint=hint) from error
    if made.format != FORMAT or made.version > VERSION:
        raise RehearsalError(f"format {made.format!r} of version {made.version} is not known here.", where=where)
    if _depth(made.steps) > _DEEPEST or sum(1 for _ in made.all_steps()) > _MOST_STEPS:
        raise RehearsalError("it has more steps, or deeper ones, than a person writes.", where=where)
    return made


def _depth(steps: tuple[AnyStep, ...]) -> int:
    return 1 + max((_depth(step.steps) for step in steps if isinstance(step, Repeat)), default=0)


def rehearsal_to_json(rehearsal: Rehearsal) -> bytes:
    """Return a rehearsal as it is written to a file."""
    return msgspec.json.format(msgspec.json.encode(rehearsal), indent=1) + b"\n"


def rehearsal_from_file(path: Path) -> Rehearsal:
    """Read the rehearsal in a file; raises as :func:`rehearsal_from_json`, or FileError."""
    return rehearsal_from_json(read_file(path, _MOST_BYTES), str(path))


STEP_KINDS: tuple[type[Step], ...] = (
    Send, Start, Set, Stop, Wait, Until, Expect, Never, Ask, Note, Run, Repeat
)  # fmt: skip
"""Every sort of step, in the order in which they are offered."""
_FRESH = {
    "message": "", "every": "50 ms", "field": "", "to": "0", "for_": "1 s", "condition": "", "within": "500 ms",
    "text": "", "name": "", "times": 2,
}  # fmt: skip


def fresh_step(kind: type[Step]) -> Step:
    """Return a new step of a sort, to be filled in."""
    given = {name: _FRESH[name] for name in kind.__struct_fields__ if name in _FRESH}
    return kind(**given)
