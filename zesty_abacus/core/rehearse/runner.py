"""Runs a rehearsal: does its steps one after the other and says of each how it came out, and by which frame."""

from __future__ import annotations

import threading
import time
from collections.abc import Callable
from concurrent.futures import Future
from contextlib import suppress
from dataclasses import dataclass, field

from ..durations import duration_ns
from ..errors import AbacusError
from ..frames.capture import Capture
from ..frames.table import FrameTable
from ..handover.kind_words import kind_words
from ..live.frame_text import parse_frame
from ..live.receiving import Receiving
from ..live.watch import Watch
from .feed_words import parse_feed
from .listening import Listening
from .message import OutgoingMessage
from .occasion import parse_occasion
from .outlets import Outlets
from .prepared import Noted, Prepared, ReadyStep
from .schedule import Schedule
from .standing import Standing
from .steps import Ask, Expect, Never, Note, Send, Set, Start, Stop, Until, Wait
from .witness import Witness

_WAIT_S = 0.02
_LATE_S, _LATEST_S = 0.08, 0.6
"""How long after a time limit frames of before may still come in from the threads that receive: at least so long, and
longer on a busy machine, as long as nothing has come that is later than the limit."""
_DECODED_BYTES = 24

PASSED, FAILED, LEFT_OUT = "passed", "failed", "left out"


@dataclass(slots=True)
class StepOutcome:
    """How a step came out.

    Attributes
    ----------
    number, words
    state
        ``passed``, ``failed``, or ``left out`` since one before failed.
    begin_ns, seconds
        When it began, on the clock of the frames, and how long it took.
    reason
        Why it failed, or what decided it.
    frame
        The frame that decided it, in words; empty if none did.
    """

    number: str
    words: str
    state: str = LEFT_OUT
    begin_ns: int = 0
    seconds: float = 0.0
    reason: str = ""
    frame: str = ""


@dataclass(slots=True)
class Outcome:
    """How a rehearsal came out: its steps, and the moments it noted."""

    name: str
    steps: list[StepOutcome] = field(default_factory=list)
    begin_ns: int = 0
    seconds: float = 0.0
    moments: list[tuple[int, str]] = field(default_factory=list)
    frames: int = 0

    @property
    def is_passed(self) -> bool:
        """Whether every step passed."""
        return all(one.state == PASSED for one in self.steps)

    @property
    def failed(self) -> StepOutcome | None:
        """The step that failed, None if none did."""
        return next((one for one in self.steps if one.state == FAILED), None)


class _StepFailedError(Exception):
    """A step that did not come out as it should."""

    def __init__(self, reason: str, frame: str = "") -> None:
        super().__init__(reason)
        self.reason = reason
        self.frame = frame


