"""Messages on their way out: which frame is due next, and when, by :func:`time.monotonic`."""

from __future__ import annotations

import math
import time
from abc import ABC, abstractmethod
from collections import deque
from collections.abc import Callable, Sequence

import numpy as np

from ..errors import MisuseError
from ..frames import flags as F
from ..frames.capture import Lane
from ..frames.table import FrameTable
from ..live.endpoint import Outgoing
from ..live.watch import Watch
from .message import Outward
from .occasion import InAnswer, Occasion, OnChange, Planned

_LOOK_S = 0.01
"""So often it is looked whether values changed."""
_MOST_WAITING = 1000
"""Answers that are still to be given; to more questions than that nobody waits for one any more."""
_LATE_S = 0.1
"""How much later a frame goes out that is late on purpose and has no time of its own."""
_LATE_SHARE = 0.5
"""The same, as a share of the time to the next frame, where there is one."""


class Course(ABC):
    """One message as it goes out; its frames are asked for by one thread.

    Attributes
    ----------
    number
        Of the next frame, from 0.
    """

    def __init__(self, message: Outward, begin_s: float) -> None:
        self._message, self._begin_s = message, begin_s
        self.number = 0

    @property
    @abstractmethod
    def due_s(self) -> float:
        """When there is something to do next; infinite if that is not known yet."""

    @abstractmethod
    def frame(self) -> Outgoing | None:
        """Return the frame that is due, None if nothing goes out now; raises MisuseError if it cannot be made."""

    @abstractmethod
    def went(self, is_trouble: bool) -> None:
        """Go on behind the frame that was due, whether it went out or not."""

    def put_off(self) -> None:
        """Go on where the frame that was due waits for something that was not heard yet."""
        self.went(is_trouble=True)

    def hear(self, _table: FrameTable, _lanes: Sequence[Lane]) -> bool:
        """Take note of frames that came or were sent, and return whether there is something to do now.

        Called by the thread that takes them.
        """
        return False

    def _made(self, time_s: float) -> Outgoing | None:
        """Return the next frame, None if it is left out on purpose."""
        return None if self._message.faults.leaves_out(self.number) else self._message.frame(self.number, time_s)


class PlannedCourse(Course):
    """Frames at times that are known beforehand."""

    def __init__(self, message: Outward, begin_s: float, occasion: Planned) -> None:
        super().__init__(message, begin_s)
        self._occasion = occasion

    @property
    def due_s(self) -> float:
        planned_ns = self._occasion.planned_ns(self.number)
        if planned_ns is None:
            return math.inf
        late_ns = 0.0
        if self._message.faults.is_late(self.number):
            next_ns = self._occasion.planned_ns(self.number + 1)
            late_ns = (next_ns - planned_ns) * _LATE_SHARE if next_ns is not None else _LATE_S * 1e9
        return self._begin_s + (planned_ns + late_ns) / 1e9

    def frame(self) -> Outgoing | None:
        planned_ns = self._occasion.planned_ns(self.number)
        return self._made(planned_ns / 1e9) if planned_ns is not None else None

    def put_off(self) -> None:
        if self.number:
            self.went(is_trouble=True)
        else:
            # the times of all frames count from the first one
            self._begin_s = time.monotonic() + _LOOK_S

    def went(self, is_trouble: bool) -> None:
        self.number += 1
        # what was missed while nothing could be sent is not caught up with in a rush
        now = self._occasion.number_at(round((time.monotonic() - self._begin_s) * 1e9))
        if is_trouble and now > self.number + 1:
            self.number = now


class ChangeCourse(Course):
    """A frame whenever what the feeds give makes another payload; the first one at once."""

    def __init__(self, message: Outward, begin_s: float, occasion: OnChange) -> None:
        super().__init__(message, begin_s)
        self._least_s = math.inf if occasion.least_ns is None else occasion.least_ns / 1e9
        self._shown: bytes | None = None
        self._sent_s = -math.inf
        self._due_s = begin_s
        self._is_held = False

    @property
    def due_s(self) -> float:
        return self._due_s

    def frame(self) -> Outgoing | None:
        now = time.monotonic()
        # always as the same number, so that what counts the frames is no change
        shown = self._message.frame(0, now - self._begin_s).payload
        if shown == self._shown and now < self._sent_s + self._least_s and not self._is_held:
            return None
        if self._message.faults.is_late(self.number) and not self._is_held:
            self._is_held = True
            return None
        self._shown, self._sent_s, self._is_held = shown, now, False
        made = self._made(now - self._begin_s)
        self.number += 1
        return made

    def went(self, is_trouble: bool) -> None:
        if is_trouble:
            self._shown = None
        self._due_s = time.monotonic() + (_LATE_S if self._is_held else _LOOK_S)


class AnswerCourse(Course):
    """A frame to each one heard in which a condition holds."""

    def __init__(self, message: Outward, begin_s: float, watch: Watch) -> None:
        super().__init__(message, begin_s)
        self._watch = watch
        self._asked: deque[float] = deque(maxlen=_MOST_WAITING)

    def hear(self, table: FrameTable, lanes: Sequence[Lane]) -> bool:
        rows = self._watch.holds_in(table, lanes)
        # what we send ourselves asks nothing of us, or one answer would be the question to the next
        asked = int(np.count_nonzero(table.flags[rows] & np.uint32(F.SENT) == 0))
        for later in range(asked):
            late = self._message.faults.is_late(self.number + len(self._asked))
            self._asked.append(time.monotonic() + (_LATE_S if late else 0.0) + later * 1e-9)
        return asked > 0

    @property
    def due_s(self) -> float:
        return self._asked[0] if self._asked else math.inf

    def frame(self) -> Outgoing | None:
        return self._made(time.monotonic() - self._begin_s)

    def went(self, is_trouble: bool) -> None:
        self._asked.popleft()
        self.number += 1


def course_of(occasion: Occasion, message: Outward, begin_s: float, watch: Callable[[str], Watch] | None) -> Course:
    """Return a message on its way out.

    Parameters
    ----------
    begin_s
        When it begins, by :func:`time.monotonic`.
    watch
        Makes the watch of a condition; None where nothing is heard.

    Raises
    ------
    MisuseError
        If a condition makes no sense, or nothing is heard.
    """
    if isinstance(occasion, Planned):
        return PlannedCourse(message, begin_s, occasion)
    if isinstance(occasion, OnChange):
        return ChangeCourse(message, begin_s, occasion)
    if isinstance(occasion, InAnswer) and watch is not None:
        return AnswerCourse(message, begin_s, watch(occasion.condition))
    raise MisuseError("nothing is heard here that it could answer.", where=occasion.words)
