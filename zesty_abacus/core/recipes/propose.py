"""Proposes recipes by measurement: levels from histograms, line codes that explain the edges, framings that hold.

Every candidate is tried on the recording itself; what it explains is its score, and the reasons are sentences with
the figures they rest on.
"""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass, replace
from pathlib import Path
from typing import Literal

import msgspec
import numpy as np

from ..captures.source import bare_name
from ..errors import AbacusError
from ..frames import flags as F
from ..frames.table import FrameTable
from ..lines.bipolar import is_bipolar, without_passing
from ..lines.glitches import Glitches, find_glitches
from ..lines.pulses import PulseLine
from ..lines.registry import decode_line, decoder_of, decoders
from ..lines.result import LineResult, Marks
from ..lines.settings import LineSettings, Proposal
from ..lines.unscramble import USUAL_SCRAMBLER
from ..links.framing import Framing, FramingWay, framings
from ..links.network import streams
from ..links.over_can import TAKES
from ..links.pieces import bytes_of, rows_of, streams_in
from ..progress import Progress
from ..waves.edges import Edges
from ..waves.recording import Channel, LineRecording
from .messages import MEASURED_FRAMES
from .model import LevelSetting, Recipe, SourcePattern, new_recipe
from .run import PreparedLine, prepare_line

_OF_BYTES = frozenset({"timed bytes"})
"""Formats whose frames are pieces of bytes; those of all others are frames of a bus."""
_MOST_EDGES = 60_000
_MOST_SAMPLES = 16_000_000
_MOST_CHANNELS = 12


@dataclass(frozen=True, slots=True)
class RecipeProposal:
    """A recipe that was measured, with its reasons.

    Attributes
    ----------
    recipe
    score
        0 to 1.
    reasons
        One sentence each, the strongest first.
    """

    recipe: Recipe
    score: float
    reasons: tuple[str, ...]


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
    for channel in radio[:2]:
        found.extend(_radio(path, recording, channel, progress))
    prepared: dict[str, PreparedLine] = {}
    for number, channel in enumerate(channels):
        progress.step(number / len(channels) * 0.5, f"looking at {channel.name}")
        if channel.samples is None or not channel.samples.is_iq:
            prepared[channel.name] = prepare_line(channel, LevelSetting(channel=channel.name), first_part(channel))
    looked_at = _LookedAt(path, recording, prepared)
    for number, decoder in enumerate(decoders()):
        progress.step(0.5 + number / len(decoders()) * 0.5, f"trying {decoder.name}")
        found.extend(
            made for proposal in decoder.propose(looked_at.edges) if (made := looked_at.with_framing(proposal)).score
        )
    return _best(found)


class _LookedAt:
    """A recording of lines while recipes are looked for: its edges without glitches, and why they are as they are.

    Attributes
    ----------
    edges
        Of each channel the first part, by name.
    """

    def __init__(self, path: Path, recording: LineRecording, prepared: dict[str, PreparedLine]) -> None:
        self._path, self._recording, self._prepared = path, recording, prepared
        self._glitches: dict[str, Glitches] = {}
        for name, line in prepared.items():
            glitches = find_glitches(line.edges)
            if glitches is not None:
                self._glitches[name] = glitches
        self.edges = {name: self._clean(name).first_part(_MOST_EDGES) for name in prepared}

    def _clean(self, name: str) -> Edges:
        edges, glitches = self._prepared[name].edges, self._glitches.get(name)
        return edges if glitches is None else edges.without_glitches(round(glitches.ignore_under_us * 1000))

    def with_framing(self, proposal: Proposal) -> RecipeProposal:
        """Return a recipe of what a line code suggests, with the framing that suits best."""
        settings, score, recording = proposal.settings, proposal.score, self._recording
        framing, better, why = _framing_for(settings, decode_line(settings, self.edges))
        channels = tuple(channel.name for channel in recording.channels)
        recipe = _named(self._path, recording.format_name, channels, settings, framing=framing)
        used = recipe.channels()
        cleaned = [name for name in used if name in self._glitches]
        levels = tuple(
            LevelSetting(channel=name, ignore_under_us=self._glitches[name].ignore_under_us) for name in cleaned
        )
        reasons = [proposal.reason, why, *(f"{name}: {self._glitches[name].words()}" for name in cleaned)]
        suggested = ((name, self._prepared[name].suggestion) for name in used)
        reasons += [f"{name}: {suggestion.reason}" for name, suggestion in suggested if suggestion is not None]
        whole = score * (0.7 + 0.3 * better) if framing is not None else score
        if isinstance(settings, PulseLine) and settings.transitions:
            whole = better if better >= _SURE else 0.0
        return RecipeProposal(
            msgspec.structs.replace(recipe, levels=levels), min(whole, 1.0), tuple(filter(None, reasons))
        )


