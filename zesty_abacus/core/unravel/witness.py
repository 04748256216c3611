"""The frames to look at when a finding is doubted: one that speaks for it, and one that speaks against it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass

import numpy as np
from msgspec.structs import replace
from numpy.typing import NDArray

from ..codec.columns import CheckState
from ..codec.decode import decode
from ..codec.plan import compile_layout
from ..errors import MisuseError
from ..frames.segment_frames import KindFrames
from ..layouts.model import Applies, Layout, new_layout
from ..layouts.places import parse_places
from ..reading.meaning import Meaning
from .across.question import Action
from .finding import Finding, When, bits_of
from .keeping import kept
from .named import name_of
from .pages import on_pages
from .seen import Seen, most_frequent, raw_of

_MOST_FRAMES = 200_000
"""Frames of the kind that are looked through; the first ones, so that the place is one of an early time."""
_MOST_BITS = 63


@dataclass(frozen=True, slots=True)
class Sight:
    """A frame to look at.

    Attributes
    ----------
    row
        In the capture.
    time_ns
    """

    row: int
    time_ns: int


@dataclass(frozen=True, slots=True)
class Witness:
    """Frames of a capture.

    Attributes
    ----------
    speaks
        One that speaks most for the finding, None if there is none.
    against
        One that contradicts it, None if none does.
    """

    speaks: Sight | None
    against: Sight | None


def witness(meaning: Meaning, kind: int, finding: Finding, actions: Sequence[Action] = ()) -> Witness:
    """Return where a finding about a kind can be seen.

    Parameters
    ----------
    actions
        What was done, for findings that answer it.
    """
    frames = meaning.capture.frames.gather(meaning.capture.order_of_kind(kind).rows()[:_MOST_FRAMES])
    bits = bits_of(finding)
    size = max(bits, default=0) // 8 + 1
    long_enough = frames.sizes >= size
    if not long_enough.any():
        return Witness(None, None)
    alike = frames.take(np.flatnonzero(long_enough))
    # of which size they are may follow from the page, as of what says its type in front
    whole = Seen.filled_up(alike, alike.matrix.shape[1], most=_MOST_FRAMES)
    there = alike.take(np.flatnonzero(on_pages(whole, finding.when, lambda page: _set_by(meaning, page))))
    usual = most_frequent(there.sizes)
    there = there.take(np.flatnonzero(there.sizes == usual))
    seen = Seen.of(there, usual, most=_MOST_FRAMES)
    if not len(seen):
        return Witness(None, None)
    look = _LOOKS.get(finding.kind, _first)
    speaks, against = look(seen, bits, finding, actions)
    return Witness(_sight(there, speaks), _sight(there, against))


def _set_by(meaning: Meaning, page: When) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """Return when a message that sets a page came, and what it said of it; nothing of one that is not there."""
    by, capture = page.in_, meaning.capture
    for kind in range(len(capture.kinds.keys)):
        if by is not None and name_of(meaning, kind)[:3] == (by.lane, by.address, by.flags):
            frames = capture.frames.gather(capture.order_of_kind(kind).rows()[:_MOST_FRAMES])
            return frames.time_ns, raw_of(frames.matrix, parse_places(page.places).bits).view(np.int64)
    nothing = np.empty(0, np.int64)
    return nothing, nothing


def _sight(frames: KindFrames, place: int | None) -> Sight | None:
    return None if place is None else Sight(int(frames.rows[place]), int(frames.time_ns[place]))


_Places = tuple[int | None, int | None]


def _any_of(where: NDArray[np.bool_]) -> int | None:
    found = np.flatnonzero(where)
    return int(found[0]) if len(found) else None


def _first(_seen: Seen, _bits: tuple[int, ...], _finding: Finding, _actions: Sequence[Action]) -> _Places:
    return 0, None


def _value(seen: Seen, bits: tuple[int, ...], _finding: Finding, _actions: Sequence[Action]) -> _Places:
    """The frame in which most of its bits turn at once: the carry that makes neighbours one number."""
    raw = seen.raw(bits[:_MOST_BITS])
    turned = np.bitwise_count(raw[1:] ^ raw[:-1])
    return (int(turned.argmax()) + 1 if len(turned) else 0), None


def _constant(seen: Seen, bits: tuple[int, ...], _finding: Finding, _actions: Sequence[Action]) -> _Places:
    raw = seen.raw(bits[:_MOST_BITS])
    return 0, _any_of(raw != raw[0])


def _counter(seen: Seen, bits: tuple[int, ...], finding: Finding, _actions: Sequence[Action]) -> _Places:
    if "per" in finding.parameters:
        return _counter_of_senders(seen, bits, finding, _actions)
    raw = seen.raw(bits)
    wraps, step = int(finding.parameters["wraps_at"]), int(finding.parameters["step"])
    counts = np.zeros(len(raw), np.bool_)
    counts[1:] = (raw[1:] - raw[:-1]) % wraps == step % wraps
    wrapped = np.zeros(len(raw), np.bool_)
    wrapped[1:] = counts[1:] & ((raw[1:] < raw[:-1]) == (step > 0))
    misses = ~counts
    misses[0] = False
    speaks = _any_of(wrapped)
    return (_any_of(counts) if speaks is None else speaks), _any_of(misses & seen.follows)


def _counter_of_senders(
    seen: Seen, bits: tuple[int, ...], finding: Finding, actions: Sequence[Action]
) -> _Places:  # fmt: skip
    """The same among the frames of one sender: the one whose counter is contradicted, or else that of most frames."""
    who = seen.raw(parse_places(str(finding.parameters["per"])).bits)
    plain = replace(finding, parameters={name: one for name, one in finding.parameters.items() if name != "per"})
    found: _Places = (None, None)
    for sender in sorted(np.unique(who).tolist(), key=lambda one: -int((who == one).sum())):
        own = who == sender
        rows = np.flatnonzero(own)
        places = [None if at is None else int(rows[at]) for at in _counter(seen.where(own), bits, plain, actions)]
        found = (places[0] if found[0] is None else found[0], places[1] if found[1] is None else found[1])
    return found


def _check(seen: Seen, _bits: tuple[int, ...], finding: Finding, _actions: Sequence[Action]) -> _Places:
    empty = new_layout("Witness", Applies(address=finding.address, extended="extended" in finding.flags), seen.size)
    alone = replace(finding, when=())
    try:
        layout = kept(_with_other(empty, finding), alone)
    except MisuseError:
        return 0, None
    sizes = np.full(len(seen), seen.size, np.uint32)
    columns = decode(compile_layout(layout), seen.matrix, sizes, address=finding.address).checks.values()
    state = next(iter(columns)).state
    return _any_of(state == CheckState.AGREES), _any_of(state == CheckState.DISAGREES)


def _with_other(layout: Layout, finding: Finding) -> Layout:
    """Return a layout with the field that a complement turns round, which has to be there first."""
    if finding.kind != "complement":
        return layout
    of = str(finding.parameters["of"])
    return kept(layout, replace(finding, kind="field", places=of, parameters={"reading": "unsigned"}, when=()))


def _selector(seen: Seen, bits: tuple[int, ...], _finding: Finding, _actions: Sequence[Action]) -> _Places:
    raw = seen.raw(bits)
    turns = np.zeros(len(raw), np.bool_)
    turns[1:] = raw[1:] != raw[:-1]
    return (_any_of(turns) or 0), None


def _extreme(seen: Seen, bits: tuple[int, ...], _finding: Finding, _actions: Sequence[Action]) -> _Places:
    """Where a number is largest: a place that is found again in a curve beside it."""
    return int(seen.raw(bits[:_MOST_BITS]).argmax()), None


def _reaction(seen: Seen, bits: tuple[int, ...], finding: Finding, actions: Sequence[Action]) -> _Places:
    raw, value = seen.raw(bits), int(finding.parameters["value"])
    turns = np.zeros(len(raw), np.bool_)
    turns[1:] = (raw[1:] == value) & (raw[:-1] != value)
    at = np.flatnonzero(turns)
    times = np.array(sorted(one.time_ns for one in actions if one.text == finding.parameters["moment"]), np.int64)
    if not len(at) or not len(times):
        return _any_of(turns), None
    # the change that comes most nearly as long after an action as the finding says
    late = seen.time_ns[at][:, None] - times[None, :] - int(float(finding.parameters["delay_s"]) * 1e9)
    return int(at[np.abs(late).min(axis=1).argmin()]), None


def _period(seen: Seen, _bits: tuple[int, ...], finding: Finding, _actions: Sequence[Action]) -> _Places:
    gaps = np.diff(seen.time_ns)
    if not len(gaps) or "seconds" not in finding.parameters:
        return 0, None
    off = np.abs(gaps - float(finding.parameters["seconds"]) * 1e9)
    return int(off.argmin()) + 1, (int(off.argmax()) + 1 if finding.against else None)


_Look = Callable[[Seen, tuple[int, ...], Finding, Sequence[Action]], _Places]
_LOOKS: dict[str, _Look] = {
    "field": _value, "constant": _constant, "counter": _counter, "check": _check, "complement": _check,
    "selector": _selector, "mirror": _extreme, "reference": _extreme, "reaction": _reaction, "period": _period,
}  # fmt: skip
