"""Looks a capture through: every kind by itself on all processors, then what goes across them."""

from __future__ import annotations

import threading
from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field, replace

import numpy as np

from ..ahead import as_done
from ..frames.segment_frames import KindFrames
from ..pairing.exchanges import exchanges_of
from ..progress import Progress
from ..reading.meaning import Meaning
from ..values.reference import ReferenceColumn
from .across.question import Action, KindView, View
from .across.registry import questions
from .common_checks import with_common_checks
from .devices.looking import said_of
from .devices.sharing import Devices, devices_of
from .finding import Finding, Said
from .held import with_held
from .judge import judged
from .known import Known, known_of_kind
from .named import name_of
from .questions.telegrams import telegrams
from .questions.varying import Varying, varying, without_strays
from .resting import with_resting
from .seen import MOST_FRAMES, Seen, most_frequent
from .sized import judged_by_type, typed

_LEAST_FRAMES = 4
_MOST_BYTES = 64
"""Payload bytes that are divided into values; of longer ones these first."""
_THIN_FRAMES = 12_000
_FRAMES_IN_ALL, _FEWEST_OF_MANY = 1_200_000, 4_000
"""Of many kinds fewer frames each are looked at, so that the answer does not take minutes."""


@dataclass(frozen=True, slots=True)
class Asked:
    """What findings are wanted of.

    Attributes
    ----------
    lane, address
        Only these; empty or None is all.
    kinds
        Only findings of these kinds; empty is all.
    with_known
        Also of bits that a layout explains.
    """

    lane: str = ""
    address: int | None = None
    kinds: frozenset[str] = field(default_factory=frozenset)
    with_known: bool = False


@dataclass(frozen=True, slots=True, eq=False)
class KindFindings:
    """What was found out about one kind.

    Attributes
    ----------
    kind
        Its number in the capture.
    findings
        Best first.
    """

    kind: int
    findings: tuple[Finding, ...]


@dataclass(frozen=True, slots=True, eq=False)
class Unravelled:
    """What was found out about a capture.

    Attributes
    ----------
    meaning
        By what it was known what is explained already.
    kinds
        In the order of their numbers; only those that were looked at.
    views
        What was worked out of each kind by itself, so that the next look need not do it again.
    """

    meaning: Meaning
    kinds: tuple[KindFindings, ...]
    views: Mapping[int, KindView] = field(repr=False)

    def still_known(self, meaning: Meaning, kind: int) -> bool:
        """Return whether what was worked out of a kind by itself holds with another meaning."""
        same = meaning.capture is self.meaning.capture and meaning.kinds[kind] is self.meaning.kinds[kind]
        return same and kind in self.views


class _Line:
    """The kinds that wait; whoever is free takes the one that is looked at before others."""

    def __init__(self, kinds: list[int], first: Callable[[], int | None]) -> None:
        self._kinds, self._first = kinds, first
        self._lock = threading.Lock()

    def take(self) -> int:
        with self._lock:
            first = self._first()
            return self._kinds.pop(self._kinds.index(first) if first in self._kinds else 0)


