"""Recipes changed as a form does: another line code or way of framing, with what still fits taken over."""

from __future__ import annotations

import msgspec

from ..lines.registry import decoder_of, decoders
from ..lines.settings import LineSettings
from ..links.framing import Framing, framing_of, framings
from .model import Recipe


def with_line(recipe: Recipe, code: str) -> Recipe:
    """Return a recipe with another line code, its channels taken over in order."""
    decoder = next((one for one in decoders() if one.name == code), None)
    if decoder is None:
        return _with_note(recipe, msgspec.structs.replace(recipe, line=None))
    known = list(recipe.channels())
    roles = [one.name for one in decoder.fields if one.kind == "channel"]
    line = decoder.settings(**dict(zip(roles, known, strict=False)))
    framing = recipe.framing
    if framing is not None and (framing_of(framing).takes != decoder.gives or decoder.gives == "frames"):
        framing = None
    return _with_note(recipe, msgspec.structs.replace(recipe, line=line, framing=framing))


def with_framing(recipe: Recipe, way: str) -> Recipe:
    """Return a recipe with another way of framing, in its plainest form."""
    chosen = next((one for one in framings() if one.name == way), None)
    framing = chosen.settings() if chosen is not None else None
    return _with_note(recipe, msgspec.structs.replace(recipe, framing=framing))


def _with_note(before: Recipe, after: Recipe) -> Recipe:
    """Let the note beside the lane say what it speaks now, unless somebody wrote another one."""
    if before.lane_note != before.speaks:
        return after
    return msgspec.structs.replace(after, lane_note=after.speaks)


def fields_of(settings: LineSettings | Framing):  # type: ignore[no-untyped-def]
    """Return what there is to set."""
    if isinstance(settings, Framing):
        return framing_of(settings).fields
    return decoder_of(settings).fields
