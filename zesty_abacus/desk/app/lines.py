"""The part of the engine that Intake works with: recordings opened for a look, recipes tried on them."""

from __future__ import annotations

import tempfile
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from pathlib import Path

import msgspec
import numpy as np

from ...core.captures.columns import ROLES, TIME_UNITS, Columns, guess_columns, split_line
from ...core.captures.registry import REFERENCE, formats, line_formats, read_lines, recognise
from ...core.captures.report import ReadReport
from ...core.captures.source import ByteSource
from ...core.codec.wording import frame_sentence
from ...core.errors import AbacusError
from ...core.frames.capture import Capture, Lane
from ...core.frames.flags import EXCEPTION, PACKET, TELLS_KINDS_APART, wrong_words
from ...core.frames.kinds import KindKey
from ...core.frames.table import FrameTable
from ...core.layouts.model import Layout
from ...core.library.shelf import Head
from ...core.library.store import Library
from ...core.lines.registry import decoder_of, decoders
from ...core.lines.result import LineResult, MarkKind, Marks, Vote
from ...core.lines.settings import LineSettings
from ...core.links.framing import Framing, framing_of, framings
from ...core.links.registers import RegisterFraming, RegisterState, register_state
from ...core.progress import Progress
from ...core.protocols.registry import protocol_named
from ...core.reading.meaning import Meaning
from ...core.recipes.alignment import OffsetEstimate, estimate_offset
from ...core.recipes.model import LevelSetting, Recipe, SourcePattern, new_recipe
from ...core.recipes.propose import propose, propose_for_frames
from ...core.recipes.run import Outcome, PreparedLine, result_counts, run_on_frames, run_recipe
from ...core.trial.intake import SourceRequest, frames_of_source, request_of
from ...core.trial.trial import Trial
from ...core.waves.edges import Edges
from ...core.waves.recording import Channel, LineRecording
from ...core.waves.samples import Samples

_PIECES = "timed bytes", "pcap", "pcapng", "frame table"


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
    """

    number: int
    request: SourceRequest
    form: str
    recording: LineRecording | None
    table: FrameTable | None
    report: ReadReport
    zero_ns: int
    offers: tuple[Offer, ...]
    folder: tempfile.TemporaryDirectory = field(repr=False)

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
    folder = tempfile.TemporaryDirectory(prefix="zesty-abacus-lines-", ignore_cleanup_errors=True)
    if form in {one.name for one in line_formats()}:
        columns = request.recipe.columns if request.recipe is not None else None
        recording, report = read_lines(request.path, Path(folder.name), form, columns, progress)
        recording = replace(
            recording, channels=tuple(_with_ranges(channel, progress) for channel in recording.channels)
        )
        offers = _offers(request, form, recording, library, progress)
        return OpenedSource(number, request, form, recording, None, report, zero_ns, offers, folder)
    if form not in _PIECES:
        return None
    table, report = frames_of_source(request, progress)
    if form in ("pcap", "pcapng") and not _has_packets(table):
        return None
    offers = _frame_offers(request, form, table, library) if form != "frame table" else _used(request)
    return OpenedSource(number, request, form, None, table, report, zero_ns, offers, folder)


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


def _frame_offers(request: SourceRequest, form: str, table: FrameTable, library: Library) -> tuple[Offer, ...]:
    used = _used(request)
    kept = _library_offers(request, form, (), library)
    measured = [Offer(p.recipe, "measured", p.score, p.reasons) for p in propose_for_frames(request.path, form, table)]
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
    frames, facts = run_on_frames(recipe, opened.table)
    result = LineResult(frames, frames.time_ns, Marks.none(), facts=facts)
    return Outcome(recipe, {}, result, opened.span_ns)


@dataclass(frozen=True, slots=True)
class FrameWords:
    """A frame that came out, in words."""

    address: str
    says: str
    problem: str
    payload: bytes


def frame_words(outcome: Outcome, row: int, layouts: Sequence[Layout]) -> FrameWords:
    """Return what a frame is, says by the library's layouts, and what is wrong with it."""
    table, recipe = outcome.result.frames, outcome.recipe
    flags = int(table.flags[row])
    key = KindKey(0, int(table.address[row]), flags & TELLS_KINDS_APART)
    payload = table.payload_of(row)
    problem = wrong_words(flags)
    spoken = protocol_named(recipe.protocol)
    if flags & EXCEPTION:
        problem = spoken.refusal_text(payload) or problem
    return FrameWords(spoken.kind_text(key), _sentence(recipe, key, payload, layouts), problem, payload)


