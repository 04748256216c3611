"""Which recipes a command reads a recording by."""

from __future__ import annotations

from collections.abc import Sequence

from ..core.recipes.model import Recipe
from ..core.trial.recipe_choice import RecipeChoice
from .terminal import say


def recipe_choice(given: Sequence[Recipe], library: str) -> RecipeChoice:
    """Return what chooses recipes, source by source; an empty ``library`` is none."""

    def kept() -> Sequence[Recipe]:
        from .libraries import open_library  # a library's database is loaded only where there is one

        found = open_library(library)
        recipes = list(found.recipes.states())
        found.close()
        return recipes

    return RecipeChoice(given, kept if library else None, lambda sentence: say(f"zesty-abacus: {sentence}", err=True))
