"""What has been worked out about kinds, kept while it is of use: frames, plans and curves."""

from __future__ import annotations

import time
from collections import OrderedDict
from collections.abc import Callable, Hashable
from dataclasses import dataclass, replace
from typing import Any
from uuid import UUID

import numpy as np
from numpy.typing import NDArray
from PyQt6.QtCore import QObject, pyqtSignal

from .doors import engine
from .jobs import Jobs

_KEPT_BYTES = 1 << 30
_KEPT_CURVES = 64
_KEPT_PLANS = 512
_KEPT_FRAMES = 1024
_REST_TIMES = 3


@dataclass(frozen=True, slots=True, eq=False)
class FrameAt:
    """A frame of a kind and its decoded fields.

    Attributes
    ----------
    row
        Row in the capture.
    number
        Number within its kind, from 0.
    decoded
        Columns of one row, None without a usable layout.
    owners : int16 (at least size * 8,)
        Which field owns each bit of this frame.
    """

    row: int
    number: int
    time_ns: int
    payload: bytes
    decoded: engine.Decoded | None
    owners: NDArray[np.int16]


@dataclass(frozen=True, slots=True, eq=False)
class _Kept:
    """A curve with its values, and of how many frames of the kind it is."""

    answer: tuple[engine.FieldColumn, engine.Curve]
    frames: int