def propose_for_frames(path: Path, form: str, table: FrameTable) -> list[RecipeProposal]:
    """Return recipes for a recording of bytes, packets or CAN frames, best first."""
    takes = what_it_holds(form, table)
    result = _as_taken(takes, table)
    found = []
    for way in framings():
        judged = way.judge(result) if way.takes == takes else None
        if judged is None and takes == "packets" and way.takes == "bytes":
            judged = _judged_on_streams(way, result.frames)
        if judged is not None:
            settings, score, reason = judged
            recipe = _named(path, form, (), None, framing=settings)
            found.append(RecipeProposal(recipe, score, (reason,)))
    return _best(found)


_LEAST_OF_STREAM = 0.5
"""A silence between pieces says how they were sent, not where a telegram ends."""


def _judged_on_streams(way: FramingWay, pieces: FrameTable) -> tuple[Framing, float, str] | None:
    """Judge a way of framing bytes by the longest stream of a network."""
    longest = max(streams_in(pieces), key=lambda rows: int(pieces.size[rows].sum()), default=None)
    judged = way.judge(bytes_of(rows_of(pieces, longest))) if longest is not None else None
    return judged if judged is not None and judged[1] > _LEAST_OF_STREAM else None


def what_it_holds(form: str, table: FrameTable) -> str:
    """Return what ways of framing have to take to be of use for a recording of no lines."""
    if len(table) and bool((table.flags & F.PACKET > 0).all()):
        return "packets"
    # rows of a table that nobody is addressed in are pieces of a stream, however they were cut
    is_stream = form == "frame table" and len(table) and not table.address.any()
    return "bytes" if form in _OF_BYTES or is_stream else TAKES


def _as_taken(takes: str, table: FrameTable) -> LineResult:
    if takes == "packets":
        return streams(table)
    if takes == "bytes":
        return bytes_of(table)
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
    return sorted(found, key=lambda proposal: -proposal.score)[:6]


def first_part(channel: Channel) -> tuple[int, int] | None:
    """Return the part of a long wave that is looked at, None for all of it."""
    samples = channel.samples
    if samples is None or len(samples) <= _MOST_SAMPLES:
        return None
    return samples.begin_ns, samples.time_of(_MOST_SAMPLES)


def _framing_for(settings: LineSettings, result: LineResult) -> tuple[Framing | None, float, str]:
    gives = decoder_of(settings).gives
    judged = []
    for way in framings():
        if way.takes == gives:
            verdict = way.judge(result)
            if verdict is not None:
                judged.append(verdict)
    return max(judged, key=lambda verdict: verdict[1], default=(None, 0.0, ""))


def _named(path: Path, form: str, channels: Sequence[str], line: LineSettings | None, **parts: object) -> Recipe:
    stem = Path(bare_name(path)).stem
    pattern = re.sub(r"\d+", "*", Path(path).name)
    lane = re.split(r"[-_. ]", stem)[0].lower() or stem
    made = new_recipe(stem, line=line, **parts)
    used = made.channels()
    source = SourcePattern(file=pattern, form=form, channels=tuple(name for name in channels if name in used))
    return msgspec.structs.replace(made, source=source, lane=lane, lane_note=made.speaks)


