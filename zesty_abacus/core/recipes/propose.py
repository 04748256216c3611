"""Proposes recipes by measurement: levels from histograms, line codes that explain the edges, framings that hold.

Every candidate is tried on the recording itself; what it explains is its score, and the reasons are sentences with
the figures they rest on.
"""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

import msgspec

from ..captures.report import ReadReport
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.glitches import Glitches, find_glitches
from ..lines.registry import decode_line, decoders
from ..lines.result import LineResult, Marks
from ..lines.settings import Proposal
from ..links.framing import Framing, FramingWay, framings
from ..links.network import streams
from ..links.over_can import TAKES
from ..links.pieces import bytes_of, streams_in
from ..progress import Progress
from ..waves.edges import Edges
from ..waves.recording import LineRecording
from .messages import MEASURED_FRAMES
from .model import LevelSetting
from .prepare import PreparedLine, prepare_line
from .proposal import MOST_EDGES, SURE, RecipeProposal, first_part, framing_for, named_recipe
from .propose_radio import propose_radio

_MOST_CHANNELS = 12


def propose(path: Path, recording: LineRecording, progress: Progress | None = None) -> list[RecipeProposal]:
    """Return recipes for a recording of lines, best first.

    Raises
    ------
    Cancelled
        If the progress was cancelled.
    """
    progress = progress or Progress()
    found: list[RecipeProposal] = []
    channels = recording.channels[:_MOST_CHANNELS]
    radio = [
        c for c in channels if c.samples is not None and (c.samples.is_iq or recording.format_name in ("WAV", "SigMF"))
    ]
    of_tones = set()
    for channel in radio[:2]:
        heard = propose_radio(path, recording, channel, progress)
        found.extend(heard.proposals)
        if heard.is_two_tones:
            of_tones.add(channel.name)
    prepared: dict[str, PreparedLine] = {}
    for number, channel in enumerate(channels):
        progress.step(number / len(channels) * 0.5, f"looking at {channel.name}")
        if channel.samples is None or not channel.samples.is_iq:
            prepared[channel.name] = prepare_line(channel, LevelSetting(channel=channel.name), first_part(channel))
    looked_at = _LookedAt(path, recording, prepared, of_tones)
    for number, decoder in enumerate(decoders()):
        progress.step(0.5 + number / len(decoders()) * 0.5, f"trying {decoder.name}")
        found.extend(
            made for proposal in decoder.propose(looked_at.edges) if (made := looked_at.with_framing(proposal)).score
        )
    return _best(found)


_WAVES_OF_TONES = 0.3
"""How likely pulses of a channel are any that clearly goes from one tone to another: they are the waves of these."""


class _LookedAt:
    """A recording of lines while recipes are looked for: its edges without glitches, and why they are as they are.

    Attributes
    ----------
    edges
        Of each channel the first part, by name.
    """

    def __init__(
        self, path: Path, recording: LineRecording, prepared: dict[str, PreparedLine], of_tones: set[str]
    ) -> None:
        self._path, self._recording, self._prepared, self._of_tones = path, recording, prepared, of_tones
        self._glitches: dict[str, Glitches] = {}
        for name, line in prepared.items():
            glitches = find_glitches(line.edges)
            if glitches is not None:
                self._glitches[name] = glitches
        self.edges = {name: self._clean(name).first_part(MOST_EDGES) for name in prepared}

    def _clean(self, name: str) -> Edges:
        edges, glitches = self._prepared[name].edges, self._glitches.get(name)
        return edges if glitches is None else edges.without_glitches(round(glitches.ignore_under_us * 1000))

    def with_framing(self, proposal: Proposal) -> RecipeProposal:
        """Return a recipe of what a line code suggests, with the framing that suits best."""
        settings, score, recording = proposal.settings, proposal.score, self._recording
        framing, better, why = framing_for(settings, decode_line(settings, self.edges))
        channels = tuple(channel.name for channel in recording.channels)
        recipe = named_recipe(self._path, recording.format_name, channels, settings, framing=framing)
        used = recipe.channels()
        cleaned = [name for name in used if name in self._glitches]
        levels = tuple(
            LevelSetting(channel=name, ignore_under_us=self._glitches[name].ignore_under_us) for name in cleaned
        )
        reasons = [proposal.reason, why, *(f"{name}: {self._glitches[name].words()}" for name in cleaned)]
        suggested = ((name, self._prepared[name].suggestion) for name in used)
        reasons += [f"{name}: {suggestion.reason}" for name, suggestion in suggested if suggestion is not None]
        whole = score * (0.7 + 0.3 * better) if framing is not None else score
        if proposal.needs_check:
            whole = better if better >= SURE else 0.0
        elif better < SURE and self._of_tones.intersection(used):
            whole *= _WAVES_OF_TONES
        return RecipeProposal(
            msgspec.structs.replace(recipe, levels=levels), min(whole, 1.0), tuple(filter(None, reasons))
        )


