"""A stretch of a trial, or some of its lanes, as recordings of their own."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import TYPE_CHECKING

from ..captures.registry import read_lines
from ..frames.capture import Lane
from ..handover.chunks import Span
from ..handover.frame_table import FRAME_SCHEMA, frame_table
from ..handover.writers import export_tables
from ..progress import Progress
from ..words import counted
from .content import SourceEntry
from .cut_waves import cut_wave
from .intake import BroughtIn
from .staged import Staged
from .trial import Trial

if TYPE_CHECKING:
    from .packing import Packing


class Stretch:
    """Takes a stretch, or some lanes: a recording a lane."""

    def __init__(self, trial: Trial, made: BroughtIn, packing: Packing, staged: Staged, progress: Progress) -> None:
        self._trial, self._made, self._packing, self._staged = trial, made, packing, staged
        self._progress = progress
        self._sources: list[SourceEntry] = []
        self._without: list[str] = []

    def sources(self) -> tuple[tuple[SourceEntry, ...], list[str]]:
        """Return what was taken, and in sentences what was not."""
        capture, packing = self._made.capture, self._packing
        wanted = [lane for lane in capture.lanes if packing.lanes is None or lane.name in packing.lanes]
        for place, lane in enumerate(wanted):
            self._progress.step(place / len(wanted), f"taking {lane.name}")
            self._take(
                capture.lanes.index(lane), lane, self._progress.part(place / len(wanted), (place + 1) / len(wanted))
            )
        return tuple(self._sources), list(self._left_out(len(wanted)))

    def _take(self, number: int, lane: Lane, progress: Progress) -> None:
        stem = f"recordings/{len(self._sources) + 1} {_plain(lane.name)}"
        entry = None
        if self._has_frames(number) and (source := self._wave_of(lane)) is not None:
            entry = self._cut(lane, source, stem, progress)
            if entry is None:
                self._without.append(lane.name)
        self._sources.append(entry or self._table(number, lane, stem))

    def _has_frames(self, number: int) -> bool:
        """Return whether any frames of a lane are in the stretch."""
        capture, (first, last) = self._made.capture, self._span_ns()
        for kind in (kind for kind, key in enumerate(capture.kinds.keys) if key.lane == number):
            times = capture.frames.times(capture.kinds.rows(kind))
            if bool(((times >= first) & (times <= last)).any()):
                return True
        return False

    def _span_ns(self) -> tuple[int, int]:
        capture, packing = self._made.capture, self._packing
        first = capture.origin_ns if packing.first_ns is None else packing.first_ns
        return first, capture.end_ns if packing.last_ns is None else packing.last_ns

    def _wave_of(self, lane: Lane) -> int | None:
        """Return which recording the lane's waves are in, None if it is of frames, or of several."""
        found = [n for n, outcome in enumerate(self._made.outcomes) if lane.name in outcome.lanes]
        return found[0] if len(found) == 1 and self._made.outcomes[found[0]].holds == "lines" else None

    def _cut(self, lane: Lane, source: int, stem: str, progress: Progress) -> SourceEntry | None:
        entry, outcome = self._trial.file.sources[source], self._made.outcomes[source]
        if entry.recipe is None:
            return None
        zero, (first, last) = outcome.zero_ns + self._trial.file.lane_entry(lane.name).offset_ns, self._span_ns()
        path = self._trial.source_path(entry)
        with tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
            recording, _ = read_lines(path, Path(folder), entry.form, entry.recipe.columns, progress.part(0, 0.3))
            span = first - zero, last - zero
            wave = cut_wave(recording, entry.recipe, span, Path(folder) / "cut", progress.part(0.3, 1))
            if wave is None:
                return None
            names = [f"{stem}{file.suffix}" for file in wave.files]
            for file, name in zip(wave.files, names, strict=True):
                shutil.move(file, self._staged.made(name))
                self._staged.finish(name)
        return SourceEntry(
            path=names[0], lanes={"": lane.name}, recipe=wave.recipe, begins_ns=zero + wave.begins_ns
        )  # fmt: skip

    def _table(self, number: int, lane: Lane, stem: str) -> SourceEntry:
        """Take the frames: a table says of one protocol what its lanes speak."""
        capture, packing = self._made.capture, self._packing
        span = Span.of(capture, packing.first_ns, packing.last_ns)
        kinds = {kind for kind, key in enumerate(capture.kinds.keys) if key.lane == number}
        name = f"{stem}.csv"
        path = self._staged.made(name)
        export_tables(path, "csv", FRAME_SCHEMA, frame_table(capture, span, kinds), as_is=True)
        self._staged.finish(name)
        return SourceEntry(path=name, protocol=lane.protocol)

    def _left_out(self, taken: int) -> Iterator[str]:
        capture, packing = self._made.capture, self._packing
        if self._without:
            lanes = ", ".join(self._without)
            yield f"Waves of {lanes}: cut out they would not be read the same, so their frames went along."
        if any(outcome.needs_recipe for outcome in self._made.outcomes):
            yield "Recordings: those that nobody has said how to read."
        if packing.lanes is not None and taken < len(capture.lanes):
            yield f"Lanes: {counted(len(capture.lanes) - taken, 'lane')} of {len(capture.lanes)}."
        if packing.first_ns is not None or packing.last_ns is not None:
            span = Span.of(capture, packing.first_ns, packing.last_ns)
            yield f"Frames: {counted(len(capture) - (span.last - span.first), 'frame')} before or behind the stretch."


def _plain(name: str) -> str:
    return "".join(letter if letter.isalnum() or letter in " -_" else "_" for letter in name)[:60]
