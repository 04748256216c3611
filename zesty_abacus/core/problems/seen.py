"""One kind of message, as those see it who look for problems."""

from __future__ import annotations

import itertools
from collections.abc import Iterator, Sequence
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded
from ..frames.kind_key import KindKey
from ..frames.segment_frames import KindFrames, places_in
from ..progress import Progress
from ..protocols.protocol import Protocol
from ..protocols.registry import protocol_named
from ..reading.meaning import Meaning
from ..reading.readers import KindMeaning, Reader
from .limits import Limits
from .period import Period, usual_period
from .problem import Problem, ProblemKey, ProblemKind

_CHUNK = 1 << 18
"""Frames decoded at a time: all fields of that many take some ten megabytes."""


class KindSeen:
    """All frames of a kind, in order of time, with what is asked of them more than once.

    Attributes
    ----------
    meaning, kind
    lane_spans
        First and last time of each stretch in which its lane was recorded: between two of them nobody listened.
    limits
        Those of the trial.
    of_another : bool (n,)
        Frames of a second sender, once that is known; no distance is measured to them.
    """

    def __init__(
        self, meaning: Meaning, kind: int, lane_spans: Sequence[tuple[int, int]], limits: Limits
    ) -> None:  # fmt: skip
        self.meaning = meaning
        self.kind = kind
        self.lane_spans = lane_spans
        self.limits = limits
        self.of_another = np.zeros(len(self), np.bool_)

    def __len__(self) -> int:
        return self.meaning.capture.kinds.count(self.kind)

    @property
    def key(self) -> KindKey:
        """Lane, address and flags."""
        return self.meaning.capture.kinds.keys[self.kind]

    @property
    def lane(self) -> str:
        """The name of its lane."""
        return self.meaning.capture.lanes[self.key.lane].name

    @property
    def protocol(self) -> Protocol:
        """What its lane speaks."""
        return protocol_named(self.meaning.capture.lanes[self.key.lane].protocol)

    @property
    def means(self) -> KindMeaning:
        """Who reads it."""
        return self.meaning.kinds[self.kind]

    @cached_property
    def rows(self) -> NDArray[np.uint32]:
        """Rows of the capture."""
        return self.meaning.capture.kinds.rows(self.kind)

    @cached_property
    def times(self) -> NDArray[np.int64]:
        """Time of each frame."""
        return self.meaning.capture.frames.times(self.rows)

    @cached_property
    def flags(self) -> NDArray[np.uint32]:
        """Flags of each frame."""
        return self.meaning.capture.frames.flags(self.rows)

    @cached_property
    def sizes(self) -> NDArray[np.uint32]:
        """Payload bytes of each frame."""
        return self.meaning.capture.frames.sizes(self.rows)

    @cached_property
    def stretches(self) -> NDArray[np.int64]:
        """Which stretch of its lane each frame lies in; int64 (n,)."""
        return np.searchsorted([last for _, last in self.lane_spans], self.times)

    @cached_property
    def heard_ns(self) -> NDArray[np.int64]:
        """Time of each frame with silences between stretches left out: how long anything lasted; int64 (n,)."""
        silences = [after[0] - before[1] for before, after in itertools.pairwise(self.lane_spans)]
        return self.times - np.cumsum([0, *silences])[self.stretches] if silences else self.times

    @cached_property
    def of_one(self) -> NDArray[np.int64]:
        """Which frames are of the sender that was there first; int64 (m,)."""
        return np.flatnonzero(~self.of_another)

    @cached_property
    def period(self) -> Period | None:
        """How often its first sender usually sends it."""
        return usual_period(self.times[self.of_one])

    def limit(self, kind: ProblemKind, field: str = "") -> float | None:
        """Return the limit that the trial sets for it, None if it sets none."""
        return self.limits.value(ProblemKey(kind.value, self.lane, self.key.address, self.key.flags, field))

    def decoded(self, progress: Progress) -> Iterator[tuple[Reader, NDArray[np.int64], KindFrames, Decoded]]:
        """Yield what its readers make of it, chunk by chunk, with which frames of the kind these are.

        Raises
        ------
        MisuseError
            If a layout that reads some of them has problems.
        """
        for first in range(0, len(self), _CHUNK):
            progress.check()
            frames = self.meaning.capture.frames.gather(self.rows[first : first + _CHUNK])
            for reader, mine, decoded in self.meaning.decoded(self.kind, frames):
                places = np.arange(len(frames)) if len(mine) == len(frames) else places_in(frames.rows, mine.rows)
                yield reader, places + first, mine, decoded

    def problem(
        self, kind: ProblemKind, places: NDArray[np.integer], reason: str, *, field: str = "",
        message: str | None = None, amounts: NDArray | None = None, worst: float | None = None,
        share: float | None = None,
    ) -> Problem:  # fmt: skip
        """Return a problem of this kind of message.

        Parameters
        ----------
        places : (n,)
            Which frames of the kind, in order of time.
        message
            Which layout reads them; all that read the kind if not given.
        amounts : (n,)
            How bad each is; the largest is the worst place.
        worst
            What to say of the worst place; its amount if not given.
        """
        at = 0 if amounts is None else int(np.argmax(amounts))
        if worst is None and amounts is not None:
            worst = float(amounts[at])
        if message is None:
            message = ", ".join(reader.layout.name for reader in self.means.readers)
        return Problem(
            kind, self.lane, self.key.address, self.key.flags, message, field, self.times[places], at, worst, reason,
            len(places) / max(len(self), 1) if share is None else share, self.kind,
        )  # fmt: skip
