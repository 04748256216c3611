"""Frames as the table that the program writes of them."""

from __future__ import annotations

from pathlib import Path

from zesty_abacus.core.frames.capture import Capture, Lane
from zesty_abacus.core.frames.table import FrameTable
from zesty_abacus.core.handover.frame_table import FRAME_SCHEMA, frame_table
from zesty_abacus.core.handover.writers import write_tables


def write_frames(path: Path, table: FrameTable, lanes: list[str]) -> None:
    """Write frames in order of time, in the form that the file's ending names."""
    capture = Capture.from_table(table, [Lane(name) for name in lanes])
    with path.open("wb") as stream:
        write_tables(stream, path.suffix[1:], FRAME_SCHEMA, frame_table(capture))
