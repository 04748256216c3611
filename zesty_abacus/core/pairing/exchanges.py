"""Requests and what came back, put together: by what the link says, by what a bus is, by what layouts say."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from ..codec.kinds import decode_frames
from ..errors import MisuseError
from ..frames import flags as F
from ..frames.capture import Capture
from ..layouts.checks.pair import Pair
from ..progress import Progress
from ..protocols.registry import protocol_named
from ..reading.meaning import Meaning
from ..reading.readers import Reader

NOBODY, NOT_YET = -1, -2
STATES = ("unanswered", "refused", "late", "not yet answered", "answered")
"""How an exchange may go, what one looks for first."""
_CHUNK = 1 << 18
_NO_ROWS = np.empty(0, np.int64)


@dataclass(frozen=True, slots=True, eq=False)
class Exchanges:
    """Requests in order of time, each with what came back.

    Attributes
    ----------
    capture
    request : int64 (n,)
        Row of the frame that asks. A read of a device that nothing was written before is its own request.
    answer : int64 (n,)
        Row of the frame that answers, -1 where none does, -2 where the recording ends before one is due.
    took_ns : int64 (n,)
        From one to the other, -1 where there is no answer.
    """

    capture: Capture
    request: NDArray[np.int64]
    answer: NDArray[np.int64]
    took_ns: NDArray[np.int64]

    def __len__(self) -> int:
        return len(self.request)

    def states(self) -> NDArray[np.int8]:
        """Return how each went, as numbers of :data:`STATES`; int8 (n,)."""
        flags = self.capture.frames.flags(self.request) if len(self) else np.empty(0, np.uint32)
        state = np.full(len(self), STATES.index("answered"), np.int8)
        known = np.flatnonzero(self.answer >= 0)
        if len(known):
            back = self.capture.frames.flags(self.answer[known])
            state[known[(back & F.LATE) > 0]] = STATES.index("late")
            state[known[(back & (F.EXCEPTION | F.REFUSED)) > 0]] = STATES.index("refused")
        state[self.answer == NOT_YET] = STATES.index("not yet answered")
        state[self.answer == NOBODY] = STATES.index("unanswered")
        state[(self.answer == NOBODY) & ((flags & F.REFUSED) > 0)] = STATES.index("refused")
        return state

    def with_row(self, row: int) -> list[int]:
        """Return the numbers of those that ask or are answered with a row of the capture."""
        return [int(number) for number in np.flatnonzero((self.request == row) | (self.answer == row))]

    def in_order(self, *, unanswered_first: bool = False) -> NDArray[np.int64]:
        """Return their numbers in order of time, or those that went wrong first; int64 (n,)."""
        if not unanswered_first:
            return np.arange(len(self))
        return np.argsort(self.states(), kind="stable")

    def unanswered(self) -> NDArray[np.bool_]:
        """Return which requests nobody answered; bool (n,)."""
        return self.answer == NOBODY


def answers_of_links(capture: Capture, progress: Progress) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return requests and answers of lanes whose link says which frames are answers, as rows; int64 (n,) each.

    The request of an answer is the newest earlier frame of the same lane and address that is none itself, if no other
    answer came between. Of a request without an answer that is -1.
    """
    requests, answers = [_NO_ROWS], [_NO_ROWS]
    for lane in _answering_lanes(capture, at_once=False):
        progress.check()
        rows = capture.order_of_lanes(frozenset([lane])).rows().astype(np.int64)
        address, flags = capture.frames.addresses(rows), capture.frames.flags(rows)
        # of each address by itself, in order of time
        order = np.argsort(address, kind="stable")
        is_answer = (flags[order] & F.ANSWER) > 0
        same = np.diff(address[order], append=address[order][-1:] + 1) == 0
        asked = np.flatnonzero(~is_answer)
        is_answered = same[asked] & np.append(is_answer[1:], False)[asked]
        following = rows[order[np.minimum(asked + 1, len(order) - 1)]]
        requests.append(rows[order[asked]])
        answers.append(np.where(is_answered, following, -1))
    return np.concatenate(requests), np.concatenate(answers)