def _sentence(recipe: Recipe, key: KindKey, payload: bytes, layouts: Sequence[Layout]) -> str:
    if not payload:
        return ""
    one = FrameTable(
        np.zeros(1, np.int64), np.zeros(1, np.uint16), np.array([key.address]), np.array([key.flags], np.uint32),
        np.zeros(1, np.int64), np.array([len(payload)], np.uint32), np.frombuffer(payload, np.uint8),
    )  # fmt: skip
    capture = Capture.from_table(one, (Lane(recipe.lane, recipe.protocol),))
    try:
        decoded = next((found for _, _, found in Meaning.of(capture, layouts).decoded(0, capture.kind_frames(0))), None)
    except AbacusError:
        return ""
    return frame_sentence(decoded, 0) if decoded is not None else ""


def registers_at(outcome: Outcome, device: int, time_ns: int) -> RegisterState:
    """Return what the registers of a device held at a time of the recording's own clock."""
    framing = outcome.recipe.framing
    last = framing.last_register if isinstance(framing, RegisterFraming) else None
    return register_state(outcome.result.frames, device, time_ns, (last or 0xFF) + 1)


def head_of(path: Path) -> str:
    """Return the first lines of a text table."""
    with ByteSource(path) as source:
        return source.head(1 << 15).decode("utf-8", "replace")


def with_line(recipe: Recipe, code: str) -> Recipe:
    """Return a recipe with another line code, its channels taken over in order."""
    decoder = next((one for one in decoders() if one.name == code), None)
    if decoder is None:
        return msgspec.structs.replace(recipe, line=None)
    known = list(recipe.channels())
    roles = [one.name for one in decoder.fields if one.kind == "channel"]
    line = decoder.settings(**dict(zip(roles, known, strict=False)))
    framing = recipe.framing
    if framing is not None and (framing_of(framing).takes != decoder.gives or decoder.gives == "frames"):
        framing = None
    return msgspec.structs.replace(recipe, line=line, framing=framing)


def with_framing(recipe: Recipe, way: str) -> Recipe:
    """Return a recipe with another way of framing, in its plainest form."""
    chosen = next((one for one in framings() if one.name == way), None)
    return msgspec.structs.replace(recipe, framing=chosen.settings() if chosen is not None else None)


def fields_of(settings: LineSettings | Framing):  # type: ignore[no-untyped-def]
    """Return what there is to set."""
    if isinstance(settings, Framing):
        return framing_of(settings).fields
    return decoder_of(settings).fields


def form_names() -> list[str]:
    """Return the names of all formats a source can have."""
    return [*(one.name for one in line_formats()), *(one.name for one in formats()), REFERENCE]


__all__ = [
    "ROLES", "TIME_UNITS", "AbacusError", "Channel", "Columns", "Edges", "FrameWords", "LevelSetting",
    "MarkKind", "Offer",
    "OffsetEstimate", "OpenedSource", "Outcome", "PreparedLine", "Recipe",
    "RegisterState", "Samples", "SourcePattern",
    "Vote", "decoder_of", "decoders",
    "estimate_offset", "fields_of", "form_names", "frame_words", "framing_of", "framings", "guess_columns", "head_of",
    "new_recipe", "open_source", "registers_at", "result_counts", "split_line", "try_recipe",
    "with_framing", "with_line", "wrong_words",
]  # fmt: skip
