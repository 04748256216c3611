"""A recipe that was measured, and what all ways of measuring share: framings judged, names given, long waves cut."""

from __future__ import annotations

import re
from collections.abc import Sequence
from dataclasses import dataclass
from pathlib import Path

import msgspec

from ..captures.source import bare_name
from ..lines.registry import decoder_of
from ..lines.result import LineResult
from ..lines.settings import LineSettings
from ..links.framing import Framing, framings
from ..waves.recording import Channel
from .model import Recipe, SourcePattern, new_recipe

SURE = 0.9
"""A framing reaches so much only by a check of its own that agrees."""
MOST_EDGES = 60_000
"""Edges of a line that are looked at."""
_MOST_SAMPLES = 16_000_000


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


def first_part(channel: Channel) -> tuple[int, int] | None:
    """Return the part of a long wave that is looked at, None for all of it."""
    samples = channel.samples
    if samples is None or len(samples) <= _MOST_SAMPLES:
        return None
    return samples.begin_ns, samples.time_of(_MOST_SAMPLES)


def framing_for(settings: LineSettings, result: LineResult) -> tuple[Framing | None, float, str]:
    """Return the framing that suits best what a line gives, how well, and why; none if there is none."""
    gives = decoder_of(settings).gives
    judged = []
    for way in framings():
        if way.takes == gives:
            verdict = way.judge(result)
            if verdict is not None:
                judged.append(verdict)
    return max(judged, key=lambda verdict: verdict[1], default=(None, 0.0, ""))


def named_recipe(path: Path, form: str, channels: Sequence[str], line: LineSettings | None, **parts: object) -> Recipe:
    """Return a recipe called after its recording, for those that are called alike and have the channels it uses."""
    stem = Path(bare_name(path)).stem
    pattern = re.sub(r"\d+", "*", Path(path).name)
    lane = re.split(r"[-_. ]", stem)[0].lower() or stem
    made = new_recipe(stem, line=line, **parts)
    used = made.channels()
    source = SourcePattern(file=pattern, form=form, channels=tuple(name for name in channels if name in used))
    return msgspec.structs.replace(made, source=source, lane=lane, lane_note=made.speaks)
