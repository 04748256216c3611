"""Frames written as a recording again, in the formats that can be written."""

from __future__ import annotations

import shutil
import tempfile
from collections.abc import Collection, Iterator
from dataclasses import dataclass, replace
from pathlib import Path

import numpy as np
from numpy.typing import NDArray

from ..captures.registry import WritableFormat, open_writer, writable_formats
from ..captures.source import bare_name
from ..errors import MisuseError
from ..files.errors import file_errors, file_errors_as
from ..files.writing import Target
from ..frames.capture import Capture
from ..progress import Progress
from ..protocols.registry import protocol_named
from ..words import listed
from .chunks import Which, chunks_of
from .writers import WRITERS, ExportError


@dataclass(frozen=True, slots=True)
class Written:
    """What became of frames that were to leave.

    Attributes
    ----------
    frames
        How many are written.
    left_out
        Names of the lanes whose frames such a file cannot hold.
    holds
        What it holds, in words.
    """

    frames: int
    left_out: tuple[str, ...]
    holds: str

    def words(self) -> str:
        """Return a sentence about what was left out; empty if nothing was."""
        if not self.left_out:
            return ""
        are = "is" if len(self.left_out) == 1 else "are"
        return f"{listed(self.left_out)} {are} left out: such a file holds {self.holds} alone."


def recording_forms() -> dict[str, str]:
    """Return what recordings that can be written are called, by the word their names end in."""
    return {
        suffix[1:]: one.name for one in writable_formats() for suffix in one.suffixes
        # a table of frames may be read as a recording, and is written as the table that was asked for
        if suffix[1:] not in WRITERS
    }  # fmt: skip


def is_recording(path: Path) -> bool:
    """Return whether a file's name says that it is a recording which can be written."""
    return _ending(path) in recording_forms()


def write_recording(
    target: Target, capture: Capture, which: Which = None, kinds: Collection[int] | None = None,
    progress: Progress | None = None, form: str = "",
) -> Written:  # fmt: skip
    """Write frames in order of time; those of lanes that the format cannot hold are left out.

    Parameters
    ----------
    kinds
        Numbers of the kinds that leave; None is all.
    form
        One of :func:`recording_forms`; that which the file's name ends in if left out.

    Raises
    ------
    MisuseError
        If no frame is left to be written, or the format holds fewer lanes than leave.
    ExportError
        If the file cannot be written, or is there and must not be replaced.
    Cancelled
        If the progress was cancelled; no file is left.
    """
    progress = progress or Progress()
    target.check()
    form = form or _ending(target.path)
    chosen = _Chosen(capture, which, kinds, _format_of(form))
    held = chosen.check_lanes(target.path)
    with file_errors_as(ExportError), tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
        # the writer goes by the name, which also says how it is packed; one that says another form would mislead it
        made = Path(folder) / (target.path.name if _ending(target.path) == form else f"recording.{form}")
        frames = 0
        with file_errors(made, "the recording cannot be written"):
            writer = open_writer(made, [capture.lanes[lane].name for lane in held])
            try:
                for rows in chosen.rows(held):
                    progress.step(frames / max(chosen.expected, 1), f"writing {target.path.name}")
                    table = capture.frames.table(rows)
                    writer.append(replace(table, lane=np.searchsorted(held, table.lane).astype(np.uint16)))
                    frames += len(rows)
            finally:
                writer.close()
        with target.writing() as stream, made.open("rb") as whole, file_errors(target.path, "it cannot be written"):
            shutil.copyfileobj(whole, stream, 1 << 20)
    return Written(frames, chosen.names_besides(held), chosen.holds)


class _Chosen:
    """Which frames are to leave, and on which lanes they are."""

    def __init__(
        self, capture: Capture, which: Which, kinds: Collection[int] | None, form: WritableFormat
    ) -> None:  # fmt: skip
        self._capture, self._which, self._format = capture, which, form
        self._kinds = None if kinds is None else np.array(sorted(kinds), np.int64)
        self._lanes = self._lanes_that_leave()
        self.expected = len(which) if isinstance(which, np.ndarray) else len(capture)

    @property
    def holds(self) -> str:
        """What the format holds, in words."""
        return f"{listed([protocol_named(one).title for one in self._format.protocols])} frames"

    def _lanes_that_leave(self) -> NDArray[np.int64]:
        seen = np.zeros(len(self._capture.lanes), np.bool_)
        if self._which is None:
            # of the whole capture the kinds say it
            keys = self._capture.kinds.keys
            seen[[keys[kind].lane for kind in (range(len(keys)) if self._kinds is None else self._kinds)]] = True
            return np.flatnonzero(seen)
        for rows in chunks_of(self._capture, self._which):
            seen[self._capture.frames.lanes(self._of_kinds(rows))] = True
        return np.flatnonzero(seen)

    def _of_kinds(self, rows: NDArray[np.uint32]) -> NDArray[np.uint32]:
        return rows if self._kinds is None else rows[np.isin(self._capture.kinds_of(rows), self._kinds)]

    def check_lanes(self, path: Path) -> NDArray[np.int64]:
        """Return the numbers of the lanes that the format holds; raises MisuseError if there are none, or too many."""
        fitting = self._format.protocols
        held = [lane for lane in self._lanes if not fitting or self._capture.lanes[lane].protocol in fitting]
        if not len(self._lanes):
            raise MisuseError("no frame leaves.", where=str(path), hint="Choose a longer stretch, or other messages.")
        if not held:
            raise MisuseError(
                f"such a file holds {self.holds} alone, and what leaves is of {listed(self.names_besides(held))}.",
                where=str(path), hint="Write a table, such as .csv; it is read as a recording, too.",
            )  # fmt: skip
        if self._format.is_for_one_lane and len(held) > 1:
            raise MisuseError(
                f"{self._format.name} holds one lane, not {len(held)}.", where=str(path),
                hint="Choose one lane, or write .pcapng or .log.",
            )  # fmt: skip
        return np.array(held, np.int64)

    def names_besides(self, held: Collection[int]) -> tuple[str, ...]:
        """Return the names of the lanes that leave and are none of these."""
        return tuple(self._capture.lanes[lane].name for lane in self._lanes if lane not in held)

    def rows(self, held: NDArray[np.int64]) -> Iterator[NDArray[np.uint32]]:
        """Yield the rows that are written, a chunk at a time."""
        everything = self._kinds is None and len(held) == len(self._capture.lanes)
        for rows in chunks_of(self._capture, self._which):
            kept = self._of_kinds(rows)
            yield kept if everything else kept[np.isin(self._capture.frames.lanes(kept), held)]


def _ending(path: Path) -> str:
    return Path(bare_name(path)).suffix.lower()[1:]


def _format_of(form: str) -> WritableFormat:
    return next(one for one in writable_formats() if f".{form}" in one.suffixes)
