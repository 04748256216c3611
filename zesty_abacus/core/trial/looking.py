"""A recording opened for a look, with the recipes that fit it, and one of them tried."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace

from ..captures.column_guess import guess_columns
from ..captures.columns import Columns
from ..captures.registry import REFERENCE, line_formats, read_lines, recognise
from ..captures.report import ReadReport
from ..captures.source import head_of
from ..files.scratch import ScratchFolder
from ..frames.flags import PACKET
from ..frames.table import FrameTable
from ..library.shelf import Head
from ..library.store import Library
from ..lines.result import LineResult, Marks
from ..progress import Progress
from ..recipes.messages import MEASURED_FRAMES
from ..recipes.model import Recipe
from ..recipes.prepare import PreparedLine
from ..recipes.propose import propose, propose_for_frames, what_it_holds
from ..recipes.run import Outcome, run_on_frames, run_recipe
from ..waves.recording import Channel, LineRecording
from .intake import SourceRequest, frames_of_source, request_of
from .trial import Trial

_WHOLE = "pcap", "pcapng", "frame table"


@dataclass(frozen=True, slots=True)
class Offer:
    """A recipe that may be taken.

    Attributes
    ----------
    recipe
    origin
        ``trial``, ``library`` or ``measured``.
    score
        0 to 1, of a measured one.
    reasons
    """

    recipe: Recipe
    origin: str
    score: float
    reasons: tuple[str, ...]


@dataclass(frozen=True, slots=True, eq=False)
class OpenedSource:
    """A recording opened for a look.

    Attributes
    ----------
    number
        In the trial.
    request
    form
    recording
        Of waves.
    table
        Of bytes and packets: the frames as recorded.
    report
    zero_ns
        Where the recording's own zero lies on the capture's clock.
    offers
        Recipes that fit, the one in use first.
    columns
        Of a table of frames: what its columns seem to be.
    """

    number: int
    request: SourceRequest
    form: str
    recording: LineRecording | None
    table: FrameTable | None
    report: ReadReport
    zero_ns: int
    offers: tuple[Offer, ...]
    folder: ScratchFolder = field(repr=False)
    columns: Columns | None = None

    @property
    def holds(self) -> str:
        """What ways of framing have to take to be of use; nothing for waves, and for frames of a table."""
        if self.table is None or self.form == "frame table":
            return ""
        return what_it_holds(self.report, self.table)

    @property
    def span_ns(self) -> tuple[int, int]:
        """Return the time that was recorded, from the recording's own zero."""
        if self.recording is not None:
            return self.recording.span_ns
        if self.table is not None and len(self.table):
            return int(self.table.time_ns.min()), int(self.table.time_ns.max())
        return 0, 1


def open_source(trial: Trial, number: int, zero_ns: int, library: Library, progress: Progress) -> OpenedSource | None:
    """Open a source for a look; None if it holds whole frames, which need no recipe.

    Raises
    ------
    CaptureReadError
        If it cannot be read.
    Cancelled
        If the progress was cancelled.
    """
    request = request_of(trial, trial.file.sources[number])
    form = request.form or recognise(request.path)
    folder = ScratchFolder("zesty-abacus-lines-")
    if form in {one.name for one in line_formats()}:
        columns = request.recipe.columns if request.recipe is not None else None
        recording, report = read_lines(request.path, folder.path, form, columns, progress)
        recording = replace(
            recording, channels=tuple(_with_ranges(channel, progress) for channel in recording.channels)
        )
        offers = _offers(request, form, recording, library, progress)
        return OpenedSource(number, request, form, recording, None, report, zero_ns, offers, folder)
    if form == REFERENCE:
        return None
    # packets may come behind frames of a bus; of others the beginning says what they are
    table, report = frames_of_source(request, progress, None if form in _WHOLE else MEASURED_FRAMES)
    is_table = form == "frame table"
    is_of_bus = not report.holds_bytes and not _has_packets(table)
    if is_of_bus and not is_table:
        first = table.rows(0, MEASURED_FRAMES).compact()
        offers = _frame_offers(request, report, first, library)
        return OpenedSource(number, request, form, None, first, report, zero_ns, offers, folder) if offers else None
    if form not in _WHOLE:
        table, report = frames_of_source(request, progress)
    offers = _used(request) if is_of_bus else _frame_offers(request, report, table, library)
    columns = guess_columns(head_of(request.path)) if is_table else None
    return OpenedSource(number, request, form, None, table, report, zero_ns, offers, folder, columns)


def _has_packets(table: FrameTable) -> bool:
    return bool((table.flags & PACKET > 0).any())


def _with_ranges(channel: Channel, progress: Progress) -> Channel:
    if channel.samples is None:
        return channel
    return replace(channel, samples=channel.samples.with_ranges(progress))


def _used(request: SourceRequest) -> tuple[Offer, ...]:
    return (Offer(request.recipe, "trial", 1.0, ()),) if request.recipe is not None else ()


def _library_offers(request: SourceRequest, form: str, channels: Sequence[str], library: Library) -> list[Offer]:
    heads: list[Head[Recipe]] = library.recipes.fitting(request.path.name, form, channels)
    return [
        Offer(head.state, "library", 1.0, (f"kept in the library by {head.revision.author}: {head.revision.reason}",))
        for head in heads
    ]


def _offers(
    request: SourceRequest, form: str, recording: LineRecording, library: Library, progress: Progress
) -> tuple[Offer, ...]:
    used = _used(request)
    kept = _library_offers(request, form, [channel.name for channel in recording.channels], library)
    measured = [Offer(p.recipe, "measured", p.score, p.reasons) for p in propose(request.path, recording, progress)]
    return (*used, *measured[:1], *kept, *measured[1:])


def _frame_offers(request: SourceRequest, report: ReadReport, table: FrameTable, library: Library) -> tuple[Offer, ...]:
    used = _used(request)
    kept = _library_offers(request, report.format_name, (), library)
    measured = [
        Offer(p.recipe, "measured", p.score, p.reasons) for p in propose_for_frames(request.path, report, table)
    ]
    return (*used, *measured[:1], *kept, *measured[1:])


def try_recipe(
    opened: OpenedSource,
    recipe: Recipe,
    span_ns: tuple[int, int] | None,
    prepared: Mapping[str, PreparedLine] | None,
    progress: Progress,
) -> Outcome:
    """Run a recipe on an opened source, on a part of it if a span is given.

    Raises
    ------
    MisuseError
        If the recipe does not fit the source.
    """
    if opened.recording is not None:
        return run_recipe(recipe, opened.recording, span_ns, progress, prepared)
    assert opened.table is not None
    frames, facts = run_on_frames(recipe, opened.table, opened.report.byte_ns)
    result = LineResult(frames, frames.time_ns, Marks.none(), facts=facts)
    return Outcome(recipe, {}, result, opened.span_ns)
