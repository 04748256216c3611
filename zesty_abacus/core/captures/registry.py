"""Finds the readers and writers of recordings.

Every module of this package that has a ``FORMAT`` (frames) or ``LINES`` (channels of a line) takes part; adding a
format touches no other file.
"""

from __future__ import annotations

import itertools
from collections.abc import Callable, Sequence
from functools import cache
from pathlib import Path
from typing import BinaryIO, Protocol, runtime_checkable

from ..discover import discover
from ..errors import MisuseError
from ..frames.table import FrameTable
from ..progress import Progress
from ..waves.recording import LineRecording
from .columns import Columns
from .cutting import Cuts
from .reference import looks_like_reference
from .report import CaptureReadError, ReadReport
from .source import COMPRESSED_SUFFIXES, ByteSource, bare_name

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

    A format that recognises what others are a special case of has ``comes_last`` besides, and is asked behind them.

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


@runtime_checkable
class WritableFormat(Protocol):
    """What a format of frames offers besides if recordings can be written in it.

    Attributes
    ----------
    name, suffixes
        As of a :class:`RecordingFormat`.
    protocols
        What lanes may speak whose frames it can hold; empty for any.
    is_for_one_lane
        Whether what is written can tell no lanes apart.
    """

    name: str
    suffixes: tuple[str, ...]
    protocols: tuple[str, ...]
    is_for_one_lane: bool

    def open_writer(self, path: Path, lanes: Sequence[str]) -> FrameWriter:
        """Start a recording of this format."""
        ...


@runtime_checkable
class NamedFormat(Protocol):
    """What a format says besides that nothing in the file tells, only the ending of its name."""

    def fits_name(self, path: Path, head: bytes) -> bool:
        """Return whether a file that no format recognises is of this one."""
        ...


@runtime_checkable
class TableFormat(Protocol):
    """What a format of frames offers besides if its columns can be chosen."""

    def read_with(
        self, path: Path, columns: Columns | None, sink: Sink, report: ReadReport, progress: Progress
    ) -> None:
        """Read with chosen columns."""
        ...


@runtime_checkable
class CuttableFormat(Protocol):
    """What a format offers besides if each frame stands for itself, so that a recording can be read in pieces."""

    def cuts(self, file: BinaryIO, size: int, every: int) -> Cuts | None:
        """Return where a recording of ``size`` bytes may be cut, about ``every`` so many; None if it is not cut."""
        ...


class LineFormat(Protocol):
    """What a module that reads lines offers as ``LINES``.

    Attributes
    ----------
    name, suffixes
        As of a :class:`RecordingFormat`.
    """

    name: str
    suffixes: tuple[str, ...]

    def sniff(self, head: bytes, path: Path) -> bool:
        """Return whether the first bytes and the name look like this format."""
        ...

    def read(
        self, path: Path, folder: Path, columns: Columns | None, report: ReadReport, progress: Progress
    ) -> LineRecording:
        """Read all channels; columns that cannot be mapped from the file itself are kept in the folder."""
        ...


def _offered(attribute: str) -> list:
    import zesty_abacus.core.captures as package  # the package cannot be named before it is imported

    return discover(package, attribute)


@cache
def formats() -> tuple[RecordingFormat, ...]:
    """Return all formats of frames, in order of their module names; those that ``comes_last`` behind all others."""
    return tuple(sorted(_offered("FORMAT"), key=lambda one: getattr(one, "comes_last", False)))


@cache
def line_formats() -> tuple[LineFormat, ...]:
    """Return all formats of lines, in order of their module names."""
    return tuple(_offered("LINES"))


REFERENCE = "reference table"


def recognise(path: Path, *, by_name: bool = True) -> str:
    """Return the name of the format that a file's content has, empty for none.

    Parameters
    ----------
    by_name
        Whether the ending of its name may say what nothing in it tells.

    Raises
    ------
    CaptureReadError
        If the file cannot be opened.
    """
    with ByteSource(path) as source:
        head = source.head(1 << 14)
    # a last line that is cut would look like another number of columns
    for line_format in line_formats():
        if line_format.sniff(head, path):
            return line_format.name
    return _without_lines(path, head, by_name=by_name)


def _without_lines(path: Path, head: bytes, *, by_name: bool = True) -> str:
    """Return the format of a file that holds no lines: of frames by its content, of measurements, or by its name."""
    for frame_format in formats():
        if frame_format.sniff(head):
            return frame_format.name
    if looks_like_reference(head):
        return REFERENCE
    named = (one.name for one in formats() if isinstance(one, NamedFormat) and one.fits_name(path, head))
    return next(named, "") if by_name else ""


