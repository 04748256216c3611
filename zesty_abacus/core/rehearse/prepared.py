"""A rehearsal made ready: every name, time, value and condition in it looked up before anything is sent."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import dataclass

from ..codec.named import layout_named
from ..conditions.bind import Known, bind
from ..durations import duration_ns
from ..errors import DataError, MisuseError
from ..layouts.model import Layout
from ..live.frame_text import parse_frame
from ..live.watch import Watch
from .feed_words import parse_feed
from .feeds import NotHeardError
from .listening import Listening
from .message import OutgoingMessage, faults_of
from .occasion import InAnswer, parse_occasion
from .outlets import Outlets
from .steps import AnyStep, Expect, Never, Note, Rehearsal, Repeat, Run, Send, Set, Start, Until, Wait

_MOST_DONE = 1_000_000


@dataclass(frozen=True, slots=True)
class Noted:
    """A moment that a rehearsal noted."""

    time_ns: int
    text: str


@dataclass(frozen=True, slots=True)
class ReadyStep:
    """A step with its number as people count, ``3`` or ``4.2`` within a repetition."""

    number: str
    step: AnyStep
    lane: str = ""


class Prepared:
    """A rehearsal that can be run.

    Parameters
    ----------
    rehearsal
    layouts
        Of the library.
    outlets
    others
        Gives another rehearsal by its name.

    Raises
    ------
    MisuseError
        If anything in it makes no sense; each step that does not is named.
    """

    def __init__(
        self, rehearsal: Rehearsal, layouts: Sequence[Layout], outlets: Outlets,
        others: Callable[[str], Rehearsal] | None = None,
    ) -> None:  # fmt: skip
        self.rehearsal = rehearsal
        self.layouts = list(layouts)
        self._outlets = outlets
        self._others = others
        # what it notes itself can be asked for as well; when it was is known once it has happened
        noted = [Noted(0, step.text) for step in rehearsal.all_steps() if isinstance(step, Note)]
        self._known = Known(list(outlets.lanes), layouts, noted)
        self._wrong: list[MisuseError] = []
        self.steps: tuple[ReadyStep, ...] = tuple(self._flat(rehearsal.steps, "", frozenset({rehearsal.name})))
        if len(self._wrong) == 1:
            raise self._wrong[0]
        if self._wrong:
            raise MisuseError.of("it cannot be run", [str(one) for one in self._wrong], where=rehearsal.name)

    def _flat(self, steps: Sequence[AnyStep], before: str, running: frozenset[str]) -> Iterator[ReadyStep]:
        for place, step in enumerate(steps, 1):
            number = f"{before}{place}"
            try:
                if isinstance(step, Repeat):
                    yield from self._repeated(step, number, running)
                elif isinstance(step, Run):
                    if step.name in running or self._others is None:
                        raise MisuseError(f"{step.name} would run within itself, or is not in a library.")
                    yield from self._flat(self._others(step.name).steps, f"{number}.", running | {step.name})
                else:
                    yield ReadyStep(number, step, self._checked(step))
            except (MisuseError, DataError) as error:
                where = f"step {number}" + (f", {error.where}" if error.where else "")
                self._wrong.append(MisuseError(error.message, where=where, hint=error.hint))

    def _repeated(self, step: Repeat, number: str, running: frozenset[str]) -> Iterator[ReadyStep]:
        if not 1 <= step.times <= _MOST_DONE:
            raise MisuseError(f"it cannot be repeated {step.times} times.")
        known = len(self._wrong)
        for time in range(1, step.times + 1):
            yield from self._flat(step.steps, f"{number}.{time}.", running)
            if len(self._wrong) > known:
                # what is wrong with a step is wrong with it every time
                return

    def _checked(self, step: AnyStep) -> str:
        """Return the lane a step sends on, empty if it sends nothing; raises MisuseError where it makes no sense."""
        if isinstance(step, Wait):
            duration_ns(step.for_)
        if isinstance(step, Until | Expect):
            duration_ns(step.within)
            bind(step.condition, self._known)
        if isinstance(step, Never):
            duration_ns(step.for_)
            for text in (step.condition, step.while_):
                if text:
                    bind(text, self._known)
        if isinstance(step, Set):
            self.message(step.message, {step.field: step.to}, ())
        if isinstance(step, Start):
            occasion = parse_occasion(step.every)
            if isinstance(occasion, InAnswer):
                bind(occasion.condition, self._known)
        if isinstance(step, Send) and step.frame:
            parse_frame(step.frame)
            if step.message:
                raise MisuseError("a frame is sent, or a message; not both.")
            return self._lane_of_frame(step.lane)
        if isinstance(step, Send | Start):
            made = self.message(step.message, step.values, step.faults)
            with suppress(NotHeardError):
                made.frame(0, 0.0)
            return self._outlets.lane_for(made.layout, step.lane)
        return ""

    def _lane_of_frame(self, wanted: str) -> str:
        lanes = list(self._outlets.lanes)
        if wanted in lanes or len(lanes) == 1:
            return wanted or lanes[0]
        raise MisuseError("it does not say on which lane.", hint=f"There are {', '.join(lanes) or 'none'}.")

    def message(
        self, name: str, values: Mapping[str, str], faults: Sequence[str], listening: Listening | None = None
    ) -> OutgoingMessage:  # fmt: skip
        """Return a message of the library with its feeds; raises MisuseError if it makes no sense."""
        try:
            layout = layout_named(self.layouts, name, "the library")
        except DataError as error:
            hint = error.hint or "Look with: zesty-abacus library show."
            raise MisuseError(error.message, hint=hint) from error
        feeds = {key: parse_feed(text) for key, text in values.items()}
        if listening is None:
            # what is listened to must be there, long before anything is heard of it
            listening = Listening(lambda: self.layouts, lambda text: Watch(text, self._known.lanes, self.layouts))
        return OutgoingMessage(layout, feeds, faults_of(faults), listening)
