"""What a capture means: the one value that the window, the command line, exports and comparisons all take."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from uuid import UUID

import numpy as np
from numpy.typing import NDArray

from ..codec.columns import Decoded
from ..codec.kinds import decode_frames
from ..codec.plan import Plan, compile_layout
from ..errors import MisuseError
from ..frames.capture import Capture
from ..frames.segment_frames import KindFrames
from ..layouts.model import Carried, Layout, rewrite
from .catalogue import KindCatalogue
from .readers import NOTHING, KindMeaning, Reader, readers_of
from .ties import Tie

_LOOK_BACK = 512
"""Frames of a kind that are looked through for the last one of a layout that reads only some."""
_NO_FRAMES = np.empty(0, np.int64)


@dataclass(frozen=True, slots=True, eq=False)
class _Matched:
    """Which layouts ask for which kinds, both ways, and what follows for each kind.

    Attributes
    ----------
    kinds_of
        By layout id, the kinds that it asks for by itself or is tied to.
    asking, kinds
        For each kind, the layouts that ask for it, and what it means by them.
    carried
        By layout id, the layouts that it carries; only of those that carry any.
    """

    catalogue: KindCatalogue
    kinds_of: Mapping[UUID, Sequence[int]]
    asking: Sequence[tuple[Layout, ...]]
    kinds: Sequence[KindMeaning]
    carried: Mapping[UUID, frozenset[UUID]]

    def changed(self, layouts: Mapping[UUID, Layout | None], ties: Sequence[Tie]) -> _Matched:
        """Return the matching with some layouts changed, added, or gone (None), and with these ties."""
        kinds_of, carried = dict(self.kinds_of), dict(self.carried)
        asking, kinds = list(self.asking), list(self.kinds)
        again: set[int] = set()
        for key, layout in layouts.items():
            before = kinds_of.pop(key, ())
            for kind in before:
                asking[kind] = tuple(one for one in asking[kind] if one.id != key)
            again.update(before)
            carried.pop(key, None)
            if layout is None:
                continue
            asks = self.catalogue.kinds_for(layout)
            if ties:
                asks = list(dict.fromkeys((*asks, *self._tied_kinds(layout, ties))))
            if asks:
                kinds_of[key] = asks
                for kind in asks:
                    asking[kind] = (*asking[kind], layout)
                again.update(asks)
            if layout.parts and (inside := _carried_by(layout)):
                carried[key] = inside
        # what carries a changed layout is read otherwise, too, though itself it is the same
        for key in _carriers_of(set(layouts), carried):
            again.update(kinds_of.get(key, ()))
        for kind in again:
            kinds[kind] = readers_of(self.catalogue, kind, asking[kind], ties) if asking[kind] else NOTHING
        return _Matched(self.catalogue, kinds_of, asking, kinds, carried)

    def grown(self, catalogue: KindCatalogue, layouts: Iterable[Layout], ties: Sequence[Tie]) -> _Matched:
        """Return the matching with the kinds that a catalogue has besides; the others keep theirs."""
        known = len(self.kinds)
        count = len(catalogue.capture.kinds.keys)
        grown = replace(self, catalogue=catalogue)
        kinds_of = dict(self.kinds_of)
        asking: list[tuple[Layout, ...]] = [*self.asking, *([()] * (count - known))]
        for layout in layouts if count > known else ():
            asks = (*catalogue.kinds_for(layout), *(grown._tied_kinds(layout, ties) if ties else ()))
            fresh = [kind for kind in dict.fromkeys(asks) if kind >= known]
            if fresh:
                kinds_of[layout.id] = [*kinds_of.get(layout.id, ()), *fresh]
            for kind in fresh:
                asking[kind] = (*asking[kind], layout)
        more = (readers_of(catalogue, kind, asking[kind], ties) if asking[kind] else NOTHING
                for kind in range(known, count))  # fmt: skip
        return replace(grown, kinds_of=kinds_of, asking=asking, kinds=[*self.kinds, *more])

    def _tied_kinds(self, layout: Layout, ties: Sequence[Tie]) -> Iterator[int]:
        mine = [tie for tie in ties if tie.layout == layout.id]
        for kind in self.catalogue.data_kinds() if mine else ():
            if any(tie.holds(layout, self.catalogue.lane(kind), self.catalogue.key(kind)) for tie in mine):
                yield kind


def _carriers_of(wanted: set[UUID], carried: Mapping[UUID, frozenset[UUID]]) -> set[UUID]:
    """Return the layouts that carry any of some layouts, directly or within others."""
    found: set[UUID] = set()
    grows = bool(carried)
    while grows:
        more = {key for key, inside in carried.items() if key not in found and inside & (wanted | found)}
        found |= more
        grows = bool(more)
    return found


def _carried_by(layout: Layout) -> frozenset[UUID]:
    found: set[UUID] = set()

    def look(node: object) -> object:
        if isinstance(node, Carried):
            found.add(node.layout)
        return node

    if layout.parts:
        rewrite(layout.parts, look)
    return frozenset(found)


class Meaning:
    """Which layouts read which frames of a capture. Immutable; a change of layouts or ties makes another one.

    Attributes
    ----------
    capture
    layouts
        All that are known, by id; a layout may carry others of them.
    ties
        What the trial says by hand.
    release
        The release that the layouts are of; empty for the newest state.
    kinds
        What each kind means, in the order of the kind index. Kinds that a change did not touch keep theirs.
    """

    def __init__(
        self, capture: Capture, layouts: Mapping[UUID, Layout], ties: Sequence[Tie], release: str, matched: _Matched,
        plans: dict[Reader, Plan | MisuseError],
    ) -> None:  # fmt: skip
        self.capture = capture
        self.layouts = layouts
        self.ties = tuple(ties)
        self.release = release
        self.kinds = tuple(matched.kinds)
        self._matched = matched
        self._plans = plans

    @classmethod
    def of(cls, capture: Capture, layouts: Iterable[Layout], ties: Sequence[Tie] = (), release: str = "") -> Meaning:
        """Match layouts and ties to the kinds of a capture."""
        count = len(capture.kinds.keys)
        nothing = _Matched(KindCatalogue(capture), {}, [()] * count, [NOTHING] * count, {})
        empty = cls(capture, {}, ties, release, nothing, {})
        return empty.changed({layout.id: layout for layout in layouts})

    def is_of(self, layouts: Sequence[Layout], ties: Sequence[Tie], release: str) -> bool:
        """Return whether it was made of these very layouts, and of such ties."""
        return (
            len(layouts) == len(self.layouts)
            and all(self.layouts.get(layout.id) is layout for layout in layouts)
            and (self.ties, self.release) == (tuple(ties), release)
        )

    def changed(self, layouts: Mapping[UUID, Layout | None]) -> Meaning:
        """Return what the capture means with some layouts changed, added, or gone (None).

        Costs what the changed layouts touch, not what there is.
        """
        known = {**self.layouts, **layouts}
        for key in [key for key, layout in layouts.items() if layout is None]:
            del known[key]
        return self._with(known, self.ties, self._matched.changed(layouts, self.ties))  # type: ignore[arg-type]

    def with_ties(self, ties: Sequence[Tie]) -> Meaning:
        """Return what the capture means with other ties."""
        about = {tie.layout for tie in set(self.ties) ^ set(ties)}
        again = {key: self.layouts[key] for key in about & self.layouts.keys()}
        return self._with(self.layouts, ties, self._matched.changed(again, ties))

    def _with(self, layouts: Mapping[UUID, Layout], ties: Sequence[Tie], matched: _Matched) -> Meaning:
        # threads add plans while this goes on: a copy is made in one step
        plans = self._plans.copy()
        if plans:
            kept = {reader for meaning in matched.kinds for reader in meaning.readers}
            plans = {reader: plan for reader, plan in plans.items() if reader in kept}
        return Meaning(self.capture, layouts, ties, self.release, matched, plans)

    def moved_to(self, capture: Capture) -> Meaning:
        """Return the same for a capture whose kinds are the same ones, as one with a lane moved in time."""
        matched = replace(self._matched, catalogue=self._matched.catalogue.of(capture))
        return Meaning(capture, self.layouts, self.ties, self.release, matched, self._plans.copy())

    def grown_to(self, capture: Capture) -> Meaning:
        """Return the same for a capture that this one has grown to: kinds that are new are matched, no others."""
        if len(capture.kinds.keys) == len(self.kinds):
            return self.moved_to(capture)
        matched = self._matched.grown(KindCatalogue(capture), self.layouts.values(), self.ties)
        return Meaning(capture, self.layouts, self.ties, self.release, matched, self._plans.copy())

    def has_grown_from(self, other: Meaning) -> bool:
        """Return whether what was worked out of another meaning holds here: nothing but frames came since."""
        same = self.layouts is other.layouts and self.ties == other.ties and self.release == other.release
        return same and self.capture.has_grown_from(other.capture)

    def without_ties(self, kind: int) -> KindMeaning:
        """Return what a kind would mean if nothing were tied to it by hand."""
        catalogue = self._matched.catalogue
        by_itself = [layout for layout in self._matched.asking[kind] if kind in catalogue.kinds_for(layout)]
        return readers_of(catalogue, kind, by_itself, ()) if by_itself else NOTHING

    # asking

    def layout_of(self, kind: int) -> Layout | None:
        """Return the first layout that reads a kind, as the kind shows it."""
        readers = self.kinds[kind].readers
        return readers[0].shown if readers else None

    def kinds_read_by(self, layout_id: UUID) -> list[int]:
        """Return the kinds of which a layout may read frames."""
        return [kind for kind, meaning in enumerate(self.kinds) if meaning.reader_with(layout_id) is not None]

    def plan(self, reader: Reader) -> Plan:
        """Return the compiled plan of what a reader shows.

        Raises
        ------
        MisuseError
            If the layout has problems, or carries one that is not known.
        """
        found = self._plans.get(reader)
        if found is None:
            try:
                found = compile_layout(reader.shown, self.layouts)
            except MisuseError as error:
                found = error
            self._plans[reader] = found
        if isinstance(found, MisuseError):
            raise found
        return found

    def trouble(self, reader: Reader) -> str:
        """Return why a reader cannot read anything, empty if it can."""
        try:
            self.plan(reader)
        except MisuseError as error:
            return str(error)
        return ""

    def troubles(self) -> list[str]:
        """Return why layouts that would read frames cannot, a sentence each."""
        readers = dict.fromkeys(reader for kind in self.kinds for reader in kind.readers)
        return list(dict.fromkeys(trouble for reader in readers if (trouble := self.trouble(reader))))

    def numbers(self, kind: int, frames: KindFrames) -> NDArray[np.int16]:
        """Return the number of the reader of each frame, -1 where none reads it; int16 (n,)."""
        found = np.full(len(frames), -1, np.int16)
        for number, reader in enumerate(self.kinds[kind].readers):
            left = found < 0
            if reader.choice.takes_all:
                found[left] = number
                break
            found[left & reader.choice.holds(frames.matrix, frames.sizes)] = number
        return found

    def reader_of(self, kind: int, row: int) -> Reader | None:
        """Return who reads one frame of the capture, None if nobody does."""
        readers = self.kinds[kind].readers
        if not readers or readers[0].choice.takes_all:
            return readers[0] if readers else None
        number = int(self.numbers(kind, self.capture.frames.gather(np.array([row], np.uint32)))[0])
        return readers[number] if number >= 0 else None

    def shares(self, kind: int, frames: KindFrames) -> Iterator[tuple[Reader, KindFrames]]:
        """Yield the readers of gathered frames of a kind, each with its own.

        Those that read none are left out, and so are layouts that have problems: :meth:`troubles` tells of them.
        """
        readers = self.kinds[kind].readers
        if readers and readers[0].choice.takes_all:
            if not self.trouble(readers[0]):
                yield readers[0], frames
            return
        numbers = self.numbers(kind, frames)
        for number, reader in enumerate(readers):
            rows = np.flatnonzero(numbers == number)
            if len(rows) and not self.trouble(reader):
                yield reader, frames.take(rows)

    def decoded(
        self, kind: int, frames: KindFrames, only: Iterable[UUID] | None = None
    ) -> Iterator[tuple[Reader, KindFrames, Decoded]]:
        """Yield what the readers of gathered frames of a kind make of them; layouts with problems are left out."""
        wanted = None if only is None else set(only)
        for reader, mine in self.shares(kind, frames):
            yield reader, mine, decode_frames(self.capture, self.plan(reader), mine, wanted)

    def reader_showing(self, kind: int, layout: Layout) -> Reader | None:
        """Return the reader of a kind that shows this very layout, None if it is another state of it, or no reader."""
        return next((reader for reader in self.kinds[kind].readers if reader.shown is layout), None)

    def carriers_of(self, kind: int, reader: Reader, field_id: UUID | None = None) -> list[tuple[int, Reader]]:
        """Return the kinds that say the same as one of them, in order of their numbers, with their readers.

        A register is one value, whatever exchange of its device carries it; a message is one kind.

        Parameters
        ----------
        field_id
            Only those that have this field.
        """
        device = self._matched.catalogue.device_of(kind) if reader.is_of_window else None
        if device is None:
            return [(kind, reader)]
        found = []
        for other in sorted(self._matched.kinds_of.get(reader.layout.id, ())):
            one = self.kinds[other].reader_with(reader.layout.id)
            if one is not None and self._matched.catalogue.device_of(other) == device:
                found.append((other, one))
        return [one for one in found if field_id is None or one[1].shows(field_id)]

    def frames_of(self, kind: int, reader: Reader, frames: KindFrames) -> KindFrames:
        """Return those of gathered frames of a kind that a reader reads."""
        return next((mine for one, mine in self.shares(kind, frames) if one is reader), frames.take(_NO_FRAMES))

    def last_read(self, kind: int, reader: Reader, number: int) -> int:
        """Return which frame of a kind a reader read last, up to frame ``number``; -1 if none in a while."""
        if reader.choice.takes_all and self.kinds[kind].readers[0] is reader:
            return number
        first = max(number + 1 - _LOOK_BACK, 0)
        frames = self.capture.frames.gather(self.capture.kinds.rows(kind, first, number + 1))
        place = self.kinds[kind].readers.index(reader)
        found = np.flatnonzero(self.numbers(kind, frames) == place)
        return first + int(found[-1]) if len(found) else -1