def unravel(
    meaning: Meaning, asked: Asked | None = None, references: Sequence[ReferenceColumn] = (),
    actions: Sequence[Action] = (), progress: Progress | None = None,
    early: Callable[[KindFindings], None] | None = None, first: Callable[[], int | None] = lambda: None,
    before: Unravelled | None = None, gathered: dict[int, KindView] | None = None,
) -> Unravelled:  # fmt: skip
    """Return what the bits of a capture are, kind by kind.

    Parameters
    ----------
    references, actions
        What instruments said, and what was done when.
    early
        Told of each kind as soon as something is known of it, from this thread, before what goes across them.
    first
        Asked, from several threads, whenever another kind is begun: which one somebody looks at.
    before
        What was found with the same wishes; only kinds that mean something else now are looked at by themselves again.
    gathered
        Filled with what is worked out of each kind, so that it is not lost if this is cancelled.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    asked, progress = asked or Asked(), progress or Progress()
    kinds = _wanted(meaning, asked)
    views = {} if gathered is None else gathered
    devices = devices_of(meaning, kinds, MOST_FRAMES, progress.quiet())
    if before is not None:
        known = {kind for kind in kinds if before.still_known(meaning, kind)}
        views |= {kind: before.views[kind] for kind in known if devices.together.get(kind, frozenset()) <= known}
    kinds = [kind for kind in kinds if kind not in views]
    kinds.sort(key=lambda kind: -meaning.capture.kinds.count(kind))
    done, total = 0, max(sum(meaning.capture.kinds.count(kind) for kind in kinds), 1)
    line, most = _Line(list(kinds), first), _most_frames(len(kinds))
    for view in as_done(kinds, lambda _any: _view(meaning, line.take(), asked, devices, progress, most)):
        if view is not None:
            views[view.kind] = view
            done += meaning.capture.kinds.count(view.kind)
            progress.step(0.8 * done / total, "unravelling")
            if early is not None:
                early(_of(view, view.said, asked))
    # what others set is worked out anew each time: a kind by itself does not know of it
    # and in order of the kinds, since whichever was done first would be named first
    alone, views = views, with_common_checks(with_held({kind: views[kind] for kind in sorted(views)}, progress))
    found: dict[int, list[Said]] = {kind: list(view.said) for kind, view in views.items()}
    ordered, span = [views[kind] for kind in sorted(views)], meaning.capture.order.span()
    whole = View(ordered, references, actions, span, lambda part: exchanges_of(meaning, part))
    for number, question in enumerate(questions()):
        progress.step(0.8 + 0.2 * number / len(questions()), question.words)
        if asked.kinds and not asked.kinds & question.kinds:
            continue
        for view, said in question.ask(whole, progress.quiet()):
            found[view.kind].append(said)
    told = [(views[kind], with_resting(views[kind], found[kind])) for kind in sorted(views)]
    return Unravelled(meaning, tuple(_of(view, said, asked) for view, said in told), alone)


def _wanted(meaning: Meaning, asked: Asked) -> list[int]:
    capture = meaning.capture
    return [
        kind for kind, key in enumerate(capture.kinds.keys)
        if key.is_data and capture.kinds.count(kind) >= _LEAST_FRAMES
        and (not asked.lane or capture.lanes[key.lane].name == asked.lane)
        and (asked.address is None or key.address == asked.address)
    ]  # fmt: skip


def _most_frames(kinds: int) -> int:
    """Return how many frames of each of so many kinds are looked at."""
    return int(np.clip(_FRAMES_IN_ALL // max(kinds, 1), _FEWEST_OF_MANY, MOST_FRAMES))


def _view(
    meaning: Meaning, kind: int, asked: Asked, devices: Devices, progress: Progress, most: int = MOST_FRAMES
) -> KindView | None:
    progress.check()
    capture = meaning.capture
    if kind in devices.hosted:
        return _register_view(meaning, kind, asked, devices, most)
    frames = _sample(meaning, kind, most, stretches=True)
    lines = telegrams(frames)
    longest_looked_at = int(frames.sizes.max()) if lines else _MOST_BYTES
    frames = _beginnings(frames, longest_looked_at)
    if not (size := most_frequent(frames.sizes)):
        return None
    thin = seen = Seen.of(frames, size, most)
    said: Sequence[Said] = lines
    wide: int | None = None
    if not lines and len(seen) >= _LEAST_FRAMES:
        known = longest = Known(np.zeros(size * 8, np.bool_))
        if not asked.with_known:
            known = longest = known_of_kind(meaning, kind, size)
            if (most_bytes := int(frames.sizes.max())) != size:
                longest = known_of_kind(meaning, kind, most_bytes)
        said, wide = _judged(frames, seen, known, longest, most)
    elif meaning.kinds[kind].readers and not asked.with_known:
        # what stands in columns has no bits of its own; a layout that reads a line reads all of it
        said = ()
    # where types differ in length, what goes across messages looks at frames of all lengths
    if wide is not None:
        thin = Seen.filled_up(frames, wide, most)
    if capture.kinds.count(kind) > most:
        sample = _beginnings(_sample(meaning, kind, most, stretches=False), longest_looked_at)
        thin = Seen.of(sample, size, _THIN_FRAMES) if wide is None else Seen.filled_up(sample, wide, _THIN_FRAMES)
    times = capture.frames.times(capture.order_of_kind(kind).rows())
    return KindView(kind, *name_of(meaning, kind), times, thin, tuple(said))


def _register_view(meaning: Meaning, kind: int, asked: Asked, devices: Devices, most: int) -> KindView:
    """Return what is said of an exchange that shares registers with others: of those that it carries most often."""
    hosted = devices.hosted[kind]
    said = [one for shared in hosted for one in said_of(meaning, shared, most, with_known=asked.with_known)]
    said.sort(key=lambda one: min(one.bits, default=-1))
    size = max((int(shared.own[-1]) + 1 for shared in hosted), default=1)
    thin = Seen.beginnings(_sample(meaning, kind, most, stretches=False), size, _THIN_FRAMES)
    times = meaning.capture.frames.times(meaning.capture.order_of_kind(kind).rows())
    return KindView(kind, *name_of(meaning, kind), times, thin, tuple(said))


def _judged(frames: KindFrames, seen: Seen, known: Known, longest: Known, most: int) -> tuple[list[Said], int | None]:
    """Return what is said of a kind, where all payloads begin alike of these beginnings.

    Where a type says how long they are, with the longest of them that anything is said of.

    Parameters
    ----------
    known, longest
        What is explained in payloads of the usual size, and in the longest ones.
    """
    frames = without_strays(frames)
    of_all_sizes = varying(frames)
    explained = [one for one in of_all_sizes.said if longest.explains(one, seen.size)]
    if explained:
        known = known.with_bits(bit for one in explained for bit in (*one.bits, *one.takes))
        of_all_sizes = of_all_sizes.without(explained)
    if of_all_sizes.head is None:
        by_type = _by_type(frames, known, of_all_sizes, most)
        return (judged(seen, known, of_all_sizes.said), None) if by_type is None else by_type
    heads = Seen.beginnings(frames, of_all_sizes.head, most)
    return judged(heads, known.up_to(of_all_sizes.head), of_all_sizes.said), None


def _by_type(frames: KindFrames, known: Known, of_all_sizes: Varying, most: int) -> tuple[list[Said], int] | None:
    """Return what is said type by type where a type in front says how long payloads are, None where none does."""
    if known.taken.any() or len(np.unique(frames.sizes)) < 2:
        return None
    head = int(frames.sizes.min()) - of_all_sizes.end_bytes
    free = np.ones(max(head, 0) * 8, np.bool_)
    for one in of_all_sizes.said:
        free[[bit for bit in one.bits if bit < len(free) and not one.places_text]] = False
    by = typed(frames, free)
    if by is None:
        return None
    said = judged_by_type(frames, by, head, of_all_sizes.said, of_all_sizes.end_bytes, most)
    return said, max(by.sizes.values())


def _beginnings(frames: KindFrames, most: int) -> KindFrames:
    """Return the frames as if they had at most so many bytes."""
    return replace(frames, sizes=np.minimum(frames.sizes, most), matrix=frames.matrix[:, :most])


def _sample(meaning: Meaning, kind: int, most: int, *, stretches: bool) -> KindFrames:
    """Return frames of a kind: all, or evenly chosen stretches or single ones where they are many."""
    order = meaning.capture.order_of_kind(kind)
    rows = order.rows()
    if len(rows) > 2 * most:
        if stretches:
            length = most // 3
            starts = np.linspace(0, len(rows) - length, 6).astype(np.int64)
            rows = np.concatenate([rows[start : start + length] for start in starts])
        else:
            rows = rows[:: max(len(rows) // _THIN_FRAMES, 1)]
    return meaning.capture.frames.gather(rows)


def _of(view: KindView, said: Sequence[Said], asked: Asked) -> KindFindings:
    wanted = [one for one in said if not asked.kinds or one.kind in asked.kinds]
    wanted.sort(key=lambda one: -one.confidence)
    made = tuple(one.of(view.lane, view.address, view.flags, view.message) for one in wanted)
    return KindFindings(view.kind, made)
