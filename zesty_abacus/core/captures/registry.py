"""Finds the readers and writers of recordings.

Every module of this package that has a ``FORMAT`` takes part; adding a format touches no other file.
"""

from __future__ import annotations

import importlib
import pkgutil
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from typing import Protocol

from ..errors import MisuseError
from ..frames.table import FrameTable
from ..progress import Progress
from .report import CaptureReadError, ReadReport
from .source import ByteSource, bare_name

Sink = Callable[[FrameTable], None]
NamedSink = Callable[[FrameTable, Sequence[str]], None]


class FrameWriter(Protocol):
    """Writes frames of a recording chunk by chunk."""

    def append(self, table: FrameTable) -> None:
        """Write the frames of a table; ``lane`` counts in the lanes given when opening."""
        ...

    def close(self) -> None:
        """Finish the file."""
        ...


class RecordingFormat(Protocol):
    """What a format module offers as ``FORMAT``.

    Attributes
    ----------
    name
        As the interface calls it.
    suffixes
        Usual file endings, lower case, with the dot.
    """

    name: str
    suffixes: tuple[str, ...]

    def sniff(self, head: bytes) -> bool:
        """Return whether the first bytes look like this format."""
        ...

    def read(self, source: ByteSource, sink: Sink, report: ReadReport, progress: Progress) -> None:
        """Pass all frames to the sink in chunks; list what cannot be read in the report."""
        ...

    def open_writer(self, path: Path, lanes: Sequence[str]) -> FrameWriter:
        """Start a recording of this format."""
        ...


@cache
def formats() -> tuple[RecordingFormat, ...]:
    """Return all formats, in order of their module names."""
    import zesty_abacus.core.captures as package  # the package cannot be named before it is imported

    found = []
    for module in sorted(pkgutil.iter_modules(package.__path__), key=lambda m: m.name):
        candidate = getattr(importlib.import_module(f"{package.__name__}.{module.name}"), "FORMAT", None)
        if candidate is not None:
            found.append(candidate)
    return tuple(found)


def read_recording(path: Path, sink: NamedSink, progress: Progress | None = None) -> ReadReport:
    """Recognise a recording by its content and read it.

    Parameters
    ----------
    path
        The file, plain or compressed.
    sink
        Called with chunks of frames whose ``start`` counts from the chunk's own payload, and with the interface
        names that their ``lane`` counts in; a name is empty where the format has none.

    Raises
    ------
    CaptureReadError
        If the file cannot be opened or no format recognises it.
    Cancelled
        If the progress was cancelled.
    """
    with ByteSource(path) as source:
        head = source.head()
        chosen = next((candidate for candidate in formats() if candidate.sniff(head)), None)
        if chosen is None:
            names = ", ".join(candidate.name for candidate in formats())
            reason = "the file is empty." if not head else "its content is none of the known formats."
            raise CaptureReadError(reason, where=str(path), hint=f"Known are: {names}.")
        report = ReadReport(chosen.name)

        def count(chunk: FrameTable) -> None:
            report.frames += len(chunk)
            sink(chunk, report.lanes)

        chosen.read(source, count, report, progress or Progress())
    return report


def open_writer(path: Path, lanes: Sequence[str]) -> FrameWriter:
    """Start a recording in the format that the file's ending names.

    Raises
    ------
    MisuseError
        If no format has this ending.
    """
    suffix = Path(bare_name(path)).suffix.lower()
    for candidate in formats():
        if suffix in candidate.suffixes:
            return candidate.open_writer(path, lanes)
    known = ", ".join(suffix for candidate in formats() for suffix in candidate.suffixes)
    raise MisuseError(f"no recording format ends in {suffix!r}.", where=str(path), hint=f"Known are {known}.")
