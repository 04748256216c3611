"""The wave of a stretch: cut between two frames, written in an open form, and read again before it is believed."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace
from pathlib import Path

import msgspec
import numpy as np
import pyarrow as pa
from pyarrow import csv

from ..captures.columns import Columns
from ..captures.registry import read_lines
from ..draw.files import vcd_text
from ..errors import AbacusError
from ..frames.table import FrameTable
from ..progress import Progress
from ..recipes.measured import with_measured
from ..recipes.model import Recipe
from ..recipes.run import Outcome, run_recipe
from ..waves.cutting import cut_recording
from ..waves.recording import LineRecording
from ..waves.sample_forms import SAMPLE_FORMS

_MOST_SAMPLES = 20_000_000
"""Of all channels together; a longer stretch is looked at where it was recorded."""
_QUIET_NS = 50_000_000
"""At most so much of the silence around the first and the last frame goes along."""
_OFF_SAMPLES = 4
"""Moments of a wave are measured anew, over a part of it; they come out so many samples apart at most."""


@dataclass(frozen=True, slots=True)
class CutWave:
    """A wave that was cut out.

    Attributes
    ----------
    files
        What it was written to, the one first that a trial names.
    recipe
        By which it gives the frames of the stretch: with what was measured over the whole recording.
    begins_ns
        When its zero is, by the clock of the recording that it was cut out of.
    """

    files: tuple[Path, ...]
    recipe: Recipe
    begins_ns: int


def cut_wave(
    recording: LineRecording, recipe: Recipe, span_ns: tuple[int, int], stem: Path, progress: Progress
) -> CutWave | None:
    """Write the wave of the frames in a stretch; None where it would not be read there as it is here.

    Parameters
    ----------
    span_ns
        By the recording's own clock; frames that begin in it, both ends included.
    stem
        Path of the file, without its ending.

    Raises
    ------
    MisuseError
        If the recipe does not suit the recording.
    Cancelled
        If the progress was cancelled.
    """
    whole = run_recipe(recipe, recording, None, progress.part(0, 0.6))
    times = whole.result.frames.time_ns
    rows = np.flatnonzero((times >= span_ns[0]) & (times <= span_ns[1]))
    if not len(rows):
        return None
    begin, end = _between_frames(whole, int(rows[0]), int(rows[-1]), recording.span_ns)
    # other channels are other lanes, which may not be meant to leave
    own = tuple(channel for channel in recording.channels if channel.name in recipe.channels())
    written = _write(cut_recording(replace(recording, channels=own), begin, end), stem)
    if written is None:
        return None
    files, columns = written
    made = CutWave(files, msgspec.structs.replace(with_measured(recipe, whole), columns=columns), begin)
    wanted = whole.result.frames.chosen(rows)
    return made if _gives(made, wanted, stem.with_suffix(".lines"), progress.part(0.6, 1)) else None


def _between_frames(whole: Outcome, first: int, last: int, span_ns: tuple[int, int]) -> tuple[int, int]:
    """Return times in the middle of the silence before the first and behind the last of some frames."""
    times, ends = whole.result.frames.time_ns, whole.result.ends_ns
    begins, stops = int(times[first]), int(ends[last]) if len(ends) else int(times[last])
    before = int(ends[first - 1]) if first and len(ends) else span_ns[0]
    behind = int(times[last + 1]) if last + 1 < len(times) else span_ns[1]
    begin = max((min(before, begins) + begins) // 2, begins - _QUIET_NS, span_ns[0])
    return begin, min((max(behind, stops) + stops) // 2, stops + _QUIET_NS, span_ns[1])


def _write(cut: LineRecording, stem: Path) -> tuple[tuple[Path, ...], Columns | None] | None:
    """Write a recording in the open form that holds what it is made of; return its files and columns."""
    if sum(channel.count for channel in cut.channels) > _MOST_SAMPLES:
        return None
    forms: dict[frozenset[str], Callable[[LineRecording, Path], tuple[tuple[Path, ...], Columns | None] | None]] = {
        frozenset({"digital"}): _value_changes, frozenset({"analog"}): _table, frozenset({"I/Q"}): _pairs,
    }  # fmt: skip
    write = forms.get(frozenset(channel.words for channel in cut.channels))
    return None if write is None else write(cut, stem)


def _value_changes(cut: LineRecording, stem: Path) -> tuple[tuple[Path, ...], None] | None:
    lines = {}
    for channel in cut.channels:
        assert channel.edges is not None, "it is digital"
        if len(channel.edges.unknown):
            return None  # a dump of ours says no level that is not known
        lines[channel.name] = channel.edges.first, channel.edges.time_ns
    path = stem.with_suffix(".vcd")
    path.write_bytes(vcd_text("cut", lines, 0, cut.span_ns[1]))
    return (path,), None


def _table(cut: LineRecording, stem: Path) -> tuple[tuple[Path, ...], Columns] | None:
    times, columns = None, {}
    for channel in cut.channels:
        assert channel.samples is not None, "it is analog"
        samples = channel.samples
        own = samples.stamps_ns
        if own is None:
            own = samples.begin_ns + np.rint(np.arange(len(samples)) * (1e9 / samples.rate_hz)).astype(np.int64)
        if times is not None and not np.array_equal(times, own):
            return None  # a table has one time a row
        times = own
        columns[channel.name] = samples.physical(0, len(samples)).astype(np.float32)
    path = stem.with_suffix(".csv")
    names = ("time_ns", *columns)
    csv.write_csv(pa.table([times, *columns.values()], names=list(names)), path)
    roles = ("time", *["channel"] * len(columns))
    return (path,), Columns(head_lines=1, names=names, roles=roles, time_unit="ns")


def _pairs(cut: LineRecording, stem: Path) -> tuple[tuple[Path, ...], None] | None:
    (samples,) = (channel.samples for channel in cut.channels)
    assert samples is not None, "it is I/Q"
    form = next(
        (name for name, form in SAMPLE_FORMS.items() if form.parts == 2 and np.dtype(form.dtype) == samples.values.dtype
         and (form.scale, form.offset) == (samples.scale, samples.offset)), None,
    )  # fmt: skip
    if form is None:
        return None
    meta, data = stem.with_suffix(".sigmf-meta"), stem.with_suffix(".sigmf-data")
    data.write_bytes(np.ascontiguousarray(samples.values).tobytes())
    facts = {"core:datatype": form, "core:sample_rate": samples.rate_hz, "core:version": "1.0.0"}
    meta.write_bytes(msgspec.json.encode({"global": facts, "captures": [{"core:sample_start": 0}], "annotations": []}))
    return (meta, data), None


def _gives(made: CutWave, wanted: FrameTable, folder: Path, progress: Progress) -> bool:
    """Return whether what was written gives the frames that were cut out, and no others."""
    try:
        again, _ = read_lines(made.files[0], folder, "", made.recipe.columns, progress.part(0, 0.5))
        found = run_recipe(made.recipe, again, None, progress.part(0.5, 1)).result.frames
    except AbacusError:
        return False
    if len(found) != len(wanted):
        return False
    apart = np.abs(found.time_ns + made.begins_ns - wanted.time_ns)
    same = all(np.array_equal(getattr(found, name), getattr(wanted, name)) for name in ("address", "flags", "size"))
    return same and bool((apart <= _off_ns(again)).all()) and all(
        found.payload_of(row) == wanted.payload_of(row) for row in range(len(found))
    )  # fmt: skip


def _off_ns(recording: LineRecording) -> float:
    """Return how far a moment may be off; of lines that were recorded as changes not at all."""
    rates = [channel.samples.rate_hz for channel in recording.channels if channel.samples is not None]
    return _OFF_SAMPLES * 1e9 / min(rates) if rates else 0.0