class Runner:
    """Runs one rehearsal.

    Parameters
    ----------
    prepared, receiving, outlets
    ask
        Asks the person; returns whether the answer is yes.
    came
        Told of every table of frames, in order of time, with what is sent among them.
    stepped
        Told of each step as it begins and as it is over.
    stopped
        Ends it at the next chance; what is left is left out.
    """

    def __init__(
        self, prepared: Prepared, receiving: Receiving, outlets: Outlets, *,
        ask: Callable[[str], bool], came: Callable[[FrameTable], None] = lambda _table: None,
        stepped: Callable[[StepOutcome], None] = lambda _outcome: None, stopped: threading.Event | None = None,
    ) -> None:  # fmt: skip
        self._prepared = prepared
        self._receiving = receiving
        self._outlets = outlets
        self._ask = ask
        self._came = came
        self._stepped = stepped
        self._stopped = stopped or threading.Event()
        self._listening = Listening(lambda: prepared.layouts, self._watch)
        self._schedule = Schedule(outlets.send, self._listening)
        self._witness = Witness()
        self._acted_ns = 0
        self.outcome = Outcome(prepared.rehearsal.name)
        self.outcome.steps = [StepOutcome(one.number, one.step.words()) for one in prepared.steps]

    def run(self) -> Outcome:
        """Do all steps; the first that fails ends it."""
        outcome = self.outcome
        outcome.begin_ns = self._acted_ns = self._receiving.now_ns
        begin = time.monotonic()
        self._begin_listening()
        try:
            for ready, step in zip(self._prepared.steps, outcome.steps, strict=True):
                if self._stopped.is_set() or not self._done(ready, step):
                    break
        finally:
            self._schedule.close()
            self._pump(0.0)
            outcome.seconds = time.monotonic() - begin
        return outcome

    def _begin_listening(self) -> None:
        """Follow what some step passes on from the beginning, so that its value is there when the step comes."""
        for step in (one.step for one in self._prepared.steps):
            if isinstance(step, Send | Start) and step.message:
                with suppress(AbacusError):
                    self._message(step).values(0.0, 0)

    def _message(self, step: Send | Start) -> OutgoingMessage:
        return self._prepared.message(step.message, step.values, step.faults, self._listening)

    def _done(self, ready: ReadyStep, outcome: StepOutcome) -> bool:
        outcome.begin_ns = self._receiving.now_ns
        outcome.state = ""
        self._stepped(outcome)
        begin = time.monotonic()
        try:
            outcome.reason, outcome.frame = self._do(ready)
            outcome.state = PASSED
        except _StepFailedError as error:
            outcome.state, outcome.reason, outcome.frame = FAILED, error.reason, error.frame
        except AbacusError as error:
            outcome.state, outcome.reason = FAILED, str(error)
        outcome.seconds = time.monotonic() - begin
        self._stepped(outcome)
        return outcome.state == PASSED

    def _do(self, ready: ReadyStep) -> tuple[str, str]:
        step = ready.step
        if isinstance(step, Send | Start | Set | Stop | Note | Ask):
            self._acted_ns = self._receiving.now_ns
        if isinstance(step, Send):
            return self._send(ready, step)
        if isinstance(step, Start):
            self._schedule.start(step.message, self._message(step), ready.lane, parse_occasion(step.every))
        elif isinstance(step, Set):
            return self._set(step)
        elif isinstance(step, Stop):
            return self._stop(step)
        elif isinstance(step, Wait):
            self._wait(duration_ns(step.for_))
        elif isinstance(step, Until | Expect):
            return self._look_for(step)
        elif isinstance(step, Never):
            return self._never(step)
        elif isinstance(step, Note):
            self.outcome.moments.append((self._receiving.now_ns, step.text))
        elif isinstance(step, Ask) and not self._asked(step.text):
            raise _StepFailedError("the answer is no.")
        return "", ""

    def _send(self, ready: ReadyStep, step: Send) -> tuple[str, str]:
        if step.frame:
            frame = parse_frame(step.frame)
        else:
            frame = self._message(step).frame(0, 0.0)
        self._outlets.send(ready.lane, frame)
        return f"sent {frame.payload.hex(' ').upper()}", ""

    def _set(self, step: Set) -> tuple[str, str]:
        entry = self._schedule.entries.get(step.message)
        if entry is None:
            raise _StepFailedError(f"{step.message} is not being sent.")
        assert isinstance(entry.message, OutgoingMessage), "a rehearsal starts nothing else"
        entry.message.set(step.field, parse_feed(step.to))
        return "", ""

    def _stop(self, step: Stop) -> tuple[str, str]:
        if not step.message:
            self._schedule.stop_all()
            return "", ""
        entry = self._schedule.stop(step.message)
        if entry is None:
            raise _StepFailedError(f"{step.message} is not being sent.")
        if entry.trouble:
            raise _StepFailedError(entry.trouble)
        return entry.kept.words(), ""

    def _wait(self, length_ns: int) -> None:
        until = time.monotonic() + length_ns / 1e9
        while (left := until - time.monotonic()) > 0 and not self._stopped.is_set():
            self._pump(min(left, _WAIT_S))
        # what is looked for next is looked for from here on
        self._acted_ns = self._receiving.now_ns
        self._check_stopped()

    def _look_for(self, step: Until | Expect) -> tuple[str, str]:
        begin_ns, within_ns = self._acted_ns, duration_ns(step.within)
        found = self._first(step.condition, begin_ns, begin_ns + within_ns)
        if found is None:
            self._acted_ns = self._receiving.now_ns
            seen = self._witness.seen_since(begin_ns)
            raise _StepFailedError(f"no such frame within {step.within}; {seen} frames came meanwhile.")
        time_ns, words = found
        self._acted_ns = time_ns + 1
        return f"after {(time_ns - begin_ns) / 1e6:.1f} ms", words

    def _first(self, condition: str, begin_ns: int, end_ns: int) -> tuple[int, str] | None:
        """Return time and words of the first frame in a stretch in which a condition holds, waiting for it."""
        watch = self._watch(condition)
        for table, first in self._tables(begin_ns, end_ns):
            lanes = self._receiving.lanes
            for row in watch.holds_in(table, lanes):
                time_ns = int(table.time_ns[row])
                if row >= first and begin_ns <= time_ns <= end_ns:
                    return time_ns, self._words(table, row)
        return None

    def _never(self, step: Never) -> tuple[str, str]:
        begin_ns = self._acted_ns
        end_ns = begin_ns + duration_ns(step.for_)
        forbidden = Standing(self._watch(step.condition))
        during = Standing(self._watch(step.while_)) if step.while_ else None
        looked = 0
        for table, first in self._tables(begin_ns, end_ns):
            lanes = self._receiving.lanes
            holds = forbidden.over(table, lanes)
            meanwhile = during.over(table, lanes) if during is not None else holds
            both = holds.now & meanwhile.now if during is not None else holds.hits
            for row in both.nonzero()[0].tolist():
                if row >= first and begin_ns <= int(table.time_ns[row]) <= end_ns:
                    raise _StepFailedError(
                        f"it happened after {(int(table.time_ns[row]) - begin_ns) / 1e6:.1f} ms.",
                        self._words(table, row),
                    )
            looked += len(table) - first
        self._acted_ns = self._receiving.now_ns
        self._check_stopped()
        return f"{looked} frames looked at", ""

    def _tables(self, begin_ns: int, end_ns: int):  # type: ignore[no-untyped-def]
        """Yield what is remembered, with the row of its first frame in the stretch, then what comes until its end."""
        before = self._witness.table
        if len(before):
            yield before, int(before.time_ns.searchsorted(begin_ns))
        limit = time.monotonic() + (end_ns - self._receiving.now_ns) / 1e9
        is_passed = False
        while (late := time.monotonic() - limit) < _LATEST_S and not self._stopped.is_set():
            if late > _LATE_S and is_passed:
                return
            table = self._pump(_WAIT_S)
            if len(table):
                is_passed = is_passed or int(table.time_ns[-1]) > end_ns
                yield table, 0

    def _watch(self, condition: str) -> Watch:
        lanes = [lane.name for lane in self._receiving.lanes]
        noted = [Noted(time_ns, text) for time_ns, text in self.outcome.moments]
        return Watch(condition, lanes, self._prepared.layouts, noted)

    def _pump(self, timeout_s: float) -> FrameTable:
        table = self._receiving.take(timeout_s)
        if len(table):
            self.outcome.frames += len(table)
            self._witness.add(table)
            self._schedule.hear(table, self._receiving.lanes)
            self._came(table)
        return table

    def _words(self, table: FrameTable, row: int) -> str:
        capture = Capture.from_table(table.rows(row, row + 1), list(self._receiving.lanes))
        lane = capture.lanes[int(table.lane[row])].name
        payload = table.payload_of(row)[:_DECODED_BYTES].hex(" ").upper()
        return f"{lane} {kind_words(capture, 0)} {payload}".strip()

    def _asked(self, text: str) -> bool:
        answered = _later(lambda: self._ask(text))
        # a person takes their time, and the bus goes on: answers are given, and whoever looks sees what comes
        while not answered.done() and not self._stopped.is_set():
            self._pump(_WAIT_S)
        self._acted_ns = self._receiving.now_ns
        self._check_stopped()
        return answered.result()

    def _check_stopped(self) -> None:
        if self._stopped.is_set():
            raise _StepFailedError("it was stopped.")


def _later(work: Callable[[], bool]) -> Future[bool]:
    """Do something on a thread that nobody has to wait for, which a pool's thread is at the end of a program."""
    made: Future[bool] = Future()

    def run() -> None:
        try:
            made.set_result(work())
        except BaseException as error:
            made.set_exception(error)

    threading.Thread(target=run, daemon=True, name="asks").start()
    return made