def unknown_format(path: Path, head: bytes) -> CaptureReadError:
    """Return the error for a file that no format recognises."""
    if looks_like_reference(head):
        return CaptureReadError(
            "it is a table of measurements, which holds no frames.", where=str(path),
            hint="Bring it into a trial beside recordings, whose values are compared with it.",
        )  # fmt: skip
    names = ", ".join([*(f.name for f in formats()), *(f.name for f in line_formats()), REFERENCE])
    reason = "the file is empty." if not head else "its content is none of the known formats."
    by_name = ", ".join(itertools.chain(*(one.suffixes for one in formats() if isinstance(one, NamedFormat))))
    hint = f"Known are: {names}. What a port gave and nothing else is read from files that end in {by_name}."
    return CaptureReadError(reason, where=str(path), hint=hint if head else f"Known are: {names}.")


def read_lines(
    path: Path, folder: Path, name: str = "", columns: Columns | None = None, progress: Progress | None = None
) -> tuple[LineRecording, ReadReport]:
    """Read a recording of lines.

    Parameters
    ----------
    folder
        Where columns lie that cannot be mapped from the file itself; it may be removed once the recording is let go.
    name
        The format; recognised by the content if left out.

    Raises
    ------
    CaptureReadError
        If the file cannot be read, or holds no lines.
    Cancelled
        If the progress was cancelled.
    """
    name = name or recognise(path)
    chosen = next((candidate for candidate in line_formats() if candidate.name == name), None)
    if chosen is None:
        with ByteSource(path) as source:
            raise unknown_format(path, source.head())
    report = ReadReport(chosen.name)
    try:
        recording = chosen.read(path, folder, columns, report, progress or Progress())
    except OSError as error:
        raise CaptureReadError(f"the file cannot be read ({error.strerror or error}).", where=str(path)) from error
    report.lanes = [channel.name for channel in recording.channels]
    return recording, report


def read_recording(
    path: Path, sink: NamedSink, progress: Progress | None = None, *, name: str = "", columns: Columns | None = None,
    report: ReadReport | None = None,
) -> ReadReport:  # fmt: skip
    """Recognise a recording of frames by its content and read it.

    Parameters
    ----------
    path
        The file, plain or compressed.
    sink
        Called with chunks of frames whose ``start`` counts from the chunk's own payload, and with the interface
        names that their ``lane`` counts in; a name is empty where the format has none.
    name
        The format; recognised by the content if left out.
    columns
        What the columns of a table are; guessed if left out.
    report
        Filled while it is read, for a sink that asks it; a new one if left out.

    Raises
    ------
    CaptureReadError
        If the file cannot be opened or no format recognises it.
    Cancelled
        If the progress was cancelled.
    """
    with ByteSource(path) as source:
        head = source.head(1 << 14)
        name = name or _without_lines(path, head)
        chosen = next((one for one in formats() if one.name == name), None)
        if chosen is None:
            raise unknown_format(path, head)
        report = report or ReadReport(chosen.name)

        def count(chunk: FrameTable) -> None:
            report.frames += len(chunk)
            sink(chunk, report.lanes)

        if columns is not None and isinstance(chosen, TableFormat):
            chosen.read_with(path, columns, count, report, progress or Progress())
        else:
            chosen.read(source, count, report, progress or Progress())
    return report


def writable_formats() -> list[WritableFormat]:
    """Return the formats of frames that can be written."""
    return [one for one in formats() if isinstance(one, WritableFormat)]


def open_writer(path: Path, lanes: Sequence[str]) -> FrameWriter:
    """Start a recording in the format that the file's ending names.

    Raises
    ------
    MisuseError
        If no format that can be written has this ending.
    """
    suffix = Path(bare_name(path)).suffix.lower()
    for candidate in writable_formats():
        if suffix in candidate.suffixes:
            return candidate.open_writer(path, lanes)
    known = ", ".join(suffix for candidate in writable_formats() for suffix in candidate.suffixes)
    raise MisuseError(f"no recording format ends in {suffix!r}.", where=str(path), hint=f"Known are {known}.")


def readable_suffixes() -> list[str]:
    """Return the endings of names of files that are read, each once, those of compressed ones last."""
    frames = (suffix for one in formats() for suffix in one.suffixes)
    waves = (suffix for one in line_formats() for suffix in one.suffixes)
    return list(dict.fromkeys((*frames, *waves, *COMPRESSED_SUFFIXES)))


def form_names() -> list[str]:
    """Return the names of all formats a source can have."""
    return [*(one.name for one in line_formats()), *(one.name for one in formats()), REFERENCE]