class KindStore(QObject):
    """Answers at once from memory, or starts a job and tells when the answer is there.

    Events
    ------
    kind_loaded
        (kind) frames and bit history of a kind are in memory.
    curve_ready
        A curve that was asked for is in memory.
    failed
        (sentence) something that was asked for cannot be worked out; told once, and not tried again until frames
        mean something else.
    """

    kind_loaded = pyqtSignal(int)
    curve_ready = pyqtSignal()
    failed = pyqtSignal(str)

    def __init__(self, jobs: Jobs) -> None:
        super().__init__()
        self._jobs = jobs
        self._capture: Any = None
        self._number_of_key: dict[Any, int] = {}
        self._data: OrderedDict[int, engine.KindData] = OrderedDict()
        self._curves: OrderedDict[Hashable, _Kept] = OrderedDict()
        self._plans: OrderedDict[int, tuple[engine.Layout, engine.Plan | None]] = OrderedDict()
        self._frames: OrderedDict[int, tuple[engine.Layout | None, FrameAt]] = OrderedDict()
        self._wanted: set[Hashable] = set()
        self._hopeless: set[Hashable] = set()
        self._rests: dict[Hashable, float] = {}
        self._meaning: Any = None

    def start(self, capture: Any) -> None:
        """Begin with another capture."""
        self._capture = capture
        self._data.clear()
        self._curves.clear()
        self._frames.clear()
        self._wanted.clear()
        self._hopeless.clear()
        self._rests.clear()

    def grow(self, meaning: engine.Meaning) -> None:
        """Go on with the same capture with more frames; what is there stays until there is more of it."""
        self._capture, self._meaning = meaning.capture, meaning

    def use(self, meaning: engine.Meaning) -> None:
        """Let layouts be read as another meaning says; what may have changed by that is forgotten."""
        before = set() if self._meaning is None else _readers_of(self._meaning)
        self._meaning = meaning
        self._hopeless.clear()
        # what carries other layouts depends on those: it is the same only where its reader is
        still = {id(reader.shown) for reader in before & _readers_of(meaning)}

        def holds(layout: Any) -> bool:
            return not getattr(layout, "parts", ()) or id(layout) in still

        self._plans = OrderedDict((key, one) for key, one in self._plans.items() if holds(one[0]))
        self._curves = OrderedDict((key, one) for key, one in self._curves.items() if all(map(holds, key)))  # type: ignore[call-overload]
        self._frames = OrderedDict((row, one) for row, one in self._frames.items() if holds(one[0]))

    def kind_of_row(self, row: int) -> int:
        """Return the kind of a frame of the capture."""
        return self._capture.kind_of(row)

    def data(self, kind: int) -> engine.KindData | None:
        """Return a kind's frames, or None and have them loaded; while more come, those that are loaded."""
        found = self._data.get(kind)
        capture = self._capture
        if found is not None:
            self._data.move_to_end(kind)
            if len(found.frames) == capture.kinds.count(kind):
                return found

        def work(progress: Any) -> Any:
            if found is None:
                return engine.load_kind(capture, kind, progress)
            return engine.grown_kind(capture, found, progress)

        self._want(("kind", kind), "loading frames", work, lambda data: self._keep_data(kind, data))
        return found

    def curve(self, kind: int, layout: engine.Layout, field_id: UUID) -> tuple[engine.FieldColumn, engine.Curve] | None:
        """Return a field over time, or None and have it worked out; while frames come, as far as it is."""
        meaning = self._meaning
        reader = meaning.reader_showing(kind, layout)
        if reader is not None and len(carriers := meaning.carriers_of(kind, reader, field_id)) > 1:
            return self._joined_curve(carriers, field_id)
        shares = not meaning.kinds[kind].readers or not meaning.kinds[kind].readers[0].choice.takes_all
        # where a layout reads only some frames, which they are depends on the others
        key = (kind, *_depends_on(layout, field_id), meaning.kinds[kind] if shares and reader is not None else None)
        found = self._curves.get(key)
        capture = self._capture
        count = capture.kinds.count(kind)
        if found is not None:
            self._curves.move_to_end(key)
            if found.frames == count:
                return found.answer
        plan = self.plan(layout)
        if plan is None:
            return None
        data, first = self._data.get(kind), found.frames if found is not None else 0
        # frames that are loaded may be fewer than there are by now
        loaded = data.frames if data is not None and not first and len(data.frames) == count else None

        def work(progress: Any) -> Any:
            frames = loaded if loaded is not None else capture.kind_frames(kind, first, count)
            if reader is not None:
                frames = meaning.frames_of(kind, reader, frames)
            if found is None:
                return engine.field_curve(capture, frames, plan, field_id, progress)
            return engine.grown_curve(capture, frames, plan, field_id, found.answer, progress)

        self._want(key, "decoding", work, lambda answer: self._keep_curve(key, _Kept(answer, count)))
        return found.answer if found is not None else None

    def _joined_curve(
        self, carriers: list[tuple[int, Any]], field_id: UUID
    ) -> tuple[engine.FieldColumn, engine.Curve] | None:
        """Return a register over time, from all exchanges that carry it."""
        meaning, capture = self._meaning, self._capture
        key = tuple(part for kind, reader in carriers for part in (kind, *_depends_on(reader.shown, field_id)))
        counts = [capture.kinds.count(kind) for kind, _ in carriers]
        found = self._curves.get(key)
        if found is not None:
            self._curves.move_to_end(key)
            if found.frames == sum(counts):
                return found.answer
        plans = [plan for _, reader in carriers if (plan := self.plan(reader.shown)) is not None]
        if len(plans) < len(carriers):
            return None

        def work(progress: Any) -> Any:
            parts = [
                (meaning.frames_of(kind, reader, capture.kind_frames(kind, 0, count)), plan)
                for (kind, reader), plan, count in zip(carriers, plans, counts, strict=True)
            ]
            return engine.joined_curve(capture, parts, field_id, progress)

        self._want(key, "decoding", work, lambda answer: self._keep_curve(key, _Kept(answer, sum(counts))))
        return found.answer if found is not None else None

    def newest_at(self, kind: int, layout: engine.Layout, field_id: UUID | None, time_ns: int) -> FrameAt | None:
        """Return the last frame at or before a time that has a field: of any exchange that carries its register."""
        reader = self._meaning.reader_showing(kind, layout)
        carriers = self._meaning.carriers_of(kind, reader, field_id) if reader is not None else []
        frames = [self.frame_at(other, one.shown, time_ns) for other, one in carriers]
        there = [one for one in frames if one is not None]
        return max(there, key=lambda one: one.time_ns) if there else self.frame_at(kind, layout, time_ns)

    def plan(self, layout: engine.Layout) -> engine.Plan | None:
        """Return the compiled plan of a layout, None if the layout has problems."""
        # by identity: to hash a layout is to hash all its fields
        known = self._plans.get(id(layout))
        if known is None:
            try:
                plan = engine.compile_layout(layout, self._meaning.layouts)
            except engine.AbacusError:
                plan = None
            self._plans[id(layout)] = known = layout, plan
            if len(self._plans) > _KEPT_PLANS:
                self._plans.popitem(last=False)
        return known[1]

    def frame_at(self, kind: int, layout: engine.Layout | None, time_ns: int) -> FrameAt | None:
        """Return the last frame of a kind at or before a time; with a layout, the last one that it reads."""
        order = self._capture.order_of_kind(kind)
        number = last = order.count_until(time_ns) - 1
        reader = self._meaning.reader_showing(kind, layout) if layout is not None else None
        if reader is not None and number >= 0:
            number = self._meaning.last_read(kind, reader, number)
        if number < 0:
            return None
        # a place among several segments is found by a search over time; that of the time asked for is known
        row = order.last_row(time_ns) if number == last else order.row(number)
        return self.frame(row, layout, number)

    def frame(self, row: int, layout: engine.Layout | None, number: int = -1) -> FrameAt:
        """Return one frame of the capture, decoded if there is a usable layout."""
        known = self._frames.get(row)
        if known is not None and known[0] is layout:
            return known[1] if number < 0 else replace(known[1], number=number)
        made = self._decode_frame(row, layout, number)
        self._frames[row] = (layout, made)
        if len(self._frames) > _KEPT_FRAMES:
            self._frames.popitem(last=False)
        return made

    def _decode_frame(self, row: int, layout: engine.Layout | None, number: int) -> FrameAt:
        plan = self.plan(layout) if layout is not None else None
        frame = self._capture.frames.at(row)
        payload = frame.payload
        decoded = None
        owners = engine.owned_bits(layout, max(len(payload), 1))
        if plan is not None:
            frames = self._capture.frames.gather(np.array([row], np.uint32))
            decoded = engine.decode_frames(self._capture, plan, frames)
            if layout is not None and layout.moves:
                owners = engine.bit_owners(plan, frames.matrix, frames.sizes)[0]
        return FrameAt(row, number, frame.time_ns, payload, decoded, owners)

    def _want(self, key: Hashable, title: str, work: Callable[[Any], Any], done: Callable[[Any], None]) -> None:
        # whoever paints asks with every picture: what failed once would be tried, and told, hundreds of times
        began = time.monotonic()
        if key in self._wanted or key in self._hopeless or self._rests.get(key, 0.0) > began:
            return
        self._wanted.add(key)
        capture = self._capture

        def finish(answer: Any) -> None:
            self._wanted.discard(key)
            # what grows is asked for again with every picture, and long curves cost more than is between two of them
            self._rests[key] = time.monotonic() + _REST_TIMES * (time.monotonic() - began)
            if self._capture.has_grown_from(capture):
                done(answer)

        def fail(sentence: str) -> None:
            self._wanted.discard(key)
            if self._capture.has_grown_from(capture):
                self._hopeless.add(key)
                self.failed.emit(f"{title.capitalize()} failed: {sentence}")

        self._jobs.start(f"store {hash(key)}", title, work, finish, fail)

    def _keep_data(self, kind: int, data: engine.KindData) -> None:
        self._data[kind] = data
        while len(self._data) > 1 and sum(d.frames.matrix.nbytes for d in self._data.values()) > _KEPT_BYTES:
            self._data.popitem(last=False)
        self.kind_loaded.emit(kind)

    def _keep_curve(self, key: Hashable, kept: _Kept) -> None:
        self._curves[key] = kept
        if len(self._curves) > _KEPT_CURVES:
            self._curves.popitem(last=False)
        self.curve_ready.emit()


def _depends_on(layout: engine.Layout, field_id: UUID) -> tuple[Hashable, ...]:
    """Return a field and its selectors: all that its decoded values depend on; the layout where that is more."""
    if layout.parts or layout.checks or layout.computed:
        return field_id, layout
    chain = [layout.field(field_id)]
    while chain[-1].selected is not None and len(chain) <= len(layout.fields):
        chain.append(layout.field(chain[-1].selected.field))
    return tuple(chain)


def _readers_of(meaning: engine.Meaning) -> set[engine.Reader]:
    return {reader for one in meaning.kinds for reader in one.readers}
