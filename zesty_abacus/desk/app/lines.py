"""The part of the engine that Intake works with: recordings opened for a look, recipes tried on them."""

from __future__ import annotations

from ...core.captures.column_guess import guess_columns
from ...core.captures.columns import ROLES, TIME_UNITS, Columns, split_line
from ...core.captures.registry import form_names, readable_suffixes
from ...core.captures.source import head_of
from ...core.lines.registry import address_text, decoder_of, decoders
from ...core.lines.result import Vote
from ...core.links.framing import framing_of, framings
from ...core.links.registers import RegisterState
from ...core.recipes.alignment import OffsetEstimate, estimate_offset
from ...core.recipes.changes import fields_of, with_framing, with_line
from ...core.recipes.model import LevelSetting, Recipe, SourcePattern, new_recipe
from ...core.recipes.prepare import PreparedLine
from ...core.recipes.run import Outcome, framing_in_use
from ...core.trial.frame_words import FrameReader, FrameWords, capture_of_outcome, registers_at
from ...core.trial.looking import Offer, OpenedSource, open_source, try_recipe
from ...core.waves.edges import Edges
from ...core.waves.recording import Channel
from ...core.waves.samples import Samples

__all__ = [
    "ROLES",
    "TIME_UNITS",
    "Channel",
    "Columns",
    "Edges",
    "FrameReader",
    "FrameWords",
    "LevelSetting",
    "Offer",
    "OffsetEstimate",
    "OpenedSource",
    "Outcome",
    "PreparedLine",
    "Recipe",
    "RegisterState",
    "Samples",
    "SourcePattern",
    "Vote",
    "address_text",
    "capture_of_outcome",
    "decoder_of",
    "decoders",
    "estimate_offset",
    "fields_of",
    "form_names",
    "framing_in_use",
    "framing_of",
    "framings",
    "guess_columns",
    "head_of",
    "new_recipe",
    "open_source",
    "readable_suffixes",
    "registers_at",
    "split_line",
    "try_recipe",
    "with_framing",
    "with_line",
]  # fmt: skip