def propose_for_frames(path: Path, report: ReadReport, table: FrameTable) -> list[RecipeProposal]:
    """Return recipes for a recording of bytes, packets or CAN frames, best first."""
    takes = what_it_holds(report, table)
    result = _as_taken(takes, table, report.byte_ns)
    found = []
    for way in framings():
        judged = way.judge(result) if way.takes == takes else None
        if judged is None and takes == "packets" and way.takes == "bytes":
            judged = _judged_on_streams(way, result.frames)
        if judged is not None:
            settings, score, reason = judged
            recipe = named_recipe(path, report.format_name, (), None, framing=settings)
            found.append(RecipeProposal(recipe, score, (reason,)))
    return _best(found)


_LEAST_OF_STREAM = 0.5
"""A silence between pieces says how they were sent, not where a telegram ends."""


def _judged_on_streams(way: FramingWay, pieces: FrameTable) -> tuple[Framing, float, str] | None:
    """Judge a way of framing bytes by the longest stream of a network."""
    longest = max(streams_in(pieces), key=lambda rows: int(pieces.size[rows].sum()), default=None)
    judged = way.judge(bytes_of(pieces.chosen(longest))) if longest is not None else None
    return judged if judged is not None and judged[1] > _LEAST_OF_STREAM else None


def what_it_holds(report: ReadReport, table: FrameTable) -> str:
    """Return what ways of framing have to take to be of use for a recording of no lines."""
    if len(table) and bool((table.flags & F.PACKET > 0).all()):
        return "packets"
    return "bytes" if report.holds_bytes else TAKES


def _as_taken(takes: str, table: FrameTable, byte_ns: int | None) -> LineResult:
    if takes == "packets":
        return streams(table)
    if takes == "bytes":
        return bytes_of(table, byte_ns)
    first = table.rows(0, MEASURED_FRAMES)
    return LineResult(first, first.time_ns, Marks.none())


_LIKELY = 0.5


def best_of_each_line(found: list[RecipeProposal]) -> list[RecipeProposal]:
    """Return the best recipe, and the best ones for other channels if they are likely; each gives a lane of its own.

    Parameters
    ----------
    found
        Best first.
    """
    chosen: list[RecipeProposal] = []
    used: set[str] = set()
    for proposal in found:
        channels = set(proposal.recipe.channels())
        if not chosen or (proposal.score >= _LIKELY and channels and not channels & used):
            chosen.append(proposal)
            used |= channels
    return chosen if len(chosen) < 2 else [_on_lane_of_its_own(one) for one in chosen]


def _on_lane_of_its_own(proposal: RecipeProposal) -> RecipeProposal:
    recipe = proposal.recipe
    lane = f"{recipe.lane} {recipe.channels()[0]}"
    return replace(
        proposal, recipe=msgspec.structs.replace(recipe, name=f"{recipe.name} {recipe.channels()[0]}", lane=lane)
    )


def _best(found: list[RecipeProposal]) -> list[RecipeProposal]:
    # of equals the one that explains more lines
    return sorted(found, key=lambda proposal: (-proposal.score, -len(proposal.recipe.channels())))[:6]