def _radio(path: Path, recording: LineRecording, channel: Channel, progress: Progress) -> list[RecipeProposal]:
    """Try on-off keying and two tones; what comes out of the pulses decides."""
    lines: dict[str, PreparedLine] = {}
    kinds: tuple[tuple[Literal["envelope", "tones"], str], ...] = (("envelope", "carrier"), ("tones", "tones"))
    for kind, words in kinds:
        progress.step(0.1, f"looking for {words}")
        try:
            setting = LevelSetting(channel=channel.name, kind=kind)
            lines[kind] = prepare_line(channel, setting, first_part(channel), progress.quiet())
        except AbacusError:
            continue
    # a carrier that is silent while another one sounds is one of two tones
    toned = "tones" in lines and _changes_between_tones(lines["tones"].edges)
    found = []
    for way, line in lines.items():
        share = (1.0 if toned else _TONES_RUN_ON) if way == "tones" else (_ONE_OF_TWO if toned else 1.0)
        proposal = _radio_line(path, recording, channel.name, line, share)
        if proposal is not None:
            found.append(proposal)
    return found


_TONES_RUN_ON, _ONE_OF_TWO = 0.6, 0.3
_SURE = 0.9
"""A framing reaches so much only by a check of its own that agrees."""
_PART_OF_EACH, _STRAIGHT_OVER = 0.1, 0.6


def _changes_between_tones(edges: Edges) -> bool:
    """Return whether a difference of tones goes from one to the other within bursts, and not in and out of silence."""
    edges = without_passing(edges)
    if not is_bipolar(edges) or len(edges) < 2:
        return False
    widths, level = edges.widths(), edges.level
    each = [int(widths[level[:-1] == sign].sum()) for sign in (-1, 1)]
    straight = float(np.mean(level[1:] * level[:-1] == -1))
    return min(each) >= _PART_OF_EACH * sum(each) and straight >= _STRAIGHT_OVER


def _radio_line(
    path: Path, recording: LineRecording, name: str, line: PreparedLine, share: float
) -> RecipeProposal | None:
    """Return how the bits of a prepared channel are put together; ``share`` says how likely it is to be that."""
    least = _least_pulse(line)
    edges = {name: line.edges.without_glitches(round(least * 1000)).first_part(_MOST_EDGES)}
    if len(edges[name]) < 16:
        return None
    tones = line.setting.kind == "tones"
    plain = PulseLine(line=name, coding="plain")
    packets = msgspec.structs.replace(plain, transitions=True, burst_gap_us=1e9)
    scrambled = msgspec.structs.replace(packets, scrambler=USUAL_SCRAMBLER)
    best: tuple[float, PulseLine, Framing | None, str] = (0.0, plain, None, "")
    for settings in (plain, packets, scrambled) if tones else (PulseLine(line=name),):
        result = decode_line(settings, edges)
        framing, score, why = _framing_for(settings, result)
        if settings.transitions and score < _SURE:
            # changes explain any bits, so only a check says that they are meant
            continue
        facts = {fact.name: fact.words for fact in result.facts}
        bits = len(result.bit_run) if result.bit_run is not None else 0
        if bits >= 16 and score > best[0]:
            best = (score, settings, framing, f"{facts.get('coding', '')}; {why}")
    score, chosen, framing, reason = best
    if score <= 0:
        return None
    if tones:
        low, high = line.setting.carrier_hz or 0.0, line.setting.high_hz or 0.0
        score *= 1.0 if score >= _SURE else share
        heard = f"two tones at {low:.0f} and {high:.0f} Hz"
    else:
        score *= _keyed_share(line) * share
        heard = f"a carrier at {(line.setting.carrier_hz or 0.0) / 1e3:.2f} kHz, keyed on and off"
    keeps = LevelSetting(channel=name, kind=line.setting.kind, ignore_under_us=least)
    recipe = _named(path, recording.format_name, (name,), chosen, framing=framing, levels=(keeps,))
    return RecipeProposal(recipe, min(score, 1.0), (heard, reason))


def _least_pulse(line: PreparedLine) -> float:
    return round((line.setting.smooth_us or 0.0) * 0.8, 1)


def _keyed_share(line: PreparedLine) -> float:
    """Return near 1 if the carrier is clearly on or off, less if its level hardly changes."""
    assert line.wave is not None
    values = np.asarray(line.wave.values)
    low, high = np.quantile(values, (0.1, 0.995)) if len(values) else (0.0, 0.0)
    return 1.0 if high > 4 * low else 0.4
