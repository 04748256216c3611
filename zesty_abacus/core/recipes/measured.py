"""A recipe with what was measured while it ran, so that another recording is read by the same figures."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import TypeVar, get_args, get_type_hints

import msgspec

from ..lines.result import LineResult
from ..lines.settings import LineSettings, Setting
from ..links.framing import Framing
from ..waves.recording import LineRecording
from .changes import fields_of
from .model import LevelSetting, Recipe
from .prepare import PreparedLine
from .proposal import RecipeProposal, first_part
from .run import Outcome, run_recipe

_Settings = TypeVar("_Settings", LineSettings, Framing)
_DIGITS = 6
"""Figures are no better than a millionth, and short ones can be read."""


def with_measured(recipe: Recipe, outcome: Outcome) -> Recipe:
    """Return a recipe in which what was left to be measured stands as it was found: rates, gaps, modes, levels."""
    line = None if recipe.line is None else _filled(recipe.line, outcome.result)
    framing = None if recipe.framing is None else _filled(recipe.framing, outcome.result)
    made = msgspec.structs.replace(recipe, line=line, framing=framing)
    for prepared in outcome.lines.values():
        if prepared.wave is not None:
            made = made.with_level(_level(prepared))
    return made


def measured_proposal(proposal: RecipeProposal, recording: LineRecording) -> RecipeProposal:
    """Return a proposal with what is measured when its recipe runs on a recording, of a long one on a first part."""
    ends = [part[1] for channel in recording.channels if (part := first_part(channel)) is not None]
    span = (recording.span_ns[0], min(ends)) if ends else None
    made = with_measured(proposal.recipe, run_recipe(proposal.recipe, recording, span))
    return replace(proposal, recipe=made)


def _filled(settings: _Settings, result: LineResult) -> _Settings:
    facts = {fact.name: fact.value for fact in result.facts if math.isfinite(fact.value)}
    changes = {
        field.name: _value(settings, field, facts[field.name])
        for field in fields_of(settings)
        if field.measured and getattr(settings, field.name) is None and field.name in facts
    }
    return msgspec.structs.replace(settings, **changes)


def _value(settings: msgspec.Struct, field: Setting, value: float) -> object:
    if field.kind == "choice":
        return field.choices[int(value)][0]
    # a setting that counts takes no other numbers, also not where a recipe is read
    counts = float not in get_args(get_type_hints(type(settings))[field.name])
    return round(value) if counts else _short(value)


def _level(line: PreparedLine) -> LevelSetting:
    found = line.setting
    numbers = ("above", "below", "dead_band", "carrier_hz", "high_hz", "smooth_us")
    return msgspec.structs.replace(found, **{name: _short(getattr(found, name)) for name in numbers})


def _short(value: float | None) -> float | None:
    return None if value is None else float(f"{value:.{_DIGITS}g}")