def exchanges_of(meaning: Meaning, progress: Progress | None = None) -> Exchanges:
    """Return the requests of a capture with what came back.

    What a layout says of its answer goes before what the link says.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    capture = meaning.capture
    pieces = [_of_links_and_layouts(meaning, progress), *_at_once(capture, progress), *_reads(capture, progress)]
    request, answer = (np.concatenate([piece[n] for piece in pieces]) for n in range(2))
    times = capture.frames.times(request) if len(request) else _NO_ROWS
    order = np.argsort(times, kind="stable")
    request, answer, times = request[order], answer[order], times[order]
    took = np.full(len(request), -1, np.int64)
    known = np.flatnonzero(answer >= 0)
    if len(known):
        took[known] = capture.frames.times(answer[known]) - times[known]
    return Exchanges(capture, request, answer, took)


def response_times(meaning: Meaning, progress: Progress) -> NDArray[np.int64]:
    """Return how long after its request each answer came, by row, in ns; -1 for what is no answer, or has no request.

    Only where one device waits for another: a read that its asker clocks itself takes no time.
    """
    request, answer = _of_links_and_layouts(meaning, progress)
    known = answer >= 0
    found = np.full(len(meaning.capture), -1, np.int64)
    if known.any():
        times = meaning.capture.frames.times
        found[answer[known]] = times(answer[known]) - times(request[known])
    return found


def unanswered_rows(meaning: Meaning, progress: Progress) -> NDArray[np.int64]:
    """Return the requests that nobody answered, by what layouts say; what the link says is a flag of the frame."""
    pieces = [requests[answers == NOBODY] for requests, answers in _by_layouts(meaning, progress)]
    return np.concatenate([_NO_ROWS, *pieces])


def _of_links_and_layouts(meaning: Meaning, progress: Progress) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return requests and answers; of what a layout says of its answer, that holds and not what the link says."""
    pieces = [*_by_layouts(meaning, progress)]
    said = np.zeros(len(meaning.capture), np.bool_)
    for requests, answers in pieces:
        said[requests] = True
        said[answers[answers >= 0]] = True
    requests, answers = answers_of_links(meaning.capture, progress)
    free = ~said[requests] & ((answers < 0) | ~said[np.maximum(answers, 0)])
    pieces.append((requests[free], answers[free]))
    return np.concatenate([piece[0] for piece in pieces]), np.concatenate([piece[1] for piece in pieces])


# what a bus is


def _answering_lanes(capture: Capture, *, at_once: bool) -> list[int]:
    """Return the lanes on which some frames are answers, that come behind a request or together with it."""
    lanes = sorted({key.lane for key in capture.kinds.keys if key.flags & F.ANSWER})
    return [lane for lane in lanes if protocol_named(capture.lanes[lane].protocol).answers_at_once == at_once]


def _at_once(capture: Capture, progress: Progress) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Yield what goes over two wires at one time: one is asked on, the other answers."""
    for lane in _answering_lanes(capture, at_once=True):
        progress.check()
        rows = capture.order_of_lanes(frozenset([lane])).rows().astype(np.int64)
        times, flags = capture.frames.times(rows), capture.frames.flags(rows)
        is_answer = (flags & F.ANSWER) > 0
        asked, came = np.flatnonzero(~is_answer), np.flatnonzero(is_answer)
        if len(asked) and len(came):
            place = np.minimum(np.searchsorted(times[came], times[asked]), len(came) - 1)
            yield rows[asked], np.where(times[came[place]] == times[asked], rows[came[place]], NOBODY)


def _reads(capture: Capture, progress: Progress) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Yield reads of devices on lanes where whoever asks also clocks the answer: it is there at once, or refused.

    A write to the same device directly before a read says what is read (UM10204 of the I2C bus, combined format).
    """
    lanes = {key.lane for key in capture.kinds.keys if key.flags & F.READ}
    for lane in sorted(lanes - {key.lane for key in capture.kinds.keys if key.flags & F.ANSWER}):
        progress.check()
        rows = capture.order_of_lanes(frozenset([lane])).rows().astype(np.int64)
        address, flags = capture.frames.addresses(rows), capture.frames.flags(rows)
        reads = np.flatnonzero(flags & F.READ)
        before = np.maximum(reads - 1, 0)
        points = (reads > 0) & (flags[before] & F.READ == 0) & (address[before] == address[reads])
        requests = rows[np.where(points, before, reads)]
        refused = flags[reads] & F.REFUSED > 0
        yield requests, np.where(refused, -1, rows[reads])


