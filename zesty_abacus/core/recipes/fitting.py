"""Which recipes a recording is read by: the one whose pattern says most; several only where they give several lanes."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from uuid import UUID

import msgspec

from ..errors import MisuseError
from .model import Recipe


class UnclearRecipeError(MisuseError):
    """Recipes that fit a recording equally well, and read the same lane differently."""


def particular(recipe: Recipe) -> int:
    """Count the letters of a pattern that are no wildcards, and what else it asks for."""
    source = recipe.source
    return sum(letter not in "*?" for letter in source.file) + 4 * bool(source.form) + len(source.channels)


def fitting(recipes: Iterable[Recipe], name: str, form: str, channels: Sequence[str]) -> list[Recipe]:
    """Return the recipes for a recording, the most particular pattern first.

    Parameters
    ----------
    name
        Of the file, without folders.
    form
        Of its content.
    channels
        That it has; none if they are not known.
    """
    found = [recipe for recipe in recipes if recipe.source.fits(name, form, channels)]
    return sorted(found, key=lambda recipe: (-particular(recipe), recipe.name))


def recipes_for(recipes: Iterable[Recipe], name: str, form: str, channels: Sequence[str]) -> list[Recipe]:
    """Return the recipes that read a recording, one a lane; parameters as of :func:`fitting`.

    Raises
    ------
    UnclearRecipeError
        If two say equally much of it, and read the same lane in different ways.
    """
    found = fitting(recipes, name, form, channels)
    best = [recipe for recipe in found if particular(recipe) == particular(found[0])]
    by_lane: dict[str, Recipe] = {}
    for recipe in best:
        other = by_lane.setdefault(recipe.lane, recipe)
        if _content(other) != _content(recipe):
            raise UnclearRecipeError(
                f"{other.name} and {recipe.name} fit this recording equally well, and read it differently.",
                where=name,
                hint="Give the one that is meant, or write more of the file's name into its pattern.",
            )
    return list(by_lane.values())


def _content(recipe: Recipe) -> Recipe:
    # two files may hold the same recipe under different identities and names
    return msgspec.structs.replace(recipe, id=UUID(int=0), name="", note="")
