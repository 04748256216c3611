"""Frames written as a recording again, in the formats that can be written."""

from __future__ import annotations

import shutil
import tempfile
from pathlib import Path

from ..captures.registry import formats, open_writer
from ..files.errors import file_errors, file_errors_as
from ..files.writing import Target
from ..frames.capture import Capture
from .chunks import chunks_of
from .writers import WRITERS, ExportError


def is_recording(path: Path) -> bool:
    """Return whether a file's name says that it is a recording which can be written."""
    suffix = path.suffix.lower()
    # a table of frames may be read as a recording, and is written as the table that was asked for
    return suffix[1:] not in WRITERS and any(suffix in one.suffixes for one in formats())


def write_recording(target: Target, capture: Capture) -> None:
    """Write all frames in order of time.

    Raises
    ------
    ExportError
        If the file cannot be written, or is there and must not be replaced.
    """
    with file_errors_as(ExportError), tempfile.TemporaryDirectory(prefix="zesty-abacus-") as folder:
        # the format follows from the name; what stands under it is put there whole
        made = Path(folder) / target.path.name
        with file_errors(made, "the recording cannot be written"):
            writer = open_writer(made, [lane.name for lane in capture.lanes])
            for rows in chunks_of(capture, None):
                writer.append(capture.frames.table(rows))
            writer.close()
        with target.writing() as stream, made.open("rb") as whole, file_errors(target.path, "it cannot be written"):
            shutil.copyfileobj(whole, stream, 1 << 20)