# what layouts say


def _by_layouts(meaning: Meaning, progress: Progress) -> Iterator[tuple[NDArray[np.int64], NDArray[np.int64]]]:
    """Yield the pairs of messages that a layout says are answered by another."""
    for lane in range(len(meaning.capture.lanes)):
        readers = [
            (kind, reader)
            for kind, key in enumerate(meaning.capture.kinds.keys) if key.lane == lane
            for reader in meaning.kinds[kind].readers
        ]  # fmt: skip
        done: set[object] = set()
        for _kind, reader in readers:
            for check in reader.layout.checks:
                if isinstance(check, Pair) and check.id not in done:
                    done.add(check.id)
                    asking = [pair for pair in readers if pair[1].layout is reader.layout]
                    answering = [pair for pair in readers if pair[1].layout.name == check.answer]
                    yield _pairs(meaning, check, asking, answering, progress)


def _pairs(
    meaning: Meaning, check: Pair, asking: list[tuple[int, Reader]], answering: list[tuple[int, Reader]],
    progress: Progress,
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:  # fmt: skip
    ours = {field.id: field.name for _, reader in asking for field in reader.layout.once_a_frame()}
    own = [ours.get(one.field, "") for one in check.match]
    asked, own_keys = _keys_of(meaning, asking, own, progress)
    theirs = [one.theirs or name for one, name in zip(check.match, own, strict=True)]
    came, their_keys = _keys_of(meaning, answering, theirs, progress)
    rows = np.concatenate([asked, came])
    keys = np.concatenate([own_keys, their_keys])
    is_answer = np.arange(len(rows)) >= len(asked)
    if not len(asked):
        return _NO_ROWS, _NO_ROWS
    times = meaning.capture.frames.times(rows)
    codes = np.zeros(len(rows), np.int64)
    if keys.shape[1]:
        codes = np.unique(keys, axis=0, return_inverse=True)[1].reshape(-1)
    # at one time the question goes before the answer
    order = np.lexsort((is_answer, times, codes))
    follows = np.append((codes[order][1:] == codes[order][:-1]) & is_answer[order][1:], False)
    asks = ~is_answer[order]
    following = np.append(order[1:], order[-1:])
    waited = times[following] - times[order]
    if check.within_ms is not None:
        follows &= waited <= check.within_ms * 1_000_000
    answers = np.where(follows, rows[following], NOBODY)
    if check.within_ms is not None:
        end = times[order] + check.within_ms * 1_000_000
        lane = frozenset([meaning.capture.kinds.keys[asking[0][0]].lane])
        answers[~follows & (end > meaning.capture.order_of_lanes(lane).span()[1])] = NOT_YET
    return rows[order][asks], answers[asks]


def _keys_of(
    meaning: Meaning, readers: list[tuple[int, Reader]], names: list[str], progress: Progress
) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return the rows that readers read, and the raw values of some fields in each; int64 (n,), int64 (n, names).

    Frames in which one of them is not there, or whose checks fail, ask nothing and answer nobody.
    """
    rows, keys = [_NO_ROWS], [np.empty((0, len(names)), np.int64)]
    for kind, reader in readers:
        fields = [next((f for f in reader.shown.once_a_frame() if f.name == name), None) for name in names]
        if any(field is None for field in fields):
            continue
        try:
            plan = meaning.plan(reader)
        except MisuseError:
            # a layout that cannot read anything is told on its own desk
            continue
        everything = meaning.capture.kinds.rows(kind)
        for first in range(0, len(everything), _CHUNK):
            progress.check()
            frames = meaning.frames_of(kind, reader, meaning.capture.frames.gather(everything[first : first + _CHUNK]))
            found = decode_frames(meaning.capture, plan, frames, [field.id for field in fields if field is not None])
            columns = [found[field.id] for field in fields if field is not None]
            known = np.ones(len(frames), np.bool_)
            for column in columns:
                known &= column.has_value
            raws = [np.asarray(column.raw)[known].astype(np.int64) for column in columns if column.raw is not None]
            rows.append(frames.rows[known].astype(np.int64))
            keys.append(np.stack(raws, axis=1) if raws else np.empty((int(known.sum()), 0), np.int64))
    return np.concatenate(rows), np.concatenate(keys)
